"""Backups: one file with the database, what was not saved in it yet, and what they should be."""

from __future__ import annotations

import contextlib
import hashlib
import os
import re
import shutil
import subprocess
import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Literal
from urllib.parse import unquote, urlsplit

from alembic import command
from pydantic import BaseModel, ConfigDict, ValidationError

from vapocline.core.base.problems import VapoclineError
from vapocline.runtime.cluster import Cluster, programs, running_cluster
from vapocline.runtime.data_folder import is_empty, is_ours
from vapocline.store.database import alembic_config, counted, plain_url, revision_of, revisions

DUMP, MANIFEST, UNSAVED = "database.dump", "manifest.json", "unsaved/"
KEPT = 5
CHUNK = 1 << 20
LARGEST_MANIFEST = 100_000  # bytes
PLAIN_NAME = re.compile(r"[A-Za-z0-9_-][A-Za-z0-9._-]{0,99}")
# What runs by itself in a database, by how it is written.
CODE = """
    select 'function ' || pg_get_functiondef(p.oid) from pg_proc p
     where pronamespace in (select oid from ours) and prokind in ('f', 'p')
    union all select 'trigger ' || pg_get_triggerdef(t.oid) from pg_trigger t
     where not tgisinternal and tgrelid in (select oid from pg_class
           where relnamespace in (select oid from ours))
    union all select 'rule ' || pg_get_ruledef(r.oid) from pg_rewrite r
     where ev_class in (select oid from pg_class where relnamespace in (select oid from ours))
    union all select 'policy ' || polname from pg_policy
    union all select 'event trigger ' || evtname from pg_event_trigger
    union all select 'extension ' || extname from pg_extension where extname <> 'plpgsql'
"""
OURS = (
    "with ours as (select oid from pg_namespace where nspname !~ '^pg_' "
    "and nspname <> 'information_schema')"
)
SUFFIX = ".vapocline"


class Manifest(BaseModel):
    """What a backup holds: of which schema and PostgreSQL, how many shots, and its checksum."""

    model_config = ConfigDict(frozen=True)

    format: Literal["vapocline/backup"] = "vapocline/backup"
    version: Literal[1] = 1
    made_at: datetime
    revision: str
    postgresql: int
    shots: int
    sha256: str


def back_up(url: str, file: Path, folder: Path | None = None) -> Manifest:
    """Write a database, and what a data folder could not save in it yet, into one file.

    The file is whole or not there. Raises VapoclineError.
    """
    revision = revision_of(url)
    if revision is None:
        raise VapoclineError("There is nothing to back up: the database is empty")
    unsaved = [] if folder is None else sorted((folder / "unsaved").glob("*"))
    partial = file.with_name(file.name + ".partial")
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        with (
            open(os.open(partial, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, 0o600), "wb") as raw,
            zipfile.ZipFile(raw, "w") as box,
        ):
            with box.open(DUMP, "w", force_zip64=True) as into:
                sha256 = _dump(url, into)
            for one in unsaved:
                box.write(one, UNSAVED + one.name)
            manifest = Manifest(
                made_at=datetime.now(UTC),
                revision=revision,
                postgresql=_server_version(url),
                shots=counted(url, "shots"),
                sha256=sha256,
            )
            box.writestr(MANIFEST, manifest.model_dump_json(indent=2))
        partial.replace(file)
    except OSError as error:
        raise VapoclineError(f"The backup could not be written: {error}") from error
    finally:
        partial.unlink(missing_ok=True)
    return manifest


def read_backup(file: Path) -> Manifest:
    """The manifest of a backup, after verifying its checksum.

    Raises VapoclineError for a file that is none, is damaged, or is of a newer Vapocline.
    """
    try:
        with zipfile.ZipFile(file) as box:
            _refuse_strange(box, file)
            manifest = Manifest.model_validate_json(box.read(MANIFEST))
            if box.testzip() is not None or _checksum(box) != manifest.sha256:
                raise VapoclineError(f"{file} is damaged: its checksum is another")
    except (OSError, KeyError, zipfile.BadZipFile) as error:
        raise VapoclineError(f"{file} is no backup of Vapocline, or is cut off: {error}") from error
    except ValidationError as error:
        raise VapoclineError(f"{file} is a backup of a newer Vapocline") from error
    if manifest.revision not in revisions():
        raise VapoclineError(f"{file} is a backup of a newer Vapocline: update this one first")
    return manifest


def _refuse_strange(box: zipfile.ZipFile, file: Path) -> None:
    """Refuse a file with anything in it that no backup has: other names, paths, packed pieces,
    which may be of any size once unpacked. Raises VapoclineError."""
    names = box.namelist()
    for part in box.infolist():
        name = part.filename.removeprefix(UNSAVED)
        known = part.filename in (DUMP, MANIFEST) or (
            part.filename.startswith(UNSAVED) and PLAIN_NAME.fullmatch(name) is not None
        )
        if not known or names.count(part.filename) > 1:
            raise VapoclineError(f"{file} is no backup of Vapocline: it holds '{part.filename}'")
        if part.compress_type != zipfile.ZIP_STORED or part.file_size != part.compress_size:
            raise VapoclineError(f"{file} is no backup of Vapocline: '{part.filename}' is packed")
    if MANIFEST in names and box.getinfo(MANIFEST).file_size > LARGEST_MANIFEST:
        raise VapoclineError(f"{file} is no backup of Vapocline: its {MANIFEST} is too large")


def restore(file: Path, folder: Path) -> Manifest:
    """Make a data folder from a backup; it must be new or empty. Raises VapoclineError."""
    manifest = read_backup(file)
    if not is_empty(folder):
        raise VapoclineError(
            f"{folder} is not empty: name another --data-dir, or say --fresh to set it aside"
        )
    try:
        with running_cluster(folder) as cluster, zipfile.ZipFile(file) as box:
            with box.open(DUMP) as dump:
                _fill(cluster.url, dump, folder)
            _refuse_foreign_code(cluster, manifest.revision)
            for name in box.namelist():
                if name.startswith(UNSAVED):
                    _put(box, name, folder / "unsaved")
            found = counted(cluster.url, "shots")
        if found != manifest.shots:
            raise VapoclineError(f"{found} shots were restored of {manifest.shots}")
    except BaseException:
        if is_ours(folder):  # half of it is worse than none
            shutil.rmtree(folder)
        raise
    return manifest


def _refuse_foreign_code(cluster: Cluster, revision: str) -> None:
    """Refuse a database that does by itself what none of its schema does. Raises VapoclineError."""
    expected = cluster.beside("expected")
    try:
        command.upgrade(alembic_config(expected), revision)
        foreign = _code_in(cluster.url) - _code_in(expected)
    finally:
        cluster.remove_beside("expected")
    if foreign:
        named = sorted(foreign)[0].partition("\n")[0]
        raise VapoclineError(f"The backup brings code that is not Vapocline's: {named[:200]}")


def _code_in(url: str) -> set[str]:
    import psycopg

    with psycopg.connect(plain_url(url)) as connection:
        return {str(row[0]) for row in connection.execute(OURS + CODE)}


def back_up_before_migrating(url: str, folder: Path) -> Path | None:
    """A backup of a database that is about to be changed, in the data folder; the last five stay.

    None for one that is new or up to date. Raises VapoclineError.
    """
    revision, newest = revision_of(url), revisions()[-1]
    if revision in (None, newest):
        return None
    backups = folder / "backups"
    file = backups / f"{datetime.now():%Y%m%d-%H%M%S}-before-{newest}{SUFFIX}"
    back_up(url, file, folder)
    for old in sorted(backups.glob(f"*-before-*{SUFFIX}"))[:-KEPT]:
        old.unlink()
    return file


def _put(box: zipfile.ZipFile, name: str, folder: Path) -> None:
    folder.mkdir(exist_ok=True)
    (folder / Path(name).name).write_bytes(box.read(name))


def _dump(url: str, into: IO[bytes]) -> str:
    """Dump a database in PostgreSQL's custom format; returns its SHA-256."""
    found = hashlib.sha256()
    words = ["pg_dump", "--format=custom", "--no-owner", "--no-privileges"]
    with _program(words, url, stdout=subprocess.PIPE) as process:
        assert process.stdout
        while piece := process.stdout.read(CHUNK):
            found.update(piece)
            into.write(piece)
    return found.hexdigest()


def _fill(url: str, dump: IO[bytes], folder: Path) -> None:
    # From a file: pg_restore reads one in order of what depends on what.
    at = folder / DUMP
    try:
        with at.open("wb") as out:
            shutil.copyfileobj(dump, out, CHUNK)
        words = ["pg_restore", "--exit-on-error", "--single-transaction", "--no-owner",
                 "--no-privileges", f"--dbname={urlsplit(url).path[1:]}", str(at)]  # fmt: skip
        with _program(words, url):
            pass
    finally:
        at.unlink(missing_ok=True)


@contextlib.contextmanager
def _program(
    words: list[str], url: str, stdout: int = subprocess.DEVNULL
) -> Iterator[subprocess.Popen[bytes]]:
    """One of PostgreSQL's programs on a database. Raises VapoclineError with what it said."""
    parts = urlsplit(url)
    said = {
        "PGHOST": parts.hostname,
        "PGPORT": str(parts.port or 5432),
        "PGUSER": unquote(parts.username or ""),
        "PGPASSWORD": unquote(parts.password or ""),  # a command line is anybody's to read
        "PGDATABASE": parts.path[1:],
    }
    env = os.environ | {name: value for name, value in said.items() if value}
    words = [str(programs() / words[0]), *words[1:]]
    with subprocess.Popen(words, stdout=stdout, stderr=subprocess.PIPE, env=env) as process:
        yield process
        assert process.stderr
        error = process.stderr.read().decode(errors="replace").strip()
    if process.returncode != 0:
        raise VapoclineError(f"{Path(words[0]).name} failed: {error or process.returncode}")


def _checksum(box: zipfile.ZipFile) -> str:
    found = hashlib.sha256()
    with box.open(DUMP) as dump:
        while piece := dump.read(CHUNK):
            found.update(piece)
    return found.hexdigest()


def _server_version(url: str) -> int:
    import psycopg

    with psycopg.connect(plain_url(url)) as connection:
        return connection.info.server_version // 10000
