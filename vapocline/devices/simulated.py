"""A simulated machine and scale: a process of its own behind a port, with truths it tells nobody.

Its puck differs from the one predicted, from machine to machine and from pull to pull, and its
gauges are noisy, so that a shot differs from its prediction as it would in life.
"""

from __future__ import annotations

import asyncio
import contextlib
import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import ValidationError

from vapocline.core.check import machine_problems, profile_problems
from vapocline.core.plan import Setup
from vapocline.core.problems import DeviceError, refused_by_pydantic
from vapocline.core.profile import Profile
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.parameters import Parameters, parameters_for, record_of
from vapocline.core.puck.predict import CELLS, STEP_S
from vapocline.core.puck.program import CONTROLS, Program, ended_on, program_of
from vapocline.devices.messages import (
    LONGEST_LINE,
    EndLine,
    EventLine,
    Message,
    Order,
    Reply,
    SampleLine,
    read_order,
    written,
)

SAMPLE_S = 0.05  # 20 readings a second
PRESSURE_NOISE_BAR = 0.04
FLOW_NOISE_ML_S = 0.05
WEIGHT_NOISE_G = 0.03
SCALE_STEP_G = 0.1
GROUP_NOISE_C = 0.1

# How far the hidden truth strays, as the standard deviation of a factor's logarithm: once for the
# machine, and again for each pull. Sizes are ours: pulls repeat within a second or two.
MACHINE_SPREAD = {"permeability": 0.06, "head_free_ml": 0.1, "pressure_lag_s": 0.15}
PULL_SPREAD = {
    "permeability": 0.05,
    "gas_ml_g": 0.08,
    "bright_per_s": 0.04,
    "sweet_per_s": 0.04,
    "bitter_per_s": 0.04,
    "uptake_tau_s": 0.08,
    "fines_rate": 0.12,
}


@dataclass
class Shot:
    """One shot as it runs: the hidden puck, and everything said of it so far."""

    program: Program
    parameters: Parameters
    state: columns.State
    samples: np.ndarray[Any, np.dtype[np.float64]]
    dice: np.random.Generator
    said: list[Message] = field(default_factory=list)
    read: int = 0
    phase_said: int = -1
    ended: bool = False


class SimulatedMachine:
    """The machine itself: takes orders, runs shots, keeps what it said for who connects again."""

    def __init__(self, *, seed: int, speed: float) -> None:
        """`speed` is for tests and the sample world: 1 is real time, 0 as fast as it can."""
        self._dice = np.random.default_rng(seed)
        self._bias = _factors(MACHINE_SPREAD, self._dice)
        self._speed = speed
        self._setup = Setup(dose_g=18)
        self._profile: Profile | None = None
        self._shot: Shot | None = None
        self._running: asyncio.Task[None] | None = None
        self._news = asyncio.Condition()

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        """One connection: orders in, replies and the watched shot out."""
        watching: asyncio.Task[None] | None = None
        try:
            while raw := await reader.readline():
                reply, order = self._answer(raw)
                writer.write(written(reply))
                if reply.ok and order and order.do == "watch" and watching is None:
                    watching = asyncio.create_task(self._tell(writer, order.since))
                await writer.drain()
        except (ConnectionError, asyncio.LimitOverrunError, ValueError):
            pass  # the other end is gone or speaks no lines: the shot goes on without it
        except asyncio.CancelledError:
            return  # we are closing down; asyncio's streams would print this as a fault
        finally:
            if watching:
                watching.cancel()
            writer.close()

    def _answer(self, raw: bytes) -> tuple[Reply, Order | None]:
        order = None
        try:
            order = read_order(raw)
            self._obey(order)
        except DeviceError as error:
            return Reply(to=order.do if order else "unknown", ok=False, error=str(error)), order
        return Reply(to=order.do, ok=True, name="Simulated machine"), order

    def _obey(self, order: Order) -> None:
        """Do as told. Raises DeviceError with the reason where it cannot."""
        match order.do:
            case "hello" | "watch":
                return
            case "basket":
                self._refuse_while_running()
                self._setup = _parsed(Setup, order.setup)
            case "load":
                self._refuse_while_running()
                self._profile = self._takes(_parsed(Profile, order.profile))
            case "start":
                self._refuse_while_running()
                self._start()
            case "stop":
                self._signal(columns.HAND_STOP)
            case "next":
                self._signal(columns.HAND)

    def _takes(self, profile: Profile) -> Profile:
        """The profile, if this machine can run it."""
        problems = profile_problems(profile) + machine_problems(profile, self._setup.machine)
        if problems:
            raise DeviceError("; ".join(str(problem) for problem in problems))
        return profile

    def _refuse_while_running(self) -> None:
        if self._shot and not self._shot.ended:
            raise DeviceError("a shot is running")

    def _signal(self, what: int) -> None:
        if self._shot is None or self._shot.ended:
            raise DeviceError("no shot is running")
        self._shot.state.now[what] = 1.0

    def _start(self) -> None:
        if self._profile is None:
            raise DeviceError("no profile is loaded")
        truth = parameters_for(self._setup)
        for spread in (self._bias, _factors(PULL_SPREAD, self._dice)):
            truth = truth._replace(
                **{name: getattr(truth, name) * factor for name, factor in spread.items()}
            )
        program = program_of(self._profile, self._setup.machine)
        rows = int((program.stop_time_s + columns.TAIL_S) / SAMPLE_S) + 2
        self._shot = Shot(
            program=program,
            parameters=truth,
            state=columns.fresh_state(truth, program.control.size, CELLS),
            samples=np.zeros((rows, columns.SAMPLE_COLUMNS)),
            dice=np.random.default_rng(self._dice.integers(2**32)),
        )
        self._running = asyncio.create_task(self._run(self._shot))

    async def _run(self, shot: Shot) -> None:
        """Advance the hidden puck by the clock and tell what the gauges show."""
        clock = asyncio.get_running_loop().time
        began, t, over = clock(), 0.0, False
        while not over:
            t += SAMPLE_S
            if self._speed > 0:
                await asyncio.sleep(max(0.0, began + t / self._speed - clock()))
            else:
                await asyncio.sleep(0)
            over = kernel.advance(
                shot.state,
                shot.program,
                record_of(shot.parameters),
                shot.samples,
                t,
                STEP_S,
                SAMPLE_S,
            )
            _report(shot)
            if over:
                shot.said.append(EndLine(seq=len(shot.said)))
                shot.ended = True
            async with self._news:
                self._news.notify_all()

    async def _tell(self, writer: asyncio.StreamWriter, since: int) -> None:
        """Everything said of the current shot from a number on, as it comes."""
        shot = self._shot
        if shot is None:
            return
        told = since
        with contextlib.suppress(ConnectionError):
            while True:
                for message in shot.said[told:]:
                    writer.write(written(message))
                told = max(told, len(shot.said))
                await writer.drain()
                if shot.ended and told >= len(shot.said):
                    return
                async with self._news:
                    while len(shot.said) <= told:
                        await self._news.wait()


def _parsed(kind: Any, value: Any) -> Any:
    try:
        return kind.model_validate(value)
    except ValidationError as error:
        raise DeviceError(str(refused_by_pydantic(error))) from error


def _factors(spread: dict[str, float], dice: np.random.Generator) -> dict[str, float]:
    return {name: math.exp(dice.normal(0.0, width)) for name, width in spread.items()}


def _report(shot: Shot) -> None:
    """New samples and events since the last report, as the gauges and the scale would show them."""
    phases = shot.program.control.size
    while shot.read < int(shot.state.now[columns.SAMPLES]):
        row = shot.samples[shot.read]
        shot.read += 1
        _events(shot, int(row[columns.S_PHASE]))
        phase = int(row[columns.S_PHASE])
        commanded = float(row[columns.S_TARGET])
        noise = shot.dice.normal(size=4)
        weight = row[columns.S_CUP] + WEIGHT_NOISE_G * noise[2]
        shot.said.append(
            SampleLine(
                seq=len(shot.said),
                t=round(float(row[columns.S_TIME]), 4),
                pressure_bar=round(max(0.0, row[columns.S_P] + PRESSURE_NOISE_BAR * noise[0]), 3),
                water_ml_s=round(_metered(row[columns.S_Q_IN], noise[1]), 3),
                weight_g=round(round(weight / SCALE_STEP_G) * SCALE_STEP_G, 3),
                group_c=round(
                    shot.parameters.water_c - 0.1 * row[columns.S_Q_IN] + GROUP_NOISE_C * noise[3],
                    2,
                ),
                commanded=None if math.isnan(commanded) else round(commanded, 4),
                control=CONTROLS[shot.program.control[phase]] if phase < phases else "off",
                phase=phase,
            )
        )


def _metered(flow_ml_s: float, noise: float) -> float:
    """A flow meter's reading: noisy in proportion, and silent when nothing flows."""
    return max(0.0, flow_ml_s + FLOW_NOISE_ML_S * noise) if flow_ml_s > 0.02 else 0.0


def _events(shot: Shot, phase: int) -> None:
    """Say each phase that began and the stop, before the first sample that shows it."""
    phases = shot.program.control.size
    for begun in range(shot.phase_said + 1, min(phase, phases - 1) + 1):
        start = shot.state.log[begun, 0]
        if not math.isnan(start):  # a stop skips the phases that were never reached
            because = ended_on(int(shot.state.log[begun - 1, 2])) if begun else None
            shot.said.append(
                EventLine(
                    seq=len(shot.said),
                    t=round(start, 4),
                    what="phase",
                    phase=begun,
                    because=because,
                )
            )
    if phase == phases and shot.phase_said < phases:
        because = ended_on(int(shot.state.now[columns.STOP_CODE]))
        t = round(float(shot.state.now[columns.STOP_T]), 4)
        shot.said.append(EventLine(seq=len(shot.said), t=t, what="stop", because=because))
    shot.phase_said = max(shot.phase_said, phase)


async def serve_forever(*, port: int, seed: int, speed: float) -> None:
    """Listen on loopback until cancelled; prints the port it took, for who started it."""
    machine = SimulatedMachine(seed=seed, speed=speed)
    server = await asyncio.start_server(
        machine.serve, host="127.0.0.1", port=port, limit=LONGEST_LINE
    )
    async with server:
        print(server.sockets[0].getsockname()[1], flush=True)
        await server.serve_forever()
