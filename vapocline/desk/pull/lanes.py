"""Lines to a machine that are kept open while a shot runs: one for orders, one for the stop and
for saying that we are there."""

from __future__ import annotations

import contextlib
from threading import Event as Signal
from threading import Lock, Thread

from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.devices.adapters import open_machine
from vapocline.devices.line import ANSWER_WAIT_S, with_id
from vapocline.devices.machine import MachinePort
from vapocline.devices.messages import Order, PlainOrder

BEAT_S = 1.0
ALONE_S = 10.0  # a machine that hears nothing of us for so long ends its program by itself
STOP_WAIT_S = 2.0  # then the stop is sent again, over a new line


class Lane:
    """One line to a machine, one order at a time; made again when it breaks."""

    def __init__(self, address: str, patience_s: float = ANSWER_WAIT_S) -> None:
        """Nothing connects before the first order."""
        self._address, self._patience_s = address, patience_s
        self._turn = Lock()
        self._machine: MachinePort | None = None

    def order(self, order: Order) -> None:
        """Give an order. Unanswered it is sent once more, over a new line and by the same id, which
        a machine carries out once. Raises OrderError, DeviceError."""
        sent = with_id(order)
        with self._turn:
            if self._machine is not None:
                try:
                    self._machine.order(sent)
                    return
                except OrderError:
                    raise
                except DeviceError:
                    self._hang_up()
            self._connected().order(sent)

    def beat(self) -> None:
        """Say that we are there; a line that breaks is made again by the next one."""
        with self._turn:
            try:
                self._connected().beat()
            except DeviceError:
                self._hang_up()

    def close(self) -> None:
        """Hang up."""
        with self._turn:
            self._hang_up()

    def _connected(self) -> MachinePort:
        if self._machine is None:
            self._machine = open_machine(self._address, self._patience_s)
        return self._machine

    def _hang_up(self) -> None:
        if self._machine is not None:
            self._machine.close()
            self._machine = None


class Lanes:
    """The lines of one running shot. The stop waits for no other order, and no other for it."""

    def __init__(self, address: str) -> None:
        """Beat from now on, until closed."""
        self._orders = Lane(address)
        self._stop = Lane(address, STOP_WAIT_S)
        self._over = Signal()
        Thread(target=self._keep_beating, name="beat", daemon=True).start()

    def order(self, order: Order) -> None:
        """Give an order, the stop over its own line. Raises OrderError, DeviceError."""
        is_stop = isinstance(order, PlainOrder) and order.do == "stop"
        (self._stop if is_stop else self._orders).order(order)

    def close(self) -> None:
        """Hang up."""
        self._over.set()
        for lane in (self._orders, self._stop):
            lane.close()

    def _keep_beating(self) -> None:
        while not self._over.is_set():
            self._stop.beat()
            self._over.wait(BEAT_S)
        self._stop.close()


def send(address: str, order: Order) -> None:
    """Give one order over a line of its own. Raises OrderError, DeviceError."""
    with contextlib.closing(Lane(address)) as lane:
        lane.order(order)
