"""What the start command needs running: the database, its newest schema, the simulated machine."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vapocline.core.base.problems import VapoclineError
from vapocline.desk.context import Simulators
from vapocline.runtime.backup import Manifest, back_up_before_migrating, restore
from vapocline.runtime.cluster import running_cluster, running_url, stop_cluster
from vapocline.runtime.data_folder import OWN, alone_in, is_ours
from vapocline.runtime.logs import log_to
from vapocline.runtime.simulators import simulator_processes
from vapocline.runtime.supervision import SupervisedProcess, supervised
from vapocline.store.database import migrate

Say = Callable[[str], None]


@dataclass(frozen=True)
class Running:
    """Where the database and the simulators answer."""

    database_url: str
    simulators: Simulators


@contextlib.contextmanager
def running(folder: Path, url: str | None, say: Say, seed: int = 1) -> Iterator[Running]:
    """Start what is needed, again whenever it ends, and stop it all at the end.

    With a URL, no database is started. `seed` says what the simulated machines' pucks really are.
    """
    with contextlib.ExitStack() as stack:
        parts: list[SupervisedProcess] = []
        if url is None:
            stack.enter_context(alone_in(folder))
            say(f"Starting PostgreSQL in {folder}")
            cluster = stack.enter_context(running_cluster(folder))
            parts.append(cluster)
            url = cluster.url
            log_to(folder / "log")
        else:
            log_to(None)
        if kept := back_up_before_migrating(url, folder):
            say(f"A backup from before is in {kept}")
        say("Bringing the tables up to date")
        migrate(url)
        say("Starting the simulated machines, scales and refractometers")
        devices = stack.enter_context(simulator_processes(seed=seed))
        stack.enter_context(supervised([*parts, *devices]))
        yield Running(url, Simulators(*(one.address for one in devices)))


@contextlib.contextmanager
def database_of(folder: Path) -> Iterator[str]:
    """The URL of a data folder's database: of the Vapocline that runs on it, or started for us."""
    if not is_ours(folder):
        raise VapoclineError(f"{folder} is no data folder of Vapocline's")
    if (url := running_url(folder)) is not None:
        yield url
        return
    with alone_in(folder), running_cluster(folder) as cluster:
        yield cluster.url


def restore_into(folder: Path, file: Path) -> Manifest:
    """Make a data folder from a backup; see `restore`."""
    with alone_in(folder):
        return restore(file, folder)


def start_afresh(folder: Path, *, keep_old: bool) -> Path | None:
    """Clear a data folder of ours, or set it aside and return where. Raises if it is not ours."""
    if not folder.exists():
        return None
    if not is_ours(folder):
        raise VapoclineError(f"{folder} is not a folder of Vapocline's; nothing was deleted")
    with alone_in(folder):
        stop_cluster(folder)
        if not keep_old:
            _clear(folder)
            return None
        aside = folder.with_name(f"{folder.name}.until-{datetime.now():%Y%m%d-%H%M%S}")
        try:
            folder.rename(aside)
        except OSError as error:  # as of a mount
            raise VapoclineError(f"{folder} cannot be set aside: {error.strerror}") from error
        return aside


def _clear(folder: Path) -> None:
    """Delete all but our mark and the lock that we hold."""
    for entry in folder.iterdir():
        if entry.name in OWN:
            continue
        if entry.is_dir() and not entry.is_symlink():
            shutil.rmtree(entry)
        else:
            entry.unlink()
