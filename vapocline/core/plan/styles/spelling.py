"""How a style's phases are written for a machine: by pressure, flow, valve, lever or switch alone.

A first spelling, for a puck as the reference one is; `fit` then solves the numbers for the puck at
hand. What a machine cannot do is written as the nearest it can.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from vapocline.core.machine.commands import LEAST_PUMP_BAR, levels_of
from vapocline.core.machine.machine import (
    HandLever,
    SoftStart,
    SpringLever,
    StagedProgram,
    ValveAhead,
)
from vapocline.core.profile.profile import (
    Along,
    Command,
    Exit,
    FlowCommand,
    ForceCommand,
    Kind,
    Limit,
    OffCommand,
    Phase,
    PressureCommand,
    SecondsExit,
    Shape,
    SpringCommand,
    ValveCommand,
)
from vapocline.core.puck.plan import Setup

REFERENCE_DOSE_G = 18.0
PRESSED_ML_S_PER_BAR = 0.2  # what a reference puck lets through once it drips
FALLING_ML_S_PER_BAR = 0.25  # where flow alone must make a pressure that falls
PRESSING_ML_S = 6.0  # with a pressure limit: the limit then makes the pressure
SOAK_ML_S = 2.0  # where a valve soaks
SOAK_BAR = 2.5  # where a machine without flow control fills and soaks
OPEN_SHARE = 0.75  # of a valve's turns: opened further, it hardly holds anything back
OPEN_ENOUGH = 0.97  # of the pump's pressure: nearer than this a valve stands wide open


@dataclass(frozen=True)
class Spelling:
    """Writes phases for one setup; flows are given for 18 g and go with the dose."""

    setup: Setup

    @property
    def by(self) -> str:
        """The machine's kind of control; a staged program's is of what it holds."""
        control = self.setup.machine.control
        return f"{control.holds}-loop" if isinstance(control, StagedProgram) else control.kind

    def ml_s(self, flow: float) -> float:
        """A flow given for 18 g, for this dose, within what the pump gives."""
        scaled = flow * self.setup.dose_g / REFERENCE_DOSE_G
        return round(min(scaled, self.setup.machine.top_flow_ml_s), 2)

    def bar(self, pressure: float) -> float:
        """A pressure within what the machine may build."""
        machine = self.setup.machine
        top = levels_of(machine).get("pressure", machine.relief_bar)
        if isinstance(machine.control, SpringLever | HandLever):
            top = machine.relief_bar
        if isinstance(machine.control, ValveAhead):
            top = min(machine.relief_bar, machine.control.pump_bar)
        return round(min(pressure, top, machine.relief_bar), 2)

    def flowing(
        self,
        name: str,
        kind: Kind,
        flow: float,
        *exits: Exit,
        top_bar: float | None = None,
        longest_s: float = 30,
    ) -> Phase:
        """Water at a flow, held under a pressure where one is given."""
        limit = Limit()
        match self.by:
            case "flow-loop" | "both-loops":
                command: Command = FlowCommand(from_=self.ml_s(flow), to=self.ml_s(flow))
                limit = Limit(pressure_bar=None if top_bar is None else self._limit(top_bar))
            case "valve":
                turns = self._turns(self.ml_s(flow))
                command = ValveCommand(from_=turns, to=turns)
                limit = Limit(pressure_bar=None if top_bar is None else self._limit(top_bar))
            case _:
                command = self._pressed(SOAK_BAR, SOAK_BAR)
        return _phase(name, kind, command, exits, longest_s, limit=limit)

    def pressing(
        self,
        name: str,
        kind: Kind,
        bar: float,
        to_bar: float | None = None,
        *exits: Exit,
        longest_s: float = 60,
        **move: Any,
    ) -> Phase:
        """Pressure at a level, or moving from one to another: along, over and shape as given."""
        end = bar if to_bar is None else to_bar
        command = self._pressed(self.bar(bar), self.bar(end))
        limit = Limit()
        if self.by == "flow-loop":  # the pressure is what stands in the flow's way
            limit = Limit(pressure_bar=self._limit(max(bar, end)))
        if self.by == "valve" and kind == "pre-infusion":
            turns = self._turns(self.ml_s(SOAK_ML_S))
            command = ValveCommand(from_=turns, to=turns)
        if isinstance(command, SpringCommand) or self.by == "soft-start":
            move = {}
        return _phase(name, kind, command, exits, longest_s, limit=limit, **move)

    def resting(self, name: str, seconds: float) -> Phase:
        """The pump off, for the puck to drink and give off its gas."""
        return _phase(name, "bloom", OffCommand(), (), seconds)

    def grind_makes_pressure(self, phase: Phase) -> bool:
        """Whether the flow is commanded in a phase, so that grind decides pressure, not time."""
        command, control = phase.command, self.setup.machine.control
        if isinstance(command, FlowCommand):
            return max(command.from_, command.to) < self.ml_s(PRESSING_ML_S)
        if isinstance(command, ValveCommand) and isinstance(control, ValveAhead):
            return max(command.from_, command.to) < OPEN_SHARE * control.turns[-1]
        return False

    def _limit(self, bar: float) -> float:
        return round(min(bar, self.setup.machine.relief_bar), 2)

    def _pressed(self, start: float, end: float) -> Command:  # noqa: PLR0911 - one a kind
        control = self.setup.machine.control
        match control:
            case ValveAhead():
                return ValveCommand(
                    from_=self._turns_under(start, control), to=self._turns_under(end, control)
                )
            case HandLever():
                kg = [round(bar / control.bar_per_kg, 1) for bar in (start, end)]
                return ForceCommand(from_=kg[0], to=kg[1])
            case SoftStart():
                return PressureCommand(from_=control.pump_bar, to=control.pump_bar)
            case SpringLever():
                return self._sprung(max(start, end), control)
        if self.by == "flow-loop":
            if end >= start:  # more than the puck takes: the limit makes the pressure
                return FlowCommand(from_=self.ml_s(PRESSING_ML_S), to=self.ml_s(PRESSING_ML_S))
            falls = [self.ml_s(FALLING_ML_S_PER_BAR * bar) for bar in (start, end)]
            return FlowCommand(from_=falls[0], to=falls[1])
        return PressureCommand(from_=start, to=end)

    def _sprung(self, bar: float, control: SpringLever) -> Command:
        if bar <= max(SOAK_BAR, control.line_bar):
            return PressureCommand(from_=control.line_bar, to=control.line_bar)
        tops = np.cumsum([spring.top_bar for spring in control.springs])
        allowed = [i for i, top in enumerate(tops) if top <= self.setup.machine.relief_bar] or [0]
        nearest = min(allowed, key=lambda i: abs(tops[i] - bar))
        return SpringCommand(springs=2 if nearest else 1)

    def _turns(self, flow: float) -> float:
        control = self.setup.machine.control
        assert isinstance(control, ValveAhead)
        return round(float(np.interp(flow, control.free_flow_ml_s, control.turns)), 2)

    def _turns_under(self, bar: float, control: ValveAhead) -> float:
        """The position that leaves a pressure once a reference puck drips, by the orifice law."""
        left = 1 - bar / max(control.pump_bar, LEAST_PUMP_BAR)
        if left <= 1 - OPEN_ENOUGH:
            return control.turns[-1]
        return self._turns(self.ml_s(PRESSED_ML_S_PER_BAR * bar) / left**0.5)


def _phase(
    name: str,
    kind: Kind,
    command: Command,
    exits: tuple[Exit, ...],
    longest_s: float,
    *,
    limit: Limit = Limit(),  # noqa: B008 - frozen
    along: Along = "time",
    over: float = 0,
    shape: Shape = "linear",
) -> Phase:
    return Phase(
        name=name,
        kind=kind,
        command=command,
        exits=(*exits, SecondsExit(value=longest_s)),
        limit=limit,
        along=along,
        over=over,
        shape=shape,
    )
