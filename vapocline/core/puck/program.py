"""A profile as the arrays the kernel walks through."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple, get_args

import numpy as np
from numpy.typing import NDArray

from vapocline.core.machine import Machine, ValveAhead
from vapocline.core.profile import Along, Limit, OffCommand, Profile, Shape

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

# Codes the kernel branches on.
PRESSURE, FLOW, VALVE, OFF = 0, 1, 2, 3
ALONG_TIME, ALONG_WATER, ALONG_CUP = 0, 1, 2
STEP, LINEAR, SMOOTH, SPRING = 0, 1, 2, 3
CONTROLS = ("pressure", "flow", "valve", "off")
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
EXITS = (
    "seconds",
    "pressure_above",
    "pressure_below",
    "flow_above",
    "flow_below",
    "water_ml",
    "cup_g",
    "first_drip",
    "hand",
)
# What may end the last phase besides its exits.
STOPS = ("cup_g", "water_ml", "time_s", "plan_end", "hand")
STOP_CUP, STOP_WATER, STOP_TIME, STOP_PLAN, STOP_HAND = range(100, 105)


def ended_on(code: int) -> str:
    """The written name of what ended a phase."""
    return STOPS[code - 100] if code >= STOP_CUP else EXITS[code]


class Program(NamedTuple):
    """Phases as columns, shape (phases,); exits as rows of (code, value) per phase, -1 for none."""

    control: Ints
    start: Floats
    end: Floats
    along: Ints
    over: Floats
    shape: Ints
    limit: Floats  # of the other variable; infinite for none
    exit_when: Ints  # (phases, exits)
    exit_value: Floats  # (phases, exits)
    stop_cup_g: float
    stop_water_ml: float
    stop_time_s: float
    valve_turns: Floats
    valve_flow_ml_s: Floats


def program_of(profile: Profile, machine: Machine) -> Program:
    """Encode a runnable profile for the kernel."""
    phases = profile.phases
    commands = [phase.command for phase in phases]
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
        control=np.array([CONTROLS.index(c.control) for c in commands], dtype=np.int64),
        start=_floats(0.0 if isinstance(c, OffCommand) else c.from_ for c in commands),
        end=_floats(0.0 if isinstance(c, OffCommand) else c.to for c in commands),
        along=np.array([ALONGS.index(phase.along) for phase in phases], dtype=np.int64),
        over=_floats(phase.over for phase in phases),
        shape=np.array([SHAPES.index(phase.shape) for phase in phases], dtype=np.int64),
        limit=_floats(_limit(phase.limit) for phase in phases),
        exit_when=when,
        exit_value=value,
        stop_cup_g=_or_never(profile.stop.cup_g),
        stop_water_ml=_or_never(profile.stop.water_ml),
        stop_time_s=float(profile.stop.time_s),
        valve_turns=_floats(table.turns if table else (0.0,)),
        valve_flow_ml_s=_floats(table.free_flow_ml_s if table else (0.0,)),
    )


def _floats(values: Iterable[float]) -> Floats:
    return np.array(list(values), dtype=np.float64)


def _limit(limit: Limit) -> float:
    return _or_never(limit.pressure_bar if limit.pressure_bar is not None else limit.flow_ml_s)


def _or_never(value: float | None) -> float:
    return np.inf if value is None else float(value)
