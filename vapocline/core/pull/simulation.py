"""One shot as it runs, and what hands do to it meanwhile: nudge, skip, hold, take over, stop.

The same steps serve the simulated machine, whose puck is hidden, and the replay of a shot so far on
a puck that is supposed.
"""

from __future__ import annotations

import math
from typing import Any, NamedTuple

import numpy as np

from vapocline.core.base.problems import OrderError
from vapocline.core.machine.commands import Variable, bar_per_unit, top_of
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import Phase, Profile
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.actuator import target_of
from vapocline.core.puck.parameters import Parameters, record_of
from vapocline.core.puck.predict import CELLS, STEP_S
from vapocline.core.puck.program import BY_HAND, CONTROLS, LINEAR, OFF, VALVE, Program, program_of
from vapocline.core.pull.steering import in_force, taken_over_with, worked_by_hand

TICK_S = 0.05  # 20 readings a second
VALVE_LAG_S = 0.25  # a needle is turned, not thrown: ours
LONGEST_BY_HAND_S = 180.0


class Commanded(NamedTuple):
    """What was asked of the machine at one sample: the plan's level, and the one a hand holds."""

    commanded: float | None
    control: str
    by_hand: float | None


class ShotSimulation:
    """A shot from pump on, advanced tick by tick; `plan` stays as it was, `run` is what is done."""

    def __init__(
        self,
        profile: Profile,
        machine: Machine,
        parameters: Parameters,
        *,
        by_hand: bool = False,
        cells: int = CELLS,
        step_s: float = STEP_S,
    ) -> None:
        """With `by_hand` the level, or each step, is the hand's from the first tick on."""
        self.profile, self.machine, self.parameters = profile, machine, parameters
        self.plan = program_of(profile, machine)
        self.run = _copied(self.plan)
        self.by_hand = worked_by_hand(machine) if by_hand else None
        if self.by_hand is not None:
            self._leave_to_the_hand()
        rows = int((self.run.stop_time_s + columns.TAIL_S) / TICK_S) + 2
        self.samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
        self.state = columns.fresh_state(parameters, self.plan.control.size, cells)
        self.commands: list[Commanded] = []
        self.level: float | None = 0.0 if self.by_hand == "level" else None
        self.over = False
        self._step_s = step_s
        self._offsets: dict[str, float] = {}
        self._stale = False
        self._needle: float | None = None
        self._held_with: Variable = "pressure"
        self._ticks = 0
        self._recorded: tuple[Parameters, Parameters] | None = None
        self._command()

    def _record(self) -> Parameters:
        """The parameters as the kernel takes them, made again only where they are others."""
        if self._recorded is None or self._recorded[0] is not self.parameters:
            self._recorded = self.parameters, record_of(self.parameters)
        return self._recorded[1]

    @property
    def time_s(self) -> float:
        """Seconds from pump on."""
        return float(self.state.now[columns.TIME])

    @property
    def phase(self) -> int:
        """The phase that runs; their number once the shot has stopped."""
        return int(self.state.now[columns.PHASE])

    @property
    def stopped(self) -> bool:
        """Whether the pump has stopped; drips may still fall."""
        return self.phase >= self.plan.control.size

    @property
    def in_preamble(self) -> bool:
        """Whether the machine still does what it does before any program."""
        return self.time_s < self.parameters.preamble_s - 1e-9

    @property
    def held(self) -> bool:
        """Whether the phase stands still."""
        return bool(self.state.now[columns.HOLD] > 0)

    def advance(self) -> bool:
        """One tick further; True when the last drips are in."""
        if self.over:
            return True
        self._command()
        self._ticks += 1
        self.over = kernel.advance(
            self.state,
            self.run,
            self._record(),
            self.samples,
            self._ticks * TICK_S,
            self._step_s,
            TICK_S,
        )
        while len(self.commands) < self.sampled:
            self.commands.append(self._commanded_now())
        return self.over

    def advance_to(self, until_s: float) -> None:
        """As many ticks at once as nobody interferes in; their commands are not kept."""
        self._command()
        self.over = kernel.advance(
            self.state,
            self.run,
            self._record(),
            self.samples,
            float(until_s),  # a whole number would have the kernel compiled again
            self._step_s,
            TICK_S,
        )
        self._ticks = round(self.time_s / TICK_S)

    @property
    def sampled(self) -> int:
        """How many samples there are."""
        return int(self.state.now[columns.SAMPLES])

    def nudge(self, by: float) -> Variable:
        """Change the variable in force, now and in later phases; returns which it is.

        Raises OrderError where there is none to change, or no room left.
        """
        phase = self._running()
        if self.level is not None:
            self.hold_level(self.level + by)
            return self._hand_control(phase)
        control = in_force(self.machine, phase)
        if control is None:
            raise OrderError(f"nothing to nudge in {phase.name}: {_why_not(phase)}")
        offset = round(self._offsets.get(control, 0.0) + by, 6)
        top = top_of(control, self.machine)
        level = self._planned() / bar_per_unit(control, self.machine)
        if not -1e-9 <= level + offset <= top + 1e-9:
            raise OrderError(f"{control} goes from 0 to {top:g}")
        self._offsets[control] = offset
        self._stale = True
        return control

    def skip(self) -> None:
        """Go on to the next phase now. Raises OrderError when none runs."""
        self._running()
        self.state.now[columns.SKIP] = 1.0

    def signal(self) -> None:
        """The hand signal that some phases wait for."""
        self._running()
        self.state.now[columns.HAND] = 1.0

    def hold(self, on: bool) -> None:
        """Let the phase stand still at its level, or go on; a stop still counts."""
        self._running()
        if not on and self.level is not None and self.by_hand is None:
            raise OrderError("the level is held by hand: return control first")
        self.state.now[columns.HOLD] = float(on)

    def take(self) -> tuple[Variable, float]:
        """Take over by hand at the level of this moment; returns the variable and the level."""
        phase = self._running()
        control = taken_over_with(self.machine, phase)
        if control is None:
            raise OrderError(f"{self.machine.name} has no level to control by hand")
        self.state.now[columns.HOLD] = 1.0
        if self.level is None:
            self.level = self._standing(control)
        self._held_with = control
        return control, self.level

    def hold_level(self, level: float) -> float:
        """Set the level the hand holds, within what the machine takes; returns it."""
        phase = self._running()
        if self.level is None:
            raise OrderError("nobody has taken control")
        control = self._hand_control(phase)
        self.level = min(max(0.0, level), top_of(control, self.machine))
        return self.level

    def give_back(self) -> None:
        """Let the program go on where it was taken over."""
        self._running()
        if self.level is None or self.by_hand is not None:
            raise OrderError("nobody has taken control")
        self.level = None
        self._stale = True
        self.state.now[columns.HOLD] = 0.0

    def stop(self) -> None:
        """End the shot now."""
        self._running()
        self.state.now[columns.HAND_STOP] = 1.0

    def _running(self) -> Phase:
        if self.stopped or self.over:
            raise OrderError("no shot is running")
        return self.profile.phases[self.phase]

    def _leave_to_the_hand(self) -> None:
        """The stop is the hand's, and so is every step of a machine that has no level."""
        when = self.run.exit_when
        if self.by_hand == "steps":
            when[:] = -1
            when[:, 0] = BY_HAND
        when[-1] = -1  # after the last cue comes nothing but the stop
        self.run = self.run._replace(
            stop_cup_g=math.inf,
            stop_water_ml=math.inf,
            stop_time_s=max(self.run.stop_time_s, LONGEST_BY_HAND_S),
        )

    def _hand_control(self, phase: Phase) -> Variable:
        control = taken_over_with(self.machine, phase)
        if self.by_hand is None:
            return self._held_with
        assert control is not None
        return control

    def _command(self) -> None:
        """Write into the running program what is asked for in the coming tick."""
        i = self.phase
        if i >= self.plan.control.size:
            return
        if self.level is not None:
            control = self._hand_control(self.profile.phases[i])
            rows = slice(None) if self.by_hand else slice(i, i + 1)
            level = self.level * bar_per_unit(control, self.machine)
            if control == "valve":
                level = self._turned(level)
            self._set(rows, CONTROLS.index(control), level)
            return
        if self._stale:
            self._as_planned(i)
            self._stale = False
        if self.run.control[i] == VALVE:
            self._set(slice(i, i + 1), VALVE, self._turned(self._planned() + self._offset(VALVE)))

    def _set(self, rows: slice, control: int, level: float) -> None:
        run = self.run
        run.control[rows], run.start[rows], run.end[rows] = control, level, level
        run.over[rows], run.shape[rows], run.limit[rows] = 0.0, LINEAR, math.inf
        if run.stroke_ml[rows].min() == math.inf:
            run.stroke_ml[rows] = self.plan.stroke_ml.min()

    def _as_planned(self, i: int) -> None:
        """The plan's rows from here on, each moved by its variable's offset."""
        plan, run = self.plan, self.run
        for name in ("control", "over", "shape", "limit", "stroke_ml"):
            getattr(run, name)[i:] = getattr(plan, name)[i:]
        for row in range(i, plan.control.size):
            code = int(plan.control[row])
            offset, top = self._offset(code), self._top(code)
            run.start[row] = min(max(0.0, plan.start[row] + offset), top)
            run.end[row] = min(max(0.0, plan.end[row] + offset), top)

    def _offset(self, code: int) -> float:
        """The offset on a control, in the kernel's terms."""
        name = CONTROLS[code]
        offset = self._offsets.get(name, 0.0)
        return offset * bar_per_unit(name, self.machine) if offset else 0.0  # type: ignore[arg-type]

    def _top(self, code: int) -> float:
        name = CONTROLS[code]
        if not self._offsets.get(name):
            return math.inf  # as planned: the check has let it pass
        return top_of(name, self.machine) * bar_per_unit(name, self.machine)  # type: ignore[arg-type]

    def _turned(self, turns: float) -> float:
        """Where the needle stands after this tick, following what is asked with its lag."""
        was = turns if self._needle is None else self._needle
        self._needle = was + (turns - was) * (1.0 - math.exp(-TICK_S / VALVE_LAG_S))
        return self._needle

    def _planned(self) -> float:
        """The plan's own level at this moment, in the kernel's terms."""
        return float(target_of(self.plan, self.state.now, self.phase))

    def _standing(self, control: Variable) -> float:
        """The level to start from when a hand takes over."""
        now, unit = self.state.now, bar_per_unit(control, self.machine)
        if in_force(self.machine, self.profile.phases[self.phase]) == control:
            code = CONTROLS.index(control)
            level = (self._planned() + self._offset(code)) / unit
        else:
            level = float({"flow": now[columns.Q_IN]}.get(control, now[columns.P])) / unit
            level = 0.0 if control == "valve" else level
        return min(max(0.0, level), top_of(control, self.machine))

    def _commanded_now(self) -> Commanded:
        i = self.phase
        if i >= self.plan.control.size or self.in_preamble:
            return Commanded(None, "off", self.level if self.by_hand else None)
        control = CONTROLS[int(self.plan.control[i])]
        if self.by_hand is not None:
            asked = None if self.plan.control[i] == OFF else self._planned()
            return Commanded(asked, control, self.level)
        if self.level is not None:
            held = self._hand_control(self.profile.phases[i])
            return Commanded(self.level * bar_per_unit(held, self.machine), held, self.level)
        if self.plan.control[i] == OFF:
            return Commanded(None, control, None)
        if self.plan.control[i] == VALVE:
            return Commanded(self._planned() + self._offset(VALVE), control, None)
        return Commanded(float(target_of(self.run, self.state.now, i)), control, None)


def _copied(program: Program) -> Program:
    """The same program with arrays of its own, to be written into."""
    arrays: dict[str, Any] = {
        name: part.copy()
        for name, part in program._asdict().items()
        if isinstance(part, np.ndarray)
    }
    return program._replace(**arrays)


def _why_not(phase: Phase) -> str:
    return {
        "off": "the pump is off",
        "spring": "the spring presses by itself",
    }.get(phase.command.control, "the machine can only be switched on and off")
