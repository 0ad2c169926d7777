"""What the start command needs running: the database, its newest schema, the simulated machine."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from vapocline.core.base.problems import VapoclineError
from vapocline.desk.context import Simulators
from vapocline.devices.simulators.serving import CODE_VARIABLE
from vapocline.runtime.cluster import MARK, running_cluster, stop_cluster
from vapocline.store.database import migrate

END_WAIT_S = 60
Say = Callable[[str], None]


@dataclass(frozen=True)
class Running:
    """Where the database and the simulators answer."""

    database_url: str
    simulators: Simulators


def default_folder(kind: str) -> Path:
    """Where data go when no folder is named: PostgreSQL's user must be able to reach it."""
    if os.geteuid() == 0:
        return Path("/var/lib/vapocline") / kind
    base = os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share"
    return Path(base) / "vapocline" / kind


@contextlib.contextmanager
def running(folder: Path, url: str | None, say: Say) -> Iterator[Running]:
    """Start what is needed and stop it all at the end. With a URL, no database is started."""
    with contextlib.ExitStack() as stack:
        if url is None:
            stack.enter_context(_alone_in(folder))
            say(f"Starting PostgreSQL in {folder}")
            url = stack.enter_context(running_cluster(folder)).url
        say("Bringing the tables up to date")
        migrate(url)
        say("Starting the simulated machines, scales and refractometers")
        yield Running(url, stack.enter_context(simulators()))


@contextlib.contextmanager
def simulators(*, seed: int = 1, speed: float = 1.0) -> Iterator[Simulators]:
    """Machines, scales and refractometers, each kind in a process of its own, paired with us by
    one code."""
    code = new_code()
    with simulated_machine(seed=seed, speed=speed, code=code) as machine:
        # A command line is anybody's to read: the code goes in the environment.
        below = [f"--seed={seed}", f"--cups={machine.rpartition('@')[2]}"]
        with _beside_us(["scale", *below], ["refractometer", *below], code=code) as addresses:
            yield Simulators(machine, *addresses)


def new_code() -> str:
    """A pairing code that nobody guesses."""
    return secrets.token_urlsafe(12)


@contextlib.contextmanager
def simulated_machine(
    *, seed: int = 1, speed: float = 1.0, code: str | None = None
) -> Iterator[str]:
    """The machines' simulators alone; gives their address."""
    asked = ["machine", f"--seed={seed}", f"--speed={speed}"]
    with _beside_us(asked, code=code or new_code()) as (address,):
        yield address


@contextlib.contextmanager
def _beside_us(*asked: list[str], code: str) -> Iterator[list[str]]:
    """Simulators, started together, each in a process of its own; yields where they answer.

    They end when we do."""
    processes = [
        subprocess.Popen(
            [sys.executable, "-m", "vapocline.devices", *words],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env=os.environ | {CODE_VARIABLE: code},
            start_new_session=True,  # Ctrl-C is ours to act on: we stop it after the last request
        )
        for words in asked
    ]
    try:
        yield [_address(process, words[0]) for process, words in zip(processes, asked, strict=True)]
    finally:
        for process in processes:
            if process.stdin:
                process.stdin.close()
        for process in processes:
            _end(process)


def _address(process: subprocess.Popen[str], kind: str) -> str:
    """Where a simulator answers, once it says so. Raises VapoclineError when it never does."""
    address = process.stdout.readline().strip() if process.stdout else ""
    if not address:
        raise VapoclineError(f"The simulated {kind} did not start.")
    return address


def _end(process: subprocess.Popen[str]) -> None:
    """Wait until a process that was asked to end has ended."""
    try:
        process.wait(timeout=END_WAIT_S)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()
    if process.stdout:
        process.stdout.close()


@contextlib.contextmanager
def _alone_in(folder: Path) -> Iterator[None]:
    """Refuse a second Vapocline in the same folder; the lock goes with the process."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    path = folder.with_name(folder.name + ".lock")
    with path.open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise VapoclineError(
                f"Another Vapocline is running on {folder}: stop it, or name another --data-dir"
            ) from None
        yield


def start_afresh(folder: Path, *, keep_old: bool) -> Path | None:
    """Clear a data folder of ours, or set it aside and return where. Raises if it is not ours."""
    if not folder.exists():
        return None
    with _alone_in(folder):
        if not (folder / MARK).exists():
            raise VapoclineError(f"{folder} is not a folder of Vapocline's; nothing was deleted")
        stop_cluster(folder)
        if not keep_old:
            shutil.rmtree(folder)
            return None
        aside = folder.with_name(f"{folder.name}.until-{datetime.now():%Y%m%d-%H%M%S}")
        folder.rename(aside)
        return aside
