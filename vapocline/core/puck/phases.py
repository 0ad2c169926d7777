"""When a phase ends and what comes then: exits and stops located within a step, and the log."""

from __future__ import annotations

import math

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.actuator import target_of
from vapocline.core.puck.columns import (
    CUP_0,
    CUP_1,
    CUP_2,
    CUP_AT_STOP,
    CUP_WATER,
    HAND,
    HAND_STOP,
    HOLD,
    ON_SINCE,
    P_SEEN,
    PHASE,
    PHASE_CUP,
    PHASE_TIME,
    PHASE_WATER,
    Q_IN,
    Q_LEAST,
    Q_SEEN,
    SCALE,
    SKIP,
    STOP_CODE,
    STOP_T,
    STROKE_FROM,
    TIME,
    WATER,
    P,
    borrowed,
    compiled,
    inlined,
)
from vapocline.core.puck.parameters import Parameters
from vapocline.core.puck.program import (
    BY_CUP,
    BY_FIRST_DRIP,
    BY_FLOW_ABOVE,
    BY_FLOW_BELOW,
    BY_HAND,
    BY_PRESSURE_ABOVE,
    BY_PRESSURE_BELOW,
    BY_SECONDS,
    BY_WATER,
    FLOW,
    FORCE,
    OFF,
    PRESSURE,
    SKIPPED,
    STOP_CUP,
    STOP_HAND,
    STOP_PLAN,
    STOP_TIME,
    STOP_WATER,
    Program,
)
from vapocline.core.shot.result import FIRST_DRIP_G

REACHED_BAR = 0.3  # this close to the commanded pressure it is reached
FALLEN_SHARE = 0.9  # of its highest: below it the flow has fallen


@inlined
def crossing(before: float, after: float, level: float) -> float:
    """Where in the step a rising value met its level, 0 to 1, or 2 for not at all."""
    if after < level:
        return 2.0
    if after <= before or before >= level:
        return 0.0
    return (level - before) / (after - before)


@inlined
def cup_weight(now: Floats) -> float:
    """What is in the cup, g."""
    grams: float = now[CUP_WATER] + now[CUP_0] + now[CUP_1] + now[CUP_2]
    return grams


@compiled
def _exit_met(when: int, level: float, was: Floats, now: Floats, dt: float) -> float:
    """Where in the step just made an exit was met, 0 to 1, or 2 for not at all."""
    was, now = borrowed(was), borrowed(now)
    at = 2.0
    if when == BY_SECONDS:
        begun = was[TIME] - was[PHASE_TIME]
        at = crossing(begun, begun + dt, level)
    elif when == BY_PRESSURE_ABOVE:
        at = crossing(was[P], now[P], level)
    elif when == BY_PRESSURE_BELOW:
        if now[P_SEEN] > level:
            at = crossing(-was[P], -now[P], -level)
    elif when == BY_FLOW_ABOVE:
        if now[Q_LEAST] < level:
            at = crossing(was[Q_IN], now[Q_IN], level)
    elif when == BY_FLOW_BELOW:
        if now[Q_SEEN] > level:
            at = crossing(-was[Q_IN], -now[Q_IN], -level)
    elif when == BY_WATER:
        at = crossing(was[WATER] - was[PHASE_WATER], now[WATER] - was[PHASE_WATER], level)
    elif when == BY_CUP:
        at = crossing(was[SCALE], now[SCALE], level)
    elif when == BY_FIRST_DRIP:
        at = crossing(cup_weight(was), cup_weight(now), FIRST_DRIP_G)
    elif when == BY_HAND and was[HAND] > 0.0:
        at = 0.0
    return at


@inlined
def has_settled(now: Floats, program: Program) -> bool:
    """Whether the rush that fills head and hoses at a phase's start is over, so that a flow says
    something of the puck: the commanded pressure is reached, or the flow has fallen from its top.
    A commanded flow has no rush."""
    i = int(now[PHASE])
    if i >= program.control.size:
        return False
    control = program.control[i]
    if control == FLOW:
        return True
    if control == PRESSURE and target_of(program, now, i) - now[P] < REACHED_BAR:
        return True
    return bool(now[Q_IN] < FALLEN_SHARE * now[Q_SEEN])


@inlined
def before_program(now: Floats, p: Parameters) -> bool:
    """Whether the machine still does what it does before any program."""
    waits: bool = now[TIME] < p.preamble_s - 1e-9
    return waits


@compiled
def due(program: Program, p: Parameters, was: Floats, now: Floats, dt: float) -> tuple[float, int]:
    """The first stop or exit met in the step just made: (where in it 0 to 1, code), or (2, -1)."""
    was, now = borrowed(was), borrowed(now)
    first, code = 2.0, -1
    if before_program(was, p):
        return (0.0, STOP_HAND) if was[HAND_STOP] > 0.0 else (2.0, -1)
    at = crossing(was[SCALE], now[SCALE], program.stop_cup_g)
    if at < first:
        first, code = at, STOP_CUP
    at = crossing(was[WATER], now[WATER], program.stop_water_ml)
    if at < first:
        first, code = at, STOP_WATER
    at = crossing(was[TIME], was[TIME] + dt, program.stop_time_s)
    if at < first:
        first, code = at, STOP_TIME
    if was[HAND_STOP] > 0.0 and first > 0.0:
        first, code = 0.0, STOP_HAND
    if was[SKIP] > 0.0 and first > 0.0:
        first, code = 0.0, SKIPPED
    if was[HOLD] > 0.0:  # held: no exit counts, a stop does
        return first, code
    i = int(was[PHASE])
    for e in range(program.exit_when.shape[1]):
        when = program.exit_when[i, e]
        if when >= 0:
            at = _exit_met(when, program.exit_value[i, e], was, now, dt)
            if at < first:
                first, code = at, when
    return first, code


@compiled
def move_on(now: Floats, log: Floats, program: Program, code: int) -> None:
    """Close the phase in the log and open the next; a stop, or the last phase, ends the shot."""
    i = int(now[PHASE])
    log[i, 1] = now[TIME]
    log[i, 2] = code
    last = i + 1 >= log.shape[0]
    if code >= STOP_CUP or last:
        now[STOP_T] = now[TIME]
        now[STOP_CODE] = code if code >= STOP_CUP else STOP_PLAN
        now[CUP_AT_STOP] = cup_weight(now)
        now[PHASE] = log.shape[0]
        return
    now[PHASE] = i + 1
    now[PHASE_TIME] = now[TIME]
    now[PHASE_WATER] = now[WATER]
    now[PHASE_CUP] = now[SCALE]
    now[P_SEEN] = now[P]
    now[Q_SEEN] = now[Q_IN]
    now[Q_LEAST] = math.inf
    now[HAND] = 0.0
    now[SKIP] = 0.0
    now[HOLD] = 0.0
    if program.control[i] == OFF:
        now[ON_SINCE] = now[TIME]
    if program.control[i] != FORCE or program.control[i + 1] != FORCE:
        now[STROKE_FROM] = now[WATER]  # the lever was drawn up again
    log[i + 1, 0] = now[TIME]


@inlined
def begin_program(now: Floats, log: Floats) -> None:
    """The machine's preamble is over: the first phase counts from here."""
    now[PHASE_TIME] = now[ON_SINCE] = now[TIME]
    now[PHASE_WATER] = now[STROKE_FROM] = now[WATER]
    now[PHASE_CUP] = now[SCALE]
    now[P_SEEN], now[Q_SEEN], now[Q_LEAST] = now[P], now[Q_IN], math.inf
    now[HAND] = now[SKIP] = 0.0
    log[0, 0] = now[TIME]
