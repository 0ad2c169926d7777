"""The desk's end of the line to a machine."""

from __future__ import annotations

import socket
from collections.abc import Iterator
from types import TracebackType
from typing import Protocol, Self

from vapocline.core.plan import Setup
from vapocline.core.problems import DeviceError
from vapocline.core.profile import Profile
from vapocline.devices.messages import (
    EndLine,
    EventLine,
    Order,
    Reply,
    SampleLine,
    read_line,
    written,
)

CONNECT_WAIT_S = 5.0
SILENCE_S = 15.0  # a running machine says something at least this often

Said = SampleLine | EventLine | EndLine


class MachinePort(Protocol):
    """What the desk needs of any machine; a real one is one more class like `LineMachine`."""

    def basket(self, setup: Setup) -> None:
        """Tell a simulated machine what was tamped; a real one ignores it."""

    def load(self, profile: Profile) -> None:
        """Hand the profile over. Raises DeviceError if the machine does not take it."""

    def start(self) -> None:
        """Start the pump."""

    def stop(self) -> None:
        """End the shot now."""

    def next_phase(self) -> None:
        """The hand signal some phases wait for."""

    def said(self, since: int = 0) -> Iterator[Said]:
        """Everything the machine says of the shot from a sequence number on, to its end."""


class LineMachine:
    """A machine that speaks our line protocol over TCP. Use as a context manager."""

    def __init__(self, address: str) -> None:
        """Connect to "host:port". Raises DeviceError when nothing answers there."""
        host, _, port = address.rpartition(":")
        try:
            self._line = socket.create_connection((host, int(port)), timeout=CONNECT_WAIT_S)
        except (OSError, ValueError) as error:
            raise DeviceError(f"No machine answers at {address}.") from error
        self._line.settimeout(SILENCE_S)
        self._reader = self._line.makefile("rb")

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        at: TracebackType | None,
    ) -> None:
        self._reader.close()
        self._line.close()

    def basket(self, setup: Setup) -> None:
        """See MachinePort."""
        self._order(Order(do="basket", setup=setup.written()))

    def load(self, profile: Profile) -> None:
        """See MachinePort."""
        self._order(Order(do="load", profile=profile.written()))

    def start(self) -> None:
        """See MachinePort."""
        self._order(Order(do="start"))

    def stop(self) -> None:
        """See MachinePort."""
        self._order(Order(do="stop"))

    def next_phase(self) -> None:
        """See MachinePort."""
        self._order(Order(do="next"))

    def said(self, since: int = 0) -> Iterator[Said]:
        """See MachinePort. Raises DeviceError when the line falls silent or breaks."""
        self._order(Order(do="watch", since=since))
        while True:
            message = self._read()
            if isinstance(message, Reply):
                continue
            yield message
            if isinstance(message, EndLine):
                return

    def _order(self, order: Order) -> None:
        try:
            self._line.sendall(written(order))
        except OSError as error:
            raise DeviceError("The line to the machine broke.") from error
        reply = self._read()
        if not isinstance(reply, Reply) or reply.to != order.do:
            raise DeviceError(f"The machine did not answer '{order.do}'.")
        if not reply.ok:
            raise DeviceError(f"The machine refused to {order.do}: {reply.error}.")

    def _read(self) -> Reply | Said:
        try:
            raw = self._reader.readline()
        except OSError as error:
            raise DeviceError("The machine fell silent.") from error
        if not raw:
            raise DeviceError("The machine closed the line.")
        return read_line(raw)
