"""Moves: one change of a plan each, pure. A move that has no place in a plan gives None."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import Literal, NamedTuple

from vapocline.core.base.quantities import RANGES
from vapocline.core.profile.profile import (
    CupExit,
    Exit,
    FirstDripExit,
    FlowCommand,
    Phase,
    PressureAboveExit,
    PressureCommand,
    SecondsExit,
)
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan

# What one step of a move is. Ours, as large as a cup may show.
TIME_SHARE = 0.10
TIME_BY_SIZE = -2.4  # how ln-time follows ln-size, nearly
RATIO_SHARE, SHORT_DRINK = 0.10, 1.25
SOAK_S, SOAK_G, TAIL_S, PRESS_S = 2.0, 1.0, 2.0, 1.5
WATER_C, DOSE_G, PEAK_BAR, FILL_SHARE, FLOW_SHARE = 1.0, 0.5, 1.0, 0.7, 0.1
LEAST_SOAK_G, LEAST_PEAK_BAR = 1.0, 1.0
LEAST_SOAK_S, LEAST_PRESS_S, LEAST_TAIL_S = 2.0, 1.0, 3.0
TAIL_BAR, LEAST_TAIL_BAR = 0.8, 1.0
NEW_SOAK_BAR, NEW_SOAK_S = 2.5, 6.0
BAND_BAR, NEAR_BAND_BAR = 7.5, 0.5  # the middle of 6 to 9 bar
FALL_SHARE = 0.6  # how far a new falling end falls
SOAKS, PRESSES = ("pre-infusion", "bloom"), ("hold",)

Where = Literal["grind", "dose", "drink", "water", "profile"]


class Before(NamedTuple):
    """A plan and how its shot is predicted to run."""

    plan: Plan
    shot: Prediction

    def lasted_s(self, index: int) -> float | None:
        """How long a phase runs; None where the shot never comes to its end."""
        run = self.shot.phases[index]
        if run.start_s is None or run.end_s is None:
            return None
        return run.end_s - run.start_s


PlanChanger = Callable[[Before], Plan | None]


class Move(NamedTuple):
    """One change: its key, what it is in words, what of the bench or plan it changes, and how.

    `opposite` undoes it, so that evidence on one speaks of the other.
    """

    key: str
    words: str
    where: Where
    change: PlanChanger
    opposite: str | None = None


def _grind(time_share: float) -> PlanChanger:
    """Finer or coarser, so that the time changes by a share."""

    def change(before: Before) -> Plan | None:
        size = before.plan.setup.grind_um * (1 + time_share) ** (1 / TIME_BY_SIZE)
        return _with_setup(before.plan, "grind_um", round(size))

    return change


def _setup(field: str, by: float) -> PlanChanger:
    def change(before: Before) -> Plan | None:
        now = float(getattr(before.plan.setup, field))
        return _with_setup(before.plan, field, round(now + by, 1))

    return change


def _with_setup(plan: Plan, field: str, value: float) -> Plan | None:
    bounds = RANGES[field]
    if not bounds.low <= value <= bounds.high:
        return None
    return plan.model_copy(update={"setup": plan.setup.model_copy(update={field: value})})


def _drink(share: float) -> PlanChanger:
    """More or less drink from the same dose."""

    def change(before: Before) -> Plan | None:
        cup = before.plan.profile.stop.cup_g
        if cup is None:
            return None
        stop = before.plan.profile.stop.model_copy(update={"cup_g": round(cup * share * 2) / 2})
        return _with(before.plan, stop=stop)

    return change


def _soak(by_s: float) -> PlanChanger:
    """A soak longer or shorter; without one, longer adds one before the press."""

    def change(before: Before) -> Plan | None:
        at = soak_of(before.plan.profile.phases)
        if at is None:
            return _new_soak(before.plan) if by_s > 0 else None
        phase = before.plan.profile.phases[at]
        drops = [one for one in phase.exits if isinstance(one, CupExit)]
        if drops:
            grams = round(drops[0].value + math.copysign(SOAK_G, by_s), 1)
            if grams < LEAST_SOAK_G:
                return _soak_until_drip(before)
            return _with_exit(before.plan, at, CupExit(value=grams))
        lasted = before.lasted_s(at)
        if lasted is None or lasted + by_s < LEAST_SOAK_S:
            return None
        kept = [one for one in phase.exits if not isinstance(one, FirstDripExit | SecondsExit)]
        exits = (*kept, SecondsExit(value=round(lasted + by_s, 1)))
        return _with_phase(before.plan, at, phase.model_copy(update={"exits": exits}))

    return change


def soak_of(phases: Sequence[Phase]) -> int | None:
    """Where the soak is: what ends as soon as there is pressure only fills."""
    return next(
        (
            at
            for at, phase in enumerate(phases)
            if phase.kind in SOAKS
            and not any(isinstance(one, PressureAboveExit) for one in phase.exits)
        ),
        None,
    )


def _new_soak(plan: Plan) -> Plan | None:
    at = _first(plan, ("ramp", "hold", "decline"))
    if at is None:
        return None
    soak = Phase(
        name="Soak",
        kind="pre-infusion",
        command=PressureCommand(from_=NEW_SOAK_BAR, to=NEW_SOAK_BAR),
        exits=(SecondsExit(value=NEW_SOAK_S),),
    )
    phases = plan.profile.phases
    return _with(plan, phases=(*phases[:at], soak, *phases[at:]))


def _soak_until_drip(before: Before) -> Plan | None:
    """End the soak at the first drip."""
    at = soak_of(before.plan.profile.phases)
    if at is None:
        return None
    phase = before.plan.profile.phases[at]
    if any(isinstance(one, FirstDripExit) for one in phase.exits):
        return None
    exits = (FirstDripExit(), *(one for one in phase.exits if not isinstance(one, CupExit)))
    return _with_phase(before.plan, at, phase.model_copy(update={"exits": exits}))


def _press(by_s: float) -> PlanChanger:
    """A press longer or shorter before what follows it; there must be something after it."""

    def change(before: Before) -> Plan | None:
        at = _first(before.plan, PRESSES)
        if at is None or at == len(before.plan.profile.phases) - 1:
            return None
        lasted = before.lasted_s(at)
        if lasted is None or lasted + by_s < LEAST_PRESS_S:
            return None
        return _with_exit(before.plan, at, SecondsExit(value=round(lasted + by_s, 1)))

    return change


def _falling_end(before: Before) -> Plan | None:
    """Let a press that ends the shot fall over its second half."""
    phases = before.plan.profile.phases
    last = phases[-1]
    lasted = before.lasted_s(len(phases) - 1)
    level = last.command
    if last.kind != "hold" or lasted is None or not isinstance(level, PressureCommand):
        return None
    held = last.model_copy(update={"exits": (SecondsExit(value=round(lasted / 2, 1)),)})
    fall = Phase(
        name="Fall",
        kind="decline",
        command=PressureCommand(from_=level.to, to=round(level.to * FALL_SHARE, 1)),
        over=round(lasted / 2, 1),
        exits=last.exits,
    )
    return _with(before.plan, phases=(*phases[:-1], held, fall))


def _peak(by_bar: float) -> PlanChanger:
    """The highest commanded pressure lower or higher, wherever it is commanded."""

    def change(before: Before) -> Plan | None:
        pressures = [
            phase.command
            for phase in before.plan.profile.phases
            if isinstance(phase.command, PressureCommand)
        ]
        ends = [bar for one in pressures for bar in (one.from_, one.to)]
        if not ends:
            return None
        peak = max(ends)
        aim = round(peak + by_bar, 1)
        if aim < max(LEAST_PEAK_BAR, min(ends)):
            return None
        least = min(peak, aim)  # what is moved: the peak, and what would stand above a lower one
        phases = tuple(_topped(phase, least, aim) for phase in before.plan.profile.phases)
        return _with(before.plan, phases=phases)

    return change


def _topped(phase: Phase, least: float, aim: float) -> Phase:
    """A phase whose pressures from `least` on are brought to `aim`."""
    command = phase.command
    if not isinstance(command, PressureCommand):
        return phase
    from_, to = (aim if bar >= least else bar for bar in (command.from_, command.to))
    return phase.model_copy(update={"command": PressureCommand(from_=from_, to=to)})


def _gentler_fill(before: Before) -> Plan | None:
    """Fill with less flow."""
    at = _first(before.plan, ("fill", "pre-infusion"), of=FlowCommand)
    if at is None:
        return None
    return _flow_times(before.plan, at, FILL_SHARE)


def _flow(share: float) -> PlanChanger:
    """What a phase that commands flow after the filling aims at, less or more."""

    def change(before: Before) -> Plan | None:
        at = _first(before.plan, ("hold", "decline", "ramp"), of=FlowCommand)
        return None if at is None else _flow_times(before.plan, at, 1 + share)

    return change


def _flow_for_pressure(before: Before) -> Plan | None:
    """A commanded flow at which the puck's resistance gives the middle of the pressure band."""
    peak_bar = before.shot.peak_pressure_bar.value
    at = _first(before.plan, ("hold", "decline", "ramp"), of=FlowCommand)
    if at is None or peak_bar is None or peak_bar < BAND_BAR + NEAR_BAND_BAR:
        return None
    return _flow_times(before.plan, at, BAND_BAR / peak_bar)


def _flow_times(plan: Plan, at: int, share: float) -> Plan:
    phase = plan.profile.phases[at]
    command = phase.command
    assert isinstance(command, FlowCommand)
    flow = FlowCommand(from_=round(command.from_ * share, 2), to=round(command.to * share, 2))
    return _with_phase(plan, at, phase.model_copy(update={"command": flow}))


def _tail(by_s: float) -> PlanChanger:
    """A fall along time, longer or shorter; along the cup it takes longer the further it falls."""

    def change(before: Before) -> Plan | None:
        at = _first(before.plan, ("decline",))
        if at is None:
            return None
        phase = before.plan.profile.phases[at]
        if phase.along != "time":
            return _falls_further(before.plan, at, math.copysign(TAIL_BAR, by_s))
        over = round(phase.over + by_s, 1)
        if over < LEAST_TAIL_S:
            return None
        return _with_phase(before.plan, at, phase.model_copy(update={"over": over}))

    return change


def _falls_further(plan: Plan, at: int, by_bar: float) -> Plan | None:
    command = plan.profile.phases[at].command
    if not isinstance(command, PressureCommand):
        return None
    to = round(command.to - by_bar, 1)
    if not LEAST_TAIL_BAR <= to < command.from_:
        return None
    fall = PressureCommand(from_=command.from_, to=to)
    return _with_phase(plan, at, plan.profile.phases[at].model_copy(update={"command": fall}))


def _first(plan: Plan, kinds: Sequence[str], of: type | None = None) -> int | None:
    """The first phase of these kinds, and of a command where one is asked for."""
    return next(
        (
            at
            for at, phase in enumerate(plan.profile.phases)
            if phase.kind in kinds and (of is None or isinstance(phase.command, of))
        ),
        None,
    )


def _with_exit(plan: Plan, at: int, rule: Exit) -> Plan:
    """The phase ended by this rule instead of one like it, or beside the others."""
    phase = plan.profile.phases[at]
    kept = tuple(one for one in phase.exits if type(one) is not type(rule))
    return _with_phase(plan, at, phase.model_copy(update={"exits": (rule, *kept)}))


def _with_phase(plan: Plan, at: int, phase: Phase) -> Plan:
    phases = plan.profile.phases
    return _with(plan, phases=(*phases[:at], phase, *phases[at + 1 :]))


def _with(plan: Plan, **profile: object) -> Plan:
    return plan.model_copy(update={"profile": plan.profile.model_copy(update=profile)})


MOVES: tuple[Move, ...] = (
    Move("finer", "Grind finer", "grind", _grind(+TIME_SHARE), "coarser"),
    Move("coarser", "Grind coarser", "grind", _grind(-TIME_SHARE), "finer"),
    Move("more_coffee", "More coffee", "dose", _setup("dose_g", +DOSE_G), "less_coffee"),
    Move("less_coffee", "Less coffee", "dose", _setup("dose_g", -DOSE_G), "more_coffee"),
    Move("longer_drink", "Longer drink", "drink", _drink(1 + RATIO_SHARE), "shorter_drink"),
    Move("shorter_drink", "Shorter drink", "drink", _drink(1 - RATIO_SHARE), "longer_drink"),
    Move("much_longer_drink", "A quarter more drink", "drink", _drink(SHORT_DRINK)),
    Move("warmer", "Warmer water", "water", _setup("water_c", +WATER_C), "cooler"),
    Move("cooler", "Cooler water", "water", _setup("water_c", -WATER_C), "warmer"),
    Move("longer_soak", "Longer soak", "profile", _soak(+SOAK_S), "shorter_soak"),
    Move("shorter_soak", "Shorter soak", "profile", _soak(-SOAK_S), "longer_soak"),
    Move("soak_until_drip", "End the soak at the first drip", "profile", _soak_until_drip),
    Move("shorter_press", "Fall sooner", "profile", _press(-PRESS_S), "longer_press"),
    Move("longer_press", "Press longer", "profile", _press(+PRESS_S), "shorter_press"),
    Move("falling_end", "A falling end", "profile", _falling_end),
    Move("lower_peak", "Lower peak", "profile", _peak(-PEAK_BAR), "higher_peak"),
    Move("higher_peak", "Higher peak", "profile", _peak(+PEAK_BAR), "lower_peak"),
    Move("gentler_fill", "Fill more gently", "profile", _gentler_fill),
    Move("flow_for_pressure", "Less flow, for 7.5 bar", "profile", _flow_for_pressure),
    Move("less_flow", "Less flow", "profile", _flow(-FLOW_SHARE), "more_flow"),
    Move("more_flow", "More flow", "profile", _flow(+FLOW_SHARE), "less_flow"),
    Move("longer_tail", "Longer tail", "profile", _tail(+TAIL_S), "shorter_tail"),
    Move("shorter_tail", "Shorter tail", "profile", _tail(-TAIL_S), "longer_tail"),
)
MOVE = {one.key: one for one in MOVES}
