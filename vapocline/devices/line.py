"""The desk's end of a line to any device that speaks our protocol: orders, replies, and a stream
without gaps."""

from __future__ import annotations

import contextlib
import socket
import time
from collections.abc import Iterator
from types import TracebackType
from typing import Self

from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.devices.messages import (
    CupLine,
    EndLine,
    EventLine,
    Hello,
    Line,
    Order,
    Reply,
    SampleLine,
    Watch,
    WeightLine,
    read_line,
    written,
)

ANSWER_WAIT_S = 5.0  # for a connection, and for the reply to an order: a device may be busy
SILENCE_S = 2.0  # a device that runs says something more often; then it is asked again
NOW = -1  # watch from here on
EARLY = 5  # messages that may come before one that is late: after more it was dropped

Numbered = SampleLine | EventLine | EndLine | WeightLine


class DeviceLine:
    """One line to a device at "host:port" or "host:port/name". Use as a context manager."""

    def __init__(self, address: str, what: str = "machine") -> None:
        """Connect and say hello. Raises DeviceError when nothing answers there."""
        self.what = what
        where, _, name = address.partition("/")
        host, _, port = where.rpartition(":")
        try:
            self._line = socket.create_connection((host, int(port)), timeout=ANSWER_WAIT_S)
        except (OSError, ValueError) as error:
            raise DeviceError(f"No {what} responds at {where}.") from error
        self._line.settimeout(SILENCE_S)
        self._buffer = b""
        self._aside: list[Numbered] = []  # said between an order and its reply
        try:
            if name:
                self.order(Hello(name=name))
        except DeviceError:
            self._line.close()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        at: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Hang up; a thread that waits for the line wakes."""
        with contextlib.suppress(OSError):  # the other end was quicker
            self._line.shutdown(socket.SHUT_RDWR)
        self._line.close()

    def order(self, order: Order) -> Reply:
        """Send an order and return the reply. Raises OrderError when refused, DeviceError when
        unanswered."""
        try:
            self._line.sendall(written(order))
        except OSError as error:
            raise DeviceError(f"The connection to the {self.what} was lost.") from error
        answer_by = time.monotonic() + ANSWER_WAIT_S
        while True:
            message = self._read()
            if isinstance(message, Reply):
                break
            if message is None and time.monotonic() > answer_by:
                raise DeviceError(f"The {self.what} stopped responding.")
            if message is not None and not isinstance(message, CupLine):
                self._aside.append(message)
        if message.to != order.do:
            raise DeviceError(f"The {self.what} did not respond to '{order.do}'.")
        if not message.ok:
            raise OrderError(f"The {self.what} refused to {order.do}: {message.error}.")
        return message

    def stream(self, since: int = 0) -> Iterator[Numbered]:
        """Everything said from a sequence number on, in order and without a gap, to its end.

        A dropped message is asked for again, a late one waited for. Raises DeviceError when the
        device does not answer any more.
        """
        self.order(Watch(since=since))
        due, early = since, dict[int, Numbered]()
        known = since  # up to here it was asked for already: what is missing may still come
        while True:
            message = self._aside.pop(0) if self._aside else self._read()
            if message is None:  # silent, though it should speak: what came last may be lost
                self.order(Watch(since=due))
                continue
            if isinstance(message, Reply | CupLine):
                continue
            number = message.seq
            if number >= due:
                early[number] = message
            while due in early:
                told = early.pop(due)
                due += 1
                yield told
                if isinstance(told, EndLine):
                    return
            over = isinstance(message, EndLine)  # nothing comes after it by itself
            if early and (over or number > max(known, due) + EARLY):
                known = max(early)
                self.order(Watch(since=due))

    def newest(self) -> Iterator[Numbered]:
        """What is said from now on, from a device that keeps nothing: what is lost stays lost.

        Raises DeviceError when it falls silent or the line breaks.
        """
        self.order(Watch(since=NOW))
        while True:
            message = self._aside.pop(0) if self._aside else self._read()
            if message is None:
                raise DeviceError(f"The {self.what} stopped responding.")
            if not isinstance(message, Reply | CupLine):
                yield message

    def _read(self) -> Line | None:
        """The next message, or None when nothing came for a while."""
        while b"\n" not in self._buffer:
            try:
                more = self._line.recv(65536)
            except TimeoutError:
                return None
            except OSError as error:
                raise DeviceError(f"The connection to the {self.what} was lost.") from error
            if not more:
                raise DeviceError(f"The {self.what} closed the connection.")
            self._buffer += more
        raw, _, self._buffer = self._buffer.partition(b"\n")
        return read_line(raw)
