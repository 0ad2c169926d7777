"""A simulator's end of the line: orders in, replies and a stream out, some packets lost."""

from __future__ import annotations

import asyncio
import contextlib
import heapq
import zlib
from collections.abc import AsyncIterator, Awaitable, Callable
from dataclasses import dataclass, field
from itertools import count
from typing import Protocol, TypeVar

import numpy as np
from pydantic import BaseModel, ValidationError

from vapocline.core.base.problems import DeviceError, refused_by_pydantic
from vapocline.devices.messages import (
    LONGEST_LINE,
    GoWrong,
    Hello,
    Message,
    Order,
    Reply,
    Watch,
    read_order,
    written,
)

OTHERS_TURN = 20  # messages at once: then whoever else waits has a turn
LATE_MESSAGES = 4  # a late packet comes after so many others
Parsed = TypeVar("Parsed", bound=BaseModel)


def seed_of(seed: int, name: str) -> int:
    """The seed of one device's own truth. In "house/name" the house separates namesakes."""
    alike = name.rpartition("/")[2]
    return seed + (zlib.crc32(alike.encode()) % 100_000 if alike else 0)


class SimulatedDevice(Protocol):
    """A simulated device behind a line."""

    packet_loss: PacketLoss

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


async def serve_line(
    reader: asyncio.StreamReader,
    writer: asyncio.StreamWriter,
    find: Callable[[str], SimulatedDevice],
) -> None:
    """One connection: the first hello says which device it is for."""
    device, watching = find(""), None
    try:
        while raw := await reader.readline():
            reply, order = _answer(raw, device)
            if isinstance(order, Hello) and reply.ok:
                device = find(order.name)
                await device.ready()
                reply = reply.model_copy(update={"name": order.name or reply.name})
            writer.write(written(reply))
            if isinstance(order, Watch) and reply.ok:
                if watching:  # asked again, from another number
                    watching.cancel()
                    await asyncio.gather(watching, return_exceptions=True)
                watching = asyncio.create_task(
                    device.tell(Stream(writer, device.packet_loss), order)
                )
            await writer.drain()
    except (ConnectionError, asyncio.LimitOverrunError, ValueError):
        pass  # the other end is gone or speaks no lines: the device goes on without it
    except asyncio.CancelledError:
        return  # we are closing down; asyncio's streams would print this as a fault
    finally:
        if watching:
            watching.cancel()
        writer.close()


def _answer(raw: bytes, device: SimulatedDevice) -> tuple[Reply, Order | None]:
    order = None
    try:
        order = read_order(raw)
        if isinstance(order, Hello):
            return Reply(to=order.do, ok=True, name="Simulator"), order
        return device.obey(order), order
    except DeviceError as error:
        return Reply(to=order.do if order else "unknown", ok=False, error=str(error)), order


async def listen(
    serve: Callable[[asyncio.StreamReader, asyncio.StreamWriter], Awaitable[None]], port: int
) -> None:
    """Listen on loopback until cancelled; prints the port it took, for who started it."""
    server = await asyncio.start_server(serve, host="127.0.0.1", port=port, limit=LONGEST_LINE)
    async with server:
        print(server.sockets[0].getsockname()[1], flush=True)
        with contextlib.suppress(asyncio.CancelledError):
            await server.serve_forever()
