"""Starts simulators by forking one process that has everything loaded: quicker than starting each
from scratch."""

from __future__ import annotations

import asyncio
import io
import os
import sys
from collections.abc import Coroutine
from multiprocessing import get_context
from multiprocessing.connection import Connection
from threading import Lock
from typing import Any

from vapocline.desk.context import Simulators
from vapocline.devices.simulators.instruments import serve_cups
from vapocline.devices.simulators.machine import load_kernel, serve_machines
from vapocline.devices.simulators.serving import CODE_VARIABLE
from vapocline.runtime.simulators import new_code

FORK = get_context("fork")


class ForkServer:
    """The process they are forked from. It is made before the first thread, and ends with its
    link; what it forked ends with it."""

    def __init__(self) -> None:
        self._link, theirs = FORK.Pipe()
        self._asking = Lock()
        self._process = FORK.Process(target=_fork_on_demand, args=(theirs, self._link))
        self._process.start()
        theirs.close()

    def simulators(self, *, seed: int, speed: float, instruments: bool) -> Simulators:
        """Machines, and what stands under them if asked for."""
        code = new_code()
        with self._asking:
            machine = self._forked(code, "machine", seed, speed, "")
            if not instruments:
                return Simulators(machine)
            cups = machine.rpartition("@")[2]
            scale, meter = (
                self._forked(code, kind, seed, speed, cups) for kind in ("scale", "refractometer")
            )
            return Simulators(machine, scale, meter)

    def _forked(self, *asked: Any) -> str:
        self._link.send(asked)
        address: str = self._link.recv()
        return address

    def close(self) -> None:
        """End all of them."""
        self._link.close()
        self._process.join()


def _fork_on_demand(link: Connection, not_ours: Connection) -> None:
    not_ours.close()
    load_kernel()
    try:
        while True:
            ours, theirs = FORK.Pipe(duplex=False)
            asked = link.recv()
            FORK.Process(target=_simulate, args=(theirs, *asked), daemon=True).start()
            theirs.close()
            link.send(ours.recv())
    except EOFError:
        pass  # the run is over; daemons end with us


class _Announced(io.TextIOBase):
    """Where a simulator prints its address."""

    def __init__(self, to: Connection) -> None:
        self._to = to

    def write(self, text: str) -> int:
        if text.strip():
            self._to.send(text.strip())
        return len(text)


def _simulate(to: Connection, code: str, kind: str, seed: int, speed: float, cups: str) -> None:
    os.environ[CODE_VARIABLE] = code
    sys.stdout = _Announced(to)  # type: ignore[assignment]
    serving: Coroutine[Any, Any, None]
    if kind == "machine":
        serving = serve_machines(port=0, seed=seed, speed=speed, calm=True)
    else:
        serving = serve_cups(kind=kind, port=0, seed=seed, cups=cups)
    asyncio.run(serving)
