"""The simulated machines, scales and refractometers, each kind in a process of its own."""

from __future__ import annotations

import contextlib
import os
import secrets
import subprocess
import sys
from collections.abc import Iterator

from vapocline.core.base.problems import VapoclineError
from vapocline.desk.context import Simulators
from vapocline.devices.simulators.serving import CODE_VARIABLE

END_WAIT_S = 60


class SimulatorProcess:
    """A simulator's process; started again it answers at the same address. It ends when we do."""

    def __init__(self, kind: str, code: str, *options: str) -> None:
        """`kind` is machine, scale or refractometer; `code` pairs it with us."""
        self.name = f"the simulated {kind}"
        self.address = ""
        self._words = [sys.executable, "-m", "vapocline.devices", kind, *options]
        self._code = code
        self._process = self._started()

    def wait_ready(self) -> None:
        """Wait until it says where it answers. Raises VapoclineError when it never does."""
        said = self._process.stdout.readline().strip() if self._process.stdout else ""
        if not said:
            raise VapoclineError(f"{self.name[0].upper()}{self.name[1:]} did not start.")
        self.address = said

    def pid(self) -> int | None:
        """Its process, None when it has ended."""
        return self._process.pid if self._process.poll() is None else None

    def start_again(self) -> None:
        """Restart it on the same port. Raises VapoclineError."""
        port = self.address.rpartition(":")[2]
        self.end()
        self._process = self._started(f"--port={port}")
        self.wait_ready()

    def ask_to_end(self) -> None:
        """Close its standard input: then it ends."""
        if self._process.stdin:
            with contextlib.suppress(BrokenPipeError):
                self._process.stdin.close()

    def end(self) -> None:
        """Ask it to end and wait until it has."""
        self.ask_to_end()
        try:
            self._process.wait(timeout=END_WAIT_S)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        if self._process.stdout:
            self._process.stdout.close()

    def _started(self, *more: str) -> subprocess.Popen[str]:
        return subprocess.Popen(
            [*self._words, *more],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            # A command line is anybody's to read: the code goes in the environment.
            env=os.environ | {CODE_VARIABLE: self._code},
            start_new_session=True,  # Ctrl-C is ours to act on: we stop it after the last request
        )


@contextlib.contextmanager
def simulator_processes(
    *, seed: int = 1, speed: float = 1.0, calm: bool = False
) -> Iterator[list[SimulatorProcess]]:
    """Machines, scales and refractometers, paired by one code; `calm` ones repeat closely."""
    code = new_code()
    with _running([SimulatorProcess("machine", code, *_words(seed, speed, calm))]) as one:
        cups = [f"--seed={seed}", f"--cups={one[0].address.rpartition('@')[2]}"]
        under = [SimulatorProcess(kind, code, *cups) for kind in ("scale", "refractometer")]
        with _running(under):
            yield [*one, *under]


@contextlib.contextmanager
def simulators(*, seed: int = 1, speed: float = 1.0, calm: bool = False) -> Iterator[Simulators]:
    """The addresses of machines, scales and refractometers."""
    with simulator_processes(seed=seed, speed=speed, calm=calm) as processes:
        yield Simulators(*(one.address for one in processes))


@contextlib.contextmanager
def simulated_machine(*, seed: int = 1, speed: float = 1.0, calm: bool = False) -> Iterator[str]:
    """The machines' simulators alone; gives their address."""
    words = _words(seed, speed, calm)
    with _running([SimulatorProcess("machine", new_code(), *words)]) as (process,):
        yield process.address


def _words(seed: int, speed: float, calm: bool) -> tuple[str, ...]:
    return (f"--seed={seed}", f"--speed={speed}", *(("--calm",) if calm else ()))


@contextlib.contextmanager
def _running(processes: list[SimulatorProcess]) -> Iterator[list[SimulatorProcess]]:
    """Wait until processes that were started together are ready; end them together."""
    try:
        for one in processes:
            one.wait_ready()
        yield processes
    finally:
        for one in processes:
            one.ask_to_end()
        for one in processes:
            one.end()


def new_code() -> str:
    """A pairing code that nobody guesses."""
    return secrets.token_urlsafe(12)
