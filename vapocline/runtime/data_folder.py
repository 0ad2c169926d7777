"""The data folder: where it is, that it is ours, and that nobody else works in it.

Vapocline may run as root, and the folder may lie where others can write: nothing in its place is
followed, truncated or taken over that another user put there.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from vapocline.core.base.problems import VapoclineError

MARK = "vapocline-data"  # marks a folder as ours, so that nothing else is ever deleted
MARK_TEXT = b"Vapocline keeps its data here.\n"
LOCK = "lock"
OWN = (MARK, LOCK)
OTHERS_MAY_WRITE = stat.S_IWGRP | stat.S_IWOTH


def default_folder(kind: str) -> Path:
    """Where data go when no folder is named: PostgreSQL's user must be able to reach it."""
    if os.geteuid() == 0:
        return Path("/var/lib/vapocline") / kind
    base = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    return Path(base) / "vapocline" / kind


def data_folder(asked: Path | None, kind: str) -> Path:
    """The folder that was asked for, or the default for a kind of data, without links.

    Raises VapoclineError where a link of another user leads there.
    """
    path = Path(os.path.abspath(asked or default_folder(kind)))
    for part in (path, *path.parents):
        with contextlib.suppress(OSError):
            found = part.lstat()
            if stat.S_ISLNK(found.st_mode) and found.st_uid not in (0, os.geteuid()):
                raise VapoclineError(f"{part} is a link that another user made: name the folder")
    return path.resolve()


def is_ours(folder: Path) -> bool:
    """Whether a folder has our mark."""
    return (folder / MARK).is_file()


def is_empty(folder: Path) -> bool:
    """Whether nothing but our own mark and lock is in a folder, or it is not there."""
    return not folder.exists() or all(entry.name in OWN for entry in folder.iterdir())


def claim(folder: Path) -> None:
    """Make a folder ours, if it is new or empty. Raises VapoclineError for one of others."""
    with _opened(folder):
        pass


@contextlib.contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """Refuse a second Vapocline in the same folder, by whatever path; the lock goes with the
    process. Raises VapoclineError."""
    with _opened(folder) as descriptor:
        lock = _open_in(descriptor, LOCK, os.O_RDWR | os.O_CREAT)
        try:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                raise VapoclineError(
                    f"Another Vapocline is running on {folder}: stop it, or name another --data-dir"
                ) from None
            yield
        finally:
            os.close(lock)


@contextlib.contextmanager
def _opened(folder: Path) -> Iterator[int]:
    """The folder itself, whatever its name comes to mean meanwhile; made and marked if need be."""
    folder.mkdir(parents=True, exist_ok=True)
    try:
        descriptor = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    except OSError as error:
        raise VapoclineError(f"{folder} cannot be used: {error.strerror}") from error
    try:
        _refuse_planted(descriptor, folder)
        names = os.listdir(descriptor)
        if MARK in names:
            os.close(_open_in(descriptor, MARK, os.O_RDONLY))
        else:
            if any(name not in OWN for name in names):
                raise VapoclineError(f"{folder} holds other things: name an empty or new folder")
            mark = _open_in(descriptor, MARK, os.O_WRONLY | os.O_CREAT | os.O_EXCL)
            os.write(mark, MARK_TEXT)
            os.close(mark)
        yield descriptor
    finally:
        os.close(descriptor)


def _refuse_planted(descriptor: int, folder: Path) -> None:
    """As root, only a folder of root's own is used, into which nobody else can put anything."""
    found = os.fstat(descriptor)
    if os.geteuid() != 0:
        return
    if found.st_uid != 0:
        raise VapoclineError(f"{folder} belongs to another user: name a folder of root's own")
    if found.st_mode & OTHERS_MAY_WRITE:
        raise VapoclineError(f"Others may write into {folder}: chmod go-w, or name another")


def _open_in(descriptor: int, name: str, flags: int) -> int:
    """A plain file in the folder, neither followed elsewhere nor truncated."""
    try:
        file = os.open(name, flags | os.O_NOFOLLOW | os.O_NONBLOCK, 0o600, dir_fd=descriptor)
    except OSError as error:
        raise VapoclineError(f"'{name}' in the data folder: {error.strerror}") from error
    if not stat.S_ISREG(os.fstat(file).st_mode):
        os.close(file)
        raise VapoclineError(f"'{name}' in the data folder is no file")
    return file
