"""A profile as the arrays the kernel walks through."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple, assert_never, get_args

import numpy as np
from numpy.typing import NDArray

from vapocline.core.base.arrays import Floats
from vapocline.core.machine.machine import HandLever, Machine, SpringLever, ValveAhead
from vapocline.core.profile.profile import (
    Along,
    ExitName,
    FlowCommand,
    ForceCommand,
    Limit,
    OffCommand,
    Phase,
    PressureCommand,
    Profile,
    Shape,
    SpringCommand,
    ValveCommand,
)

Ints = NDArray[np.int64]

# Codes the kernel branches on.
PRESSURE, FLOW, VALVE, OFF, SPRING, FORCE = range(6)
ALONG_TIME, ALONG_WATER, ALONG_CUP = 0, 1, 2
STEP, LINEAR, SMOOTH, SPRING_SHAPE = 0, 1, 2, 3
CONTROLS = ("pressure", "flow", "valve", "off", "spring", "force")
SPRING_POINTS = 6  # two springs' corners, and the ends of the stroke
ALONGS = get_args(Along)
SHAPES = get_args(Shape)

(
    BY_SECONDS,
    BY_PRESSURE_ABOVE,
    BY_PRESSURE_BELOW,
    BY_FLOW_ABOVE,
    BY_FLOW_BELOW,
    BY_WATER,
    BY_CUP,
    BY_FIRST_DRIP,
    BY_HAND,
) = range(9)
EXITS = get_args(ExitName)
SKIPPED = 50  # by hand, before any exit was met
# What may end the last phase besides its exits.
STOPS = ("cup_g", "water_ml", "time_s", "plan_end", "hand")
STOP_CUP, STOP_WATER, STOP_TIME, STOP_PLAN, STOP_HAND = range(100, 105)


def ended_on(code: int) -> str:
    """The written name of what ended a phase."""
    if code == SKIPPED:
        return "skip"
    return STOPS[code - 100] if code >= STOP_CUP else EXITS[code]


class Program(NamedTuple):
    """Phases as columns, shape (phases,); exits as rows of (code, value) per phase, -1 for none.

    A lever's phases are written in bar: a spring's as points along the water it presses out,
    (phases, points).
    """

    control: Ints
    start: Floats
    end: Floats
    along: Ints
    over: Floats
    shape: Ints
    limit: Floats  # of the other variable; infinite for none
    stroke_ml: Floats  # water a lever holds; infinite for what is no lever
    spring_ml: Floats
    spring_bar: Floats
    exit_when: Ints  # (phases, exits)
    exit_value: Floats  # (phases, exits)
    stop_cup_g: float
    stop_water_ml: float
    stop_time_s: float
    valve_turns: Floats
    valve_flow_ml_s: Floats
    water_c: Floats  # what a phase asks for, °C; NaN for what is set for the whole shot


def program_of(profile: Profile, machine: Machine) -> Program:
    """Encode a runnable profile for the kernel."""
    phases = profile.phases
    moves = [_phase_command(phase, machine) for phase in phases]
    most = max(len(phase.exits) for phase in phases)
    when = np.full((len(phases), most), -1, dtype=np.int64)
    value = np.zeros((len(phases), most))
    for row, phase in enumerate(phases):
        for column, rule in enumerate(phase.exits):
            when[row, column] = EXITS.index(rule.when)
            value[row, column] = getattr(rule, "value", 0.0)
    control = machine.control
    table = control if isinstance(control, ValveAhead) else None
    return Program(
        control=_ints(CONTROLS.index(phase.command.control) for phase in phases),
        start=_floats(move.start for move in moves),
        end=_floats(move.end for move in moves),
        along=_ints(ALONGS.index(move.along) for move in moves),
        over=_floats(move.over for move in moves),
        shape=_ints(SHAPES.index(move.shape) for move in moves),
        limit=_floats(_limit(phase.limit) for phase in phases),
        stroke_ml=_floats(move.stroke_ml for move in moves),
        spring_ml=np.array([move.points_ml for move in moves]),
        spring_bar=np.array([move.points_bar for move in moves]),
        exit_when=when,
        exit_value=value,
        stop_cup_g=_or_never(profile.stop.cup_g),
        stop_water_ml=_or_never(profile.stop.water_ml),
        stop_time_s=float(profile.stop.time_s),
        valve_turns=_floats(table.turns if table else (0.0,)),
        valve_flow_ml_s=_floats(table.free_flow_ml_s if table else (0.0,)),
        water_c=_floats(np.nan if one.water_c is None else one.water_c for one in phases),
    )


class PhaseCommand(NamedTuple):
    """What one phase commands, in the kernel's terms."""

    start: float
    end: float
    along: Along
    over: float
    shape: Shape
    stroke_ml: float = np.inf
    points_ml: tuple[float, ...] = (0.0,) * SPRING_POINTS
    points_bar: tuple[float, ...] = (0.0,) * SPRING_POINTS


def _phase_command(phase: Phase, machine: Machine) -> PhaseCommand:
    command, control = phase.command, machine.control
    match command:
        case OffCommand():
            return PhaseCommand(0, 0, "time", 0, "linear")
        case SpringCommand():
            assert isinstance(control, SpringLever)  # the check has refused any other
            water, bar = sprung(control, command.springs)
            top, end = float(bar[0]), float(bar[-1])
            return PhaseCommand(
                top, end, "water", control.stroke_ml, "linear", control.stroke_ml,
                tuple(water), tuple(bar),
            )  # fmt: skip
        case ForceCommand():
            assert isinstance(control, HandLever)
            start, end = (kg * control.bar_per_kg for kg in (command.from_, command.to))
            return PhaseCommand(start, end, phase.along, phase.over, phase.shape, control.stroke_ml)
        case PressureCommand() | FlowCommand() | ValveCommand():
            return PhaseCommand(command.from_, command.to, phase.along, phase.over, phase.shape)
        case _:
            assert_never(command)


def sprung(lever: SpringLever, engaged: int) -> tuple[Floats, Floats]:
    """Points of a lever's pressure: water pressed out, mL, rising, and bar of all springs.

    Each falls over its own part of the stroke; before it stands at its top, after it at its end.
    """
    springs = lever.springs[:engaged]
    parts = [(one.from_ml, lever.stroke_ml if one.to_ml is None else one.to_ml) for one in springs]
    corners = sorted({0.0, lever.stroke_ml, *(ml for part in parts for ml in part)})
    corners += [corners[-1] + 1.0 + k for k in range(SPRING_POINTS - len(corners))]
    water = np.array(corners)
    bar = sum(
        np.interp(water, part, (one.top_bar, one.end_bar))
        for one, part in zip(springs, parts, strict=True)
    )
    return water, np.asarray(bar, dtype=np.float64)


def _ints(values: Iterable[int]) -> Ints:
    return np.array(list(values), dtype=np.int64)


def _floats(values: Iterable[float]) -> Floats:
    return np.array(list(values), dtype=np.float64)


def _limit(limit: Limit) -> float:
    return _or_never(limit.pressure_bar if limit.pressure_bar is not None else limit.flow_ml_s)


def _or_never(value: float | None) -> float:
    return np.inf if value is None else float(value)
