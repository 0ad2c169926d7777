"""Simulated machines: a process of its own behind a port, with truths it tells nobody.

Each name is a machine of its own. Its puck differs from the one predicted, from machine to machine
and from pull to pull, its gauges are noisy, and faults can be ordered, so that a shot
differs from its prediction as it would in life.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
import secrets
import time
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from vapocline.core.base.problems import DeviceError
from vapocline.core.machine.check import machine_problems
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import Phase, PressureCommand, Profile
from vapocline.core.puck import columns
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.plan import Setup
from vapocline.core.puck.program import ended_on
from vapocline.core.pull.simulation import TICK_S, ShotSimulation
from vapocline.devices.messages import (
    BasketOrder,
    CupLine,
    EndLine,
    EventLine,
    EventLineKind,
    GoWrong,
    Hold,
    Level,
    Load,
    MachineStatus,
    MarkIt,
    Message,
    Nudge,
    Order,
    PlainOrder,
    Reply,
    SampleLine,
    Start,
    Watch,
)
from vapocline.devices.simulators import serving
from vapocline.devices.simulators.current_shot import Current
from vapocline.devices.simulators.hand_clock import NAMED, HandClock
from vapocline.devices.simulators.truth import Course, MachineTruth, channelled

PRESSURE_NOISE_BAR = 0.04
FLOW_NOISE_ML_S = 0.05
WEIGHT_NOISE_G = 0.03
SCALE_STEP_G = 0.1
GROUP_NOISE_C = 0.1
TANK_ML = 1600.0
TRICKLE_ML_S = 0.002  # a pump that gives nothing: the kernel wants a little
CHANNEL_REHEARSED = 0.6  # of ln-permeability: one that shows in the curve
RELIEF_STUCK_BAR = 5.0  # where a relief valve opens that should not
CUP_G = 174.0
CUP_SAID_S = 0.5  # the cup is reported at least this often while nothing runs


@dataclass
class SimulatedShot:
    """One shot as it runs: the hidden puck, and everything said of it so far."""

    token: str
    simulation: ShotSimulation
    dice: np.random.Generator
    course: Course
    alone_s: float | None = None  # how long it runs on without a word of its desk
    left_alone: bool = False
    said: list[Message] = field(default_factory=list)
    phase_said: int = -1
    relief_said: bool = False
    ended: bool = False

    def say(self, what: EventLineKind, **rest: Any) -> None:
        """Add an event at this moment."""
        t = rest.pop("t", self.simulation.time_s)
        self.said.append(EventLine(seq=len(self.said), t=round(t, 4), what=what, **rest))


class SimulatedMachine:
    """The machine itself: takes orders, runs shots, keeps what it said for who connects again."""

    def __init__(self, *, seed: int, speed: float, calm: bool = False) -> None:
        """`speed` is for tests and the sample world: 1 is real time, 0 as fast as it can; a `calm`
        machine repeats as a known coffee does, see truth.py."""
        self._dice = np.random.default_rng(seed)
        self._truth = MachineTruth(self._dice, calm=calm)
        self._pair = self._preparation = ""
        self._speed = speed
        self._setup = Setup(dose_g=18)
        self._profile: Profile | None = None
        self._current = Current[SimulatedShot]()
        self._faults: dict[str, GoWrong] = {}
        self._poured = True
        self._tank_ml = TANK_ML
        self.packet_loss = serving.PacketLoss(np.random.default_rng(seed + 1))
        self.silent_s = serving.never_silent

    async def ready(self) -> None:
        """A machine knows itself."""

    def obey(self, order: Order) -> Reply:
        """Do as told. Raises DeviceError or OrderError with the reason where it cannot."""
        self._current.refuse_out_of_turn(order)
        token = None
        match order:
            case PlainOrder(do="status"):
                return Reply(to=order.do, ok=True, machine=self._status())
            case Watch(of="shot"):
                self._current.refuse_other_shot(order)
            case Watch():
                pass
            case BasketOrder():
                self._setup = serving.parsed(Setup, order.setup)
                self._pair = f"{order.coffee}|{order.grinder}"
                self._preparation = order.preparation
                self._put_right()
            case Load():
                self._profile = self._takes(serving.parsed(Profile, order.profile))
            case Start():
                token = self._start(order)
            case GoWrong():
                self.packet_loss.go_wrong(order)
                self._faults[order.fault] = order
            case PlainOrder() | Nudge() | Hold() | Level() | MarkIt():
                self._steer(order)
            case _:
                raise DeviceError("a machine does not support that")
        return Reply(to=order.do, ok=True, name="Simulated machine", shot=token)

    def _status(self) -> MachineStatus:
        level = self._setup.water_c + GROUP_NOISE_C * float(self._dice.normal())
        return self._current.status(
            self._profile.name if self._profile else None,
            group_c=round(level, 1),
            water_left_ml=0.0 if self._wrong("water_empty") else round(self._tank_ml),
        )

    def _takes(self, profile: Profile) -> Profile:
        """The profile, if this machine can run it."""
        problems = profile_problems(profile) + machine_problems(profile, self._setup.machine)
        if problems:
            raise DeviceError("; ".join(str(problem) for problem in problems))
        return profile

    def _steer(self, order: PlainOrder | Nudge | Hold | Level | MarkIt) -> None:
        """Everything that is for a running shot; what was done is said with its time."""
        shot = self._current.running()
        simulation, phase = shot.simulation, shot.simulation.phase
        match order:
            case Nudge(by=by):
                shot.say("nudge", phase=phase, because=simulation.nudge(by), value=by)
            case Hold(on=on):
                simulation.hold(on)
                shot.say("hold" if on else "go_on", phase=phase)
            case Level(level=level):
                simulation.hold_level(level)
            case MarkIt(mark=mark):
                shot.say("mark", phase=phase, because=mark)
            case PlainOrder(do="take"):
                control, level = simulation.take()
                shot.say("take", phase=phase, because=control, value=round(level, 3))
            case PlainOrder(do="give_back"):
                simulation.give_back()
                shot.say("give_back", phase=phase)
            case PlainOrder(do="stop"):
                simulation.stop()
            case PlainOrder(do="skip"):
                simulation.skip()
            case PlainOrder(do="next"):
                simulation.signal()
            case _:
                raise DeviceError("a machine does not support that")

    def _start(self, order: Start) -> str:
        if self._profile is None:
            raise DeviceError("no profile is loaded")
        nominal = parameters_for(self._setup)
        truth, course = self._truth.puck(nominal, self._pair, self._dice, self._preparation)
        if self._setup.insert:
            course = Course()  # a drilled disc stays as it is
        shot = SimulatedShot(
            token=order.shot or secrets.token_hex(6),
            alone_s=order.alone_s,
            simulation=ShotSimulation(
                self._profile, self._setup.machine, truth, by_hand=order.by_hand
            ),
            dice=np.random.default_rng(self._dice.integers(2**32)),
            course=course,
        )
        self._poured = False
        return self._current.begin(shot, self._run(shot, truth))

    async def _run(self, shot: SimulatedShot, truth: Parameters) -> None:
        """Advance the hidden puck by the clock and tell what the gauges show."""
        simulation = shot.simulation
        async for _ in serving.ticks(TICK_S, self._speed):
            simulation.parameters = shot.course.at(truth, simulation.time_s)
            self._go_wrong(shot, simulation.parameters)
            if shot.alone_s is not None and self.silent_s() > shot.alone_s and not shot.left_alone:
                shot.left_alone = True
                simulation.stop()
            before, water = simulation.sampled, simulation.state.now[columns.WATER]
            over = simulation.advance()
            self._tank_ml = max(0.0, self._tank_ml - (simulation.state.now[columns.WATER] - water))
            self._report(shot, before)
            if over:
                shot.said.append(EndLine(seq=len(shot.said)))
                shot.ended = True
            await self._current.moved()
            if shot.ended:
                break
        if self._tank_ml < TANK_ML / 2 and "water_empty" not in self._faults:
            self._tank_ml = TANK_ML  # somebody fills it up between shots

    def _put_right(self) -> None:
        """A new basket: the next cup is an empty one, and what failed for one shot works again."""
        self._poured = True
        for order in [one for one in self._faults.values() if one.at_s is not None]:
            del self._faults[order.fault]
            self.packet_loss.go_wrong(order.model_copy(update={"on": False}))

    def _wrong(self, fault: str, t: float = 0.0) -> bool:
        order = self._faults.get(fault)
        return order is not None and order.on and t >= (order.at_s or 0.0)

    def _go_wrong(self, shot: SimulatedShot, truth: Parameters) -> None:
        """Put the simulated faults that are on into a shot."""
        if not self._faults:
            return
        simulation, t = shot.simulation, shot.simulation.time_s
        dry = self._wrong("water_empty", t)
        if dry or self._wrong("pump_stall", t):
            truth = truth._replace(top_flow_ml_s=TRICKLE_ML_S)
            simulation.run.valve_flow_ml_s[:] = 0.0
            simulation.run.stroke_ml[:] = 0.0
        if self._wrong("relief_opens", t):
            truth = truth._replace(relief_bar=min(truth.relief_bar, RELIEF_STUCK_BAR))
        if self._wrong("channel", t):
            truth = channelled(truth, CHANNEL_REHEARSED)
        simulation.parameters = truth
        if self._wrong("scale_off", t) or self._wrong("cup_missing", t):
            simulation.run = simulation.run._replace(stop_cup_g=math.inf)
        if dry and not any(isinstance(m, EventLine) and m.what == "water_empty" for m in shot.said):
            shot.say("water_empty")

    def _report(self, shot: SimulatedShot, since: int) -> None:
        """New samples and events, as the gauges and the scale would show them."""
        simulation, sensors = shot.simulation, self._truth.sensors
        for at in range(since, simulation.sampled):
            row, command = simulation.samples[at], simulation.commands[at]
            t, phase = float(row[columns.S_TIME]), int(row[columns.S_PHASE])
            self._phases(shot, phase)
            if int(row[columns.S_BINDING]) & columns.BINDS_RELIEF and not shot.relief_said:
                shot.relief_said = True
                shot.say("relief", t=t)
            noise = shot.dice.normal(size=4)
            blind = self._wrong("scale_off", t)
            lifted = CUP_G if self._wrong("cup_missing", t) else 0.0
            weight = row[columns.S_CUP] + WEIGHT_NOISE_G * noise[2] - lifted
            group_c = float(simulation.state.now[columns.FEED_C]) - 0.1 * row[columns.S_Q_IN]
            shot.said.append(
                SampleLine(
                    seq=len(shot.said),
                    t=round(t, 4),
                    at=round(time.time(), 4),
                    pressure_bar=_gauge(
                        row[columns.S_P], sensors.gauge_bar + PRESSURE_NOISE_BAR * noise[0]
                    ),
                    water_ml_s=round(_metered(sensors.meter * row[columns.S_Q_IN], noise[1]), 3),
                    weight_g=None if blind else _weighed(weight),
                    group_c=round(group_c + GROUP_NOISE_C * noise[3], 2),
                    commanded=None if command.commanded is None else round(command.commanded, 4),
                    control=command.control,
                    phase=phase,
                    by_hand=None if command.by_hand is None else round(command.by_hand, 4),
                )
            )

    def _phases(self, shot: SimulatedShot, phase: int) -> None:
        """Say each phase that began and the stop, before the first sample that shows it."""
        simulation = shot.simulation
        phases, log = simulation.plan.control.size, simulation.state.log
        if math.isnan(log[0, 0]) and phase < phases:
            return  # the machine still does what it does before any program
        for begun in range(shot.phase_said + 1, min(phase, phases - 1) + 1):
            start = log[begun, 0]
            if not math.isnan(start):  # a stop skips the phases that were never reached
                because = ended_on(int(log[begun - 1, 2])) if begun else None
                shot.say("phase", t=start, phase=begun, because=because)
        if phase == phases and shot.phase_said < phases:
            code = int(simulation.state.now[columns.STOP_CODE])
            because = "left_alone" if shot.left_alone else ended_on(code)
            shot.say("stop", t=float(simulation.state.now[columns.STOP_T]), because=because)
        shot.phase_said = max(shot.phase_said, phase)

    async def tell(self, stream: serving.Stream, watch: Watch) -> None:
        """Everything said of the current shot from a number on, or of the cup, as it comes."""
        if watch.of == "cup":
            await self._tell_cup(stream)
        else:
            await self._current.tell(stream, watch)

    async def _tell_cup(self, stream: serving.Stream) -> None:
        """What truly is in the cup, for the scale and the refractometer, whenever it may change."""
        stream.packet_loss = serving.PacketLoss(stream.packet_loss.dice)
        with contextlib.suppress(ConnectionError):
            while True:
                await stream.send(self._cup())
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(CUP_SAID_S), self._current.news:
                        await self._current.news.wait()

    def _cup(self) -> CupLine:
        shot = self._current.shot
        row = (
            shot.simulation.samples[shot.simulation.sampled - 1]
            if shot and shot.simulation.sampled
            else None
        )
        t = 0.0 if shot is None else shot.simulation.time_s
        return CupLine(
            t=t,
            yield_g=0.0 if row is None or self._poured else float(row[columns.S_CUP]),
            tds_pct=0.0 if row is None else float(row[columns.S_TDS]),
            cup_g=0.0 if self._wrong("cup_missing", t) else CUP_G,
            sees=not self._wrong("scale_off", t),
        )


def _gauge(pressure: float, noise: float) -> float:
    return round(max(0.0, float(pressure) + noise), 3)


def _weighed(weight: float) -> float:
    return round(round(weight / SCALE_STEP_G) * SCALE_STEP_G, 3)


def _metered(flow_ml_s: float, noise: float) -> float:
    """A flow meter's reading: noisy in proportion, and silent when nothing flows."""
    return max(0.0, flow_ml_s + FLOW_NOISE_ML_S * noise) if flow_ml_s > 0.02 else 0.0


def load_kernel() -> None:
    """Have the compiled kernel at hand, so that the first order is answered at once."""
    held = Phase(name="Hold", kind="hold", command=PressureCommand(from_=9, to=9))
    profile, setup = Profile(name="Warm-up", phases=(held,)), Setup(dose_g=18)
    ShotSimulation(profile, setup.machine, parameters_for(setup)).advance()


async def serve_machines(*, port: int, seed: int, speed: float, calm: bool = False) -> None:
    """Every machine that is asked for by name, until cancelled."""
    load_kernel()

    def make(name: str) -> serving.SimulatedDevice:
        if serving.own_name(name).startswith(NAMED):
            return HandClock(speed=speed)
        return SimulatedMachine(seed=serving.seed_of(seed, name), speed=speed, calm=calm)

    await serving.listen(make, port)
