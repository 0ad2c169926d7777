"""The shot that a machine runs, or ran last: what was said of it is kept for who asks again."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Coroutine
from typing import Any, Generic, Protocol, TypeVar

from vapocline.core.base.problems import DeviceError
from vapocline.devices.messages import (
    BasketOrder,
    EndLine,
    Load,
    MachineStatus,
    Message,
    Order,
    Start,
    Watch,
)
from vapocline.devices.simulators.serving import PacketLoss, Stream


class Story(Protocol):
    """One shot by its machine's own name, and everything said of it."""

    token: str
    said: list[Message]
    ended: bool


RunningT = TypeVar("RunningT", bound=Story)


class Current(Generic[RunningT]):
    """A machine's one shot, and who waits for news of it."""

    def __init__(self) -> None:
        """None was pulled yet."""
        self.shot: RunningT | None = None
        self.news = asyncio.Condition()
        self._task: asyncio.Task[None] | None = None

    def begin(self, shot: RunningT, run: Coroutine[Any, Any, None]) -> str:
        """Run a shot; returns its name."""
        self.shot, self._task = shot, asyncio.create_task(run)
        return shot.token

    def refuse_out_of_turn(self, order: Order) -> None:
        """Nothing is tamped, loaded or started under a running shot. Raises DeviceError."""
        between_shots = isinstance(order, BasketOrder | Load | Start)
        if between_shots and self.shot is not None and not self.shot.ended:
            raise DeviceError("a shot is running")

    def refuse_other_shot(self, watch: Watch) -> None:
        """A shot that is named is the one that runs, or ran last. Raises DeviceError."""
        if watch.shot and (self.shot is None or self.shot.token != watch.shot):
            raise DeviceError("it knows no such shot")

    def running(self) -> RunningT:
        """The shot that runs. Raises DeviceError when none does."""
        if self.shot is None or self.shot.ended:
            raise DeviceError("no shot is running")
        return self.shot

    def status(self, loaded: str | None, **told: float) -> MachineStatus:
        """How the machine stands, with what it can tell besides."""
        shot = self.shot
        running = shot is not None and not shot.ended
        token = None if shot is None else shot.token
        return MachineStatus(loaded=loaded, shot=token, running=running, **told)

    async def moved(self) -> None:
        """Something was said: whoever waits may go on."""
        async with self.news:
            self.news.notify_all()

    async def tell(self, stream: Stream, watch: Watch) -> None:
        """Everything said of the shot from a number on, as it comes, to its end."""
        shot = self.shot
        if shot is None:
            return
        told = len(shot.said) if watch.since < 0 else watch.since
        with contextlib.suppress(ConnectionError):
            while True:
                while told < len(shot.said):
                    message = shot.said[told]
                    # The end is never lost: after it there would be nothing to notice it by.
                    if isinstance(message, EndLine):
                        stream.packet_loss = PacketLoss(stream.packet_loss.dice)
                    await stream.send(message)
                    told += 1
                if shot.ended:
                    return
                async with self.news:
                    while len(shot.said) <= told:
                        await self.news.wait()
