"""The simulated machines, scales and refractometers, each kind in a process of its own."""

from __future__ import annotations

import contextlib
import secrets
from collections.abc import Iterator

from vapocline.desk.context import Simulators
from vapocline.devices.simulators.serving import CODE_VARIABLE
from vapocline.runtime.children import ChildProcess


class SimulatorProcess(ChildProcess):
    """A simulator's process; started again it answers at the same address."""

    def __init__(self, kind: str, code: str, *options: str) -> None:
        """`kind` is machine, scale or refractometer; `code` pairs it with us."""
        words = ["vapocline.devices", kind, *options]
        super().__init__(f"the simulated {kind}", words, {CODE_VARIABLE: code})

    @property
    def address(self) -> str:
        """Where it answers."""
        return self.said

    def words_again(self) -> list[str]:
        """The port it had."""
        return [f"--port={self.said.rpartition(':')[2]}"]


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
