"""The desk's end of a line to any device that speaks our protocol: orders, replies, and a stream
without gaps."""

from __future__ import annotations

import contextlib
import logging
import os
import secrets
import socket
import time
from collections import Counter
from collections.abc import Iterator
from threading import Lock
from types import TracebackType
from typing import NamedTuple, Self, TypeVar

from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.devices.messages import (
    LONGEST_LINE,
    Beat,
    CupLine,
    EndLine,
    EventLine,
    Hello,
    MessageLine,
    Order,
    OrderMessage,
    Reply,
    SampleLine,
    Watch,
    WeightLine,
    read_line,
    written,
)

log = logging.getLogger(__name__)
ANSWER_WAIT_S = 5.0  # for a connection, and for the reply to an order: a device may be busy
SILENCE_S = 2.0  # a device that runs says something more often; then it is asked again
MUTE_S = 15.0  # it answers, but says nothing of what it is watched for
NOW = -1  # watch from here on
MOST_EARLY = 4000  # messages kept while one before them is missing
EARLY = 5  # messages that may come before one that is late: after more it was dropped
MOST_ASKED = 40  # times for one message, of which half may be lost: then the device has it no more
# Who we are to a device, for all processes of one start: it obeys one desk at a time.
DESK = os.environ.setdefault("VAPOCLINE_DESK", secrets.token_hex(6))

Numbered = SampleLine | EventLine | EndLine | WeightLine
Sent = TypeVar("Sent", bound=OrderMessage)


class LineAddress(NamedTuple):
    """Where a device answers: "code@host:port/name"; code and name may be left out."""

    code: str
    host: str
    port: int
    name: str

    @classmethod
    def parse(cls, text: str) -> Self:
        """The parts of a written address. Raises ValueError for what is none."""
        where, _, name = text.partition("/")
        code, _, where = where.rpartition("@")
        host, _, port = where.rpartition(":")
        if not host or not (port.isascii() and port.isdigit()) or int(port) > 65535:
            raise ValueError(f"no address: {text!r}")
        return cls(code, host, int(port), name)


def with_id(order: Sent) -> Sent:
    """The order with an id of its own: sent again, it is carried out once."""
    return order if order.id else order.model_copy(update={"id": secrets.token_hex(8)})


class DeviceLine:
    """One line to a device at "code@host:port/name". Use as a context manager."""

    def __init__(
        self, address: str, what: str = "machine", patience_s: float = ANSWER_WAIT_S
    ) -> None:
        """Connect and say hello. `patience_s` is how long a connection and each reply are waited
        for. Raises DeviceError when nothing answers there, or it is not paired with us."""
        self.what = what
        self._patience_s = patience_s
        self._sending = Lock()
        self._buffer = b""
        self._aside: list[Numbered] = []  # said between an order and its reply
        try:
            to = LineAddress.parse(address)
        except ValueError as error:
            raise DeviceError(f"No {what} responds at {address.rpartition('@')[2]}.") from error
        try:
            self._line = socket.create_connection((to.host, to.port), timeout=patience_s)
        except OSError as error:
            raise DeviceError(f"No {what} responds at {to.host}:{to.port}.") from error
        self._line.settimeout(min(SILENCE_S, patience_s))
        try:
            self.order(Hello(name=to.name, code=to.code, desk=DESK))
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
        sent = with_id(order)
        self._send(sent)
        answer_by = time.monotonic() + self._patience_s
        while True:
            message = self._read()
            if isinstance(message, Reply):
                if message.id in ("", sent.id):
                    break
                continue  # a late answer to what we gave up waiting for
            if message is not None and not isinstance(message, CupLine):
                self._aside.append(message)
            if time.monotonic() > answer_by:
                raise DeviceError(f"The {self.what} stopped responding.")
        if message.to != sent.do:
            raise DeviceError(f"The {self.what} did not respond to '{sent.do}'.")
        if not message.ok:
            raise OrderError(f"The {self.what} refused to {sent.do}: {message.error}.")
        return message

    def beat(self) -> None:
        """Say that we are there. Raises DeviceError when the line is broken."""
        self._send(Beat())

    def stream(self, since: int = 0, shot: str = "") -> Iterator[Numbered | None]:
        """Everything said from a sequence number on, in order, to its end; None whenever nothing
        was said for a while.

        A dropped message is asked for again, a late one waited for; one that the device itself has
        lost is done without. Raises OrderError where the machine has another shot than the one
        named, DeviceError when it does not answer any more.
        """
        self.order(Watch(since=since, shot=shot))
        due, early = since, dict[int, Numbered]()
        known = since  # up to here it was asked for already: what is missing may still come
        asked = Counter[int]()  # how often, by what was missing
        heard_at = time.monotonic()
        while True:
            message = self._aside.pop(0) if self._aside else self._read()
            if message is None:  # silent, though it should speak: what came last may be lost
                if time.monotonic() - heard_at > MUTE_S:
                    raise DeviceError(f"The {self.what} says nothing of the shot.")
                yield None
                self.order(Watch(since=due, shot=shot))
                continue
            if isinstance(message, Reply | CupLine):
                continue
            heard_at = time.monotonic()
            number = message.seq
            if number >= due:
                early[number] = message
            if len(early) > MOST_EARLY:
                raise DeviceError(f"The {self.what} left message {due} out and never sent it.")
            while due in early:
                told = early.pop(due)
                due += 1
                yield told
                if isinstance(told, EndLine):
                    return
            over = isinstance(message, EndLine)  # nothing comes after it by itself
            if early and (over or number > max(known, due) + EARLY):
                known, asked[due] = max(early), asked[due] + 1
                if asked[due] > MOST_ASKED:
                    log.warning("the %s does not have its message %d any more", self.what, due)
                    due = min(early)
                self.order(Watch(since=due, shot=shot))
                # What came before the reply was sent before the device knew what is missing.
                known = max(known, *(one.seq for one in self._aside), due)

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

    def _send(self, order: OrderMessage) -> None:
        try:
            with self._sending:
                self._line.sendall(written(order))
        except OSError as error:
            raise DeviceError(f"The connection to the {self.what} was lost.") from error

    def _read(self) -> MessageLine | None:
        """The next message, or None when nothing came for a while."""
        while b"\n" not in self._buffer:
            if len(self._buffer) > LONGEST_LINE:
                raise DeviceError(f"The {self.what} sent a line without end.")
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
