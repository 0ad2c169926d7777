"""A simulator's end of the line: orders in, replies and a stream out, some packets lost."""

from __future__ import annotations

import asyncio
import contextlib
import heapq
import math
import os
import secrets
import zlib
from collections import Counter, OrderedDict
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from itertools import count
from typing import Protocol, TypeVar
from urllib.parse import unquote

import numpy as np
from pydantic import BaseModel, ValidationError

from vapocline.core.base.problems import DeviceError, refused_by_pydantic
from vapocline.devices.messages import (
    LONGEST_LINE,
    Beat,
    GoWrong,
    Hello,
    MarkIt,
    Message,
    Order,
    PlainOrder,
    Reply,
    Watch,
    read_order,
    written,
)

CODE_VARIABLE = "VAPOCLINE_PAIRING_CODE"
HELLO_WAIT_S = 10.0
MOST_NAMES = 2000
MOST_LINES = 400
ANSWERS_KEPT = 200
COMMAND_LASTS_S = 15.0  # after the commander's last word: its end may never have closed its line
ANYONE_MAY = (Watch, MarkIt)
ANYONE_MAY_DO = ("status", "stop", "read")  # whoever sees a shot go wrong may stop it
OTHERS_TURN = 20  # messages at once: then whoever else waits has a turn
LATE_MESSAGES = 4  # a late packet comes after so many others
Parsed = TypeVar("Parsed", bound=BaseModel)


def own_name(name: str) -> str:
    """What a device is called itself: in "house/name" the house separates namesakes."""
    return unquote(name.rpartition("/")[2])


def seed_of(seed: int, name: str) -> int:
    """The seed of one device's own truth."""
    alike = own_name(name)
    return seed + (zlib.crc32(alike.encode()) % 100_000 if alike else 0)


def never_silent() -> float:
    """Of a device that no desk has commanded yet."""
    return 0.0


class SimulatedDevice(Protocol):
    """A simulated device behind a line."""

    packet_loss: PacketLoss
    silent_s: Callable[[], float]  # how long its commander has said nothing

    async def ready(self) -> None:
        """Return once it knows what it is asked about."""

    def obey(self, order: Order) -> Reply:
        """Do as told. Raises DeviceError with the reason where it cannot."""

    async def tell(self, stream: Stream, watch: Watch) -> None:
        """Say what was asked for, as it comes."""


@dataclass
class Stream:
    """What goes out to one listener. Packets are dropped and late as its device was told."""

    writer: asyncio.StreamWriter
    packet_loss: PacketLoss
    _late: list[tuple[int, int, bytes]] = field(default_factory=list)
    _sent: int = 0

    async def send(self, message: Message) -> None:
        """Send one message of the stream, unless it is lost."""
        self._sent += 1
        raw = written(message)
        fate = self.packet_loss.fate()
        if fate == "late":
            heapq.heappush(self._late, (self._sent + LATE_MESSAGES, self._sent, raw))
        elif fate == "sent":
            self.writer.write(raw)
        while self._late and self._late[0][0] <= self._sent:
            self.writer.write(heapq.heappop(self._late)[2])
        await self.writer.drain()
        if self._sent % OTHERS_TURN == 0:
            await asyncio.sleep(0)


@dataclass
class PacketLoss:
    """How many packets in a hundred are dropped, and how many late."""

    dice: np.random.Generator
    dropped: float = 0.0
    late: float = 0.0

    def go_wrong(self, order: GoWrong) -> bool:
        """Take the order if it is about packets."""
        share = order.share if order.on else 0.0
        if order.fault == "packets_dropped":
            self.dropped = share
        elif order.fault == "packets_late":
            self.late = share
        return order.fault in ("packets_dropped", "packets_late")

    def fate(self) -> str:
        """What becomes of the next packet: sent, dropped or late."""
        if not self.dropped and not self.late:
            return "sent"
        thrown = 100 * self.dice.random()
        if thrown < self.dropped:
            return "dropped"
        return "late" if thrown < self.dropped + self.late else "sent"


def parsed(kind: type[Parsed], value: object) -> Parsed:
    """A document that came with an order. Raises DeviceError with what is wrong in it."""
    try:
        return kind.model_validate(value)
    except ValidationError as error:
        raise DeviceError(str(refused_by_pydantic(error))) from error


async def ticks(tick_s: float, speed: float) -> AsyncIterator[int]:
    """1, 2, 3 … as the ticks of a clock come that runs at a speed; with 0 as fast as it can."""
    clock = asyncio.get_running_loop().time
    began = clock()
    for tick in count(1):
        await asyncio.sleep(max(0.0, began + tick * tick_s / speed - clock()) if speed > 0 else 0)
        yield tick


@dataclass
class Named:
    """A device by its name: whom it obeys, and what it has answered."""

    device: SimulatedDevice
    commander: str | None = None
    heard_at: float = -math.inf  # the commander, on the loop's clock
    lines: Counter[str] = field(default_factory=Counter)  # open ones, by desk
    answered: OrderedDict[tuple[str, str], Reply] = field(default_factory=OrderedDict)

    def heard(self, desk: str) -> None:
        """A desk said something."""
        if desk == self.commander:
            self.heard_at = asyncio.get_running_loop().time()

    def silent_s(self) -> float:
        """How long its commander has said nothing, s."""
        return asyncio.get_running_loop().time() - self.heard_at

    def obey(self, order: Order, desk: str) -> Reply:
        """Do as told, once. Raises DeviceError with the reason where it cannot."""
        if not isinstance(order, ANYONE_MAY) and not (
            isinstance(order, PlainOrder) and order.do in ANYONE_MAY_DO
        ):
            self._command(desk)
        key = (desk, order.id)
        if order.id and key in self.answered:
            return self.answered[key]
        try:
            reply = self.device.obey(order)
        except DeviceError as error:
            reply = Reply(to=order.do, ok=False, error=str(error))
        reply = reply.model_copy(update={"id": order.id})
        if order.id:
            self.answered[key] = reply
            while len(self.answered) > ANSWERS_KEPT:
                self.answered.popitem(last=False)
        return reply

    def _command(self, desk: str) -> None:
        """Let a desk command, unless another one does. Raises DeviceError."""
        other = self.commander if self.commander != desk else None
        if other is not None and self.lines[other] and self.silent_s() < COMMAND_LASTS_S:
            raise DeviceError("another desk commands it")
        self.commander = desk
        self.heard(desk)


class House:
    """Every simulated device of a process by its name, for who has the pairing code."""

    def __init__(self, make: Callable[[str], SimulatedDevice], code: str) -> None:
        """`make` makes the device of a name that is asked for first."""
        self._make, self._code = make, code
        self._named: dict[str, Named] = {}
        self._open = 0

    def named(self, name: str) -> Named:
        """The device of a name. Raises DeviceError when there are too many already."""
        if name not in self._named:
            if len(self._named) >= MOST_NAMES:
                raise DeviceError(f"there are {MOST_NAMES} devices here already")
            self._named[name] = Named(self._make(name))
            self._named[name].device.silent_s = self._named[name].silent_s
        return self._named[name]

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """One connection, from its hello to its end."""
        self._open += 1
        try:
            if self._open <= MOST_LINES and (found := await self._greeted(reader, writer)):
                await serve_line(reader, writer, *found)
        except (ConnectionError, asyncio.LimitOverrunError, ValueError, TimeoutError):
            pass  # the other end is gone or speaks no lines: the device goes on without it
        except asyncio.CancelledError:
            return  # we are closing down; asyncio's streams would print this as a fault
        finally:
            self._open -= 1
            writer.close()

    async def _greeted(
        self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter
    ) -> tuple[Named, str] | None:
        """The device a line's first message is for, and the desk that speaks; None to hang up."""
        async with asyncio.timeout(HELLO_WAIT_S):
            raw = await reader.readline()
        to, number = "unknown", ""
        try:
            order = read_order(raw)
            to, number = order.do, order.id
            if not isinstance(order, Hello):
                raise DeviceError("a line begins with hello")
            if not secrets.compare_digest(order.code.encode(), self._code.encode()):
                raise DeviceError("the pairing code is not this device's")
            found = self.named(order.name)
        except DeviceError as error:
            writer.write(written(Reply(to=to, id=number, ok=False, error=str(error))))
            return None
        await found.device.ready()
        name = order.name or "Simulator"
        writer.write(written(Reply(to=to, id=number, ok=True, name=name)))
        await writer.drain()
        return found, order.desk


async def serve_line(
    reader: asyncio.StreamReader, writer: asyncio.StreamWriter, named: Named, desk: str
) -> None:
    """Take the orders of one line until it ends, or says what is no order."""
    watching: asyncio.Task[None] | None = None
    named.lines[desk] += 1
    try:
        while raw := await reader.readline():
            named.heard(desk)
            reply, order = _answer(raw, named, desk)
            if not isinstance(order, Beat):
                writer.write(written(reply))
            if order is None:  # whoever speaks is no desk: a page that posts here, say
                return
            if isinstance(order, Watch) and reply.ok:
                if watching:  # asked again, from another number
                    watching.cancel()
                    await asyncio.gather(watching, return_exceptions=True)
                watching = asyncio.create_task(
                    named.device.tell(Stream(writer, named.device.packet_loss), order)
                )
            await writer.drain()
    finally:
        named.lines[desk] -= 1
        if watching:
            watching.cancel()


def _answer(raw: bytes, named: Named, desk: str) -> tuple[Reply, Order | None]:
    order = None
    try:
        order = read_order(raw)
        if isinstance(order, Beat):
            return Reply(to=order.do, ok=True), order
        if isinstance(order, Hello):
            raise DeviceError("hello was said already")
        return named.obey(order, desk), order
    except DeviceError as error:
        to, number = (order.do, order.id) if order else ("unknown", "")
        return Reply(to=to, id=number, ok=False, error=str(error)), order


async def listen(make: Callable[[str], SimulatedDevice], port: int) -> None:
    """Listen on loopback until cancelled; prints its address, for who started it.

    The pairing code comes in the environment; without one it is made.
    """
    code = os.environ.get(CODE_VARIABLE) or secrets.token_urlsafe(12)
    house = House(make, code)
    server = await asyncio.start_server(
        house.serve, host="127.0.0.1", port=port, limit=LONGEST_LINE
    )
    async with server:
        print(f"{code}@127.0.0.1:{server.sockets[0].getsockname()[1]}", flush=True)
        with contextlib.suppress(asyncio.CancelledError):
            await server.serve_forever()
