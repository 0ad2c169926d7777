"""The clock of a machine that is not connected: it keeps the time, the cues and what the hand says.

Nobody tells it pressure, flow or temperature, so it tells none. A phase ends when the hand says so.
"""

from __future__ import annotations

import secrets
import time
from dataclasses import dataclass, field

import numpy as np

from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import Profile
from vapocline.core.puck import columns
from vapocline.core.puck.actuator import target_of
from vapocline.core.puck.plan import Setup
from vapocline.core.puck.program import ALONG_TIME, CONTROLS, OFF, Program, program_of
from vapocline.core.pull.simulation import LONGEST_BY_HAND_S, TICK_S
from vapocline.devices.messages import (
    BasketOrder,
    EndLine,
    EventLine,
    EventLineKind,
    Load,
    MarkIt,
    Message,
    Order,
    PlainOrder,
    Reply,
    SampleLine,
    Start,
    Watch,
)
from vapocline.devices.simulators import serving
from vapocline.devices.simulators.current_shot import Current

NAMED = "no wire: "  # what the names of such machines begin with on the line


@dataclass
class HandShot:
    """One shot by hand: where its cues stand, and everything said of it so far."""

    token: str
    program: Program
    time_s: float = 0.0
    phase: int = 0
    began_s: float = 0.0
    stopped_s: float | None = None
    said: list[Message] = field(default_factory=list)
    ended: bool = False

    def say(
        self, what: EventLineKind, phase: int | None = None, because: str | None = None
    ) -> None:
        """Add an event at this moment."""
        t = round(self.time_s, 4)
        said = EventLine(seq=len(self.said), t=t, what=what, phase=phase, because=because)
        self.said.append(said)

    def go_on(self) -> None:
        """To the next cue; after the last one only the stop is left."""
        if self.phase + 1 >= self.program.control.size:
            raise OrderError("that was the last cue: stop the shot")
        self.phase, self.began_s = self.phase + 1, self.time_s
        self.say("phase", self.phase, "hand")

    def stop(self, because: str) -> None:
        """The hand has stopped it; the last drips still fall."""
        self.stopped_s, self.phase = self.time_s, int(self.program.control.size)
        self.say("stop", None, because)

    def advance(self, time_s: float) -> None:
        """What the clock alone brings up to a moment."""
        self.time_s = time_s
        if self.stopped_s is None and time_s >= LONGEST_BY_HAND_S:
            self.stop("time_s")
        self.said.append(self._sample())
        if self.stopped_s is not None and time_s >= self.stopped_s + columns.TAIL_S:
            self.said.append(EndLine(seq=len(self.said)))
            self.ended = True

    def _sample(self) -> SampleLine:
        control, commanded = "off", None
        if self.stopped_s is None:
            control, commanded = CONTROLS[int(self.program.control[self.phase])], self._wanted()
        return SampleLine(
            seq=len(self.said),
            t=round(self.time_s, 4),
            at=round(time.time(), 4),
            commanded=commanded,
            control=control,
            phase=self.phase,
        )

    def _wanted(self) -> float | None:
        """The level of this moment; None at rest, and where only water or weight would tell."""
        program, i = self.program, self.phase
        moves = program.over[i] > 0 and program.start[i] != program.end[i]
        if program.control[i] == OFF or (moves and program.along[i] != ALONG_TIME):
            return None
        now = np.zeros(columns.NOW_COLUMNS)
        now[columns.TIME], now[columns.PHASE_TIME] = self.time_s, self.began_s
        return round(float(target_of(program, now, i)), 4)


class HandClock:
    """Takes the orders of a machine's line on behalf of one that has none."""

    def __init__(self, *, speed: float) -> None:
        """`speed` is for tests, as a simulated machine's."""
        self._speed = speed
        self._machine: Machine | None = None
        self._profile: Profile | None = None
        self._current = Current[HandShot]()
        self.packet_loss = serving.PacketLoss(np.random.default_rng(0))
        self.silent_s = serving.never_silent

    async def ready(self) -> None:
        """A clock knows the time."""

    def obey(self, order: Order) -> Reply:
        """Do as told. Raises DeviceError or OrderError with the reason where it cannot."""
        self._current.refuse_out_of_turn(order)
        token = None
        match order:
            case PlainOrder(do="status"):
                loaded = self._profile.name if self._profile else None
                return Reply(to=order.do, ok=True, machine=self._current.status(loaded))
            case Watch():
                self._current.refuse_other_shot(order)
            case BasketOrder():
                self._machine = serving.parsed(Setup, order.setup).machine
            case Load():
                self._profile = serving.parsed(Profile, order.profile)
            case Start():
                token = self._start(order.shot)
            case PlainOrder() | MarkIt():
                self._work(order)
            case _:
                raise OrderError("this machine is not connected: do it at the machine")
        return Reply(to=order.do, ok=True, name="Clock", shot=token)

    def _start(self, token: str) -> str:
        if self._profile is None or self._machine is None:
            raise DeviceError("no profile is loaded")
        shot = HandShot(token or secrets.token_hex(6), program_of(self._profile, self._machine))
        shot.say("phase", 0)
        return self._current.begin(shot, self._run(shot))

    def _work(self, order: PlainOrder | MarkIt) -> None:
        shot = self._current.running()
        if isinstance(order, PlainOrder) and shot.stopped_s is not None:
            raise OrderError("no shot is running")
        match order:
            case MarkIt(mark=mark):
                shot.say("mark", shot.phase, mark)
            case PlainOrder(do="stop"):
                shot.stop("hand")
            case PlainOrder(do="next" | "skip"):
                shot.go_on()
            case _:
                raise OrderError("this machine is not connected: do it at the machine")

    async def _run(self, shot: HandShot) -> None:
        async for tick in serving.ticks(TICK_S, self._speed):
            shot.advance(tick * TICK_S)
            await self._current.moved()
            if shot.ended:
                return

    async def tell(self, stream: serving.Stream, watch: Watch) -> None:
        """Everything said of the current shot from a number on, as it comes."""
        await self._current.tell(stream, watch)
