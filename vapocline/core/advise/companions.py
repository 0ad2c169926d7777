"""What goes with a change: the grind refitted so that the shot takes as long as before; and the
shot that tells two changes apart."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

from scipy.optimize import root_scalar

from vapocline.core.advise.between import moves_between
from vapocline.core.advise.moves import MOVE, TIME_BY_SIZE, Where
from vapocline.core.base.problems import Refused
from vapocline.core.base.quantities import RANGES
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

LEAST_S, LEAST_SHARE = 0.6, 0.02  # of the shot time: less is lost in repeats
NEAR_SHARE, MOST_STEPS = 0.002, 8  # of the size
MOST_SHARE = 0.15  # where the flow is commanded, the grind hardly moves the time: no companion


def with_time_kept(before: Plan, moved: Plan) -> Plan | None:
    """A changed plan at the grind that brings its shot time back; None where the time is kept as
    it is, and where no grind does it. Raises Refused, Cancelled."""
    aim_s, time_s = _time_s(before), _time_s(moved)
    if aim_s is None or time_s is None:
        return None
    if abs(time_s - aim_s) < max(LEAST_S, LEAST_SHARE * aim_s):
        return None

    def missed(log_um: float) -> float:
        found_s = _time_s(_ground(moved, math.exp(log_um)))
        if found_s is None:
            raise _NoTime
        return math.log(found_s / aim_s)

    start = math.log(moved.setup.grind_um)
    guess = start + math.log(aim_s / time_s) / TIME_BY_SIZE
    try:
        found = root_scalar(
            missed, x0=start, x1=guess, method="secant", xtol=NEAR_SHARE, maxiter=MOST_STEPS
        )
    except _NoTime:
        return None
    size_um = math.exp(found.root)
    near = abs(size_um / moved.setup.grind_um - 1) <= MOST_SHARE
    within = RANGES["grind_um"].low <= size_um <= RANGES["grind_um"].high
    return _ground(moved, round(size_um)) if found.converged and near and within else None


class _NoTime(Exception):
    """The shot never comes to its end at some grind."""


def _ground(plan: Plan, size_um: float) -> Plan:
    setup = plan.setup.model_copy(update={"grind_um": size_um})
    return plan.model_copy(update={"setup": setup})


def _time_s(plan: Plan) -> float | None:
    try:
        return predict(plan.model_copy(update={"members": 1})).shot_time_s.value
    except Refused:
        return None


class Apart(NamedTuple):
    """Two changes made at once, in words, and the plan with only the first of them."""

    first: str
    second: str
    plan: Plan


def told_apart(before: Plan, after: Plan) -> Apart | None:
    """The shot that tells two changes apart: the earlier one with only one of them. None where not
    just two moves lie between."""
    moves = moves_between(before, after)
    if len(moves) != 2 or not all(one in MOVE for one in moves):
        return None
    first, second = sorted((MOVE[one] for one in moves), key=lambda one: EASIEST.index(one.where))
    if first.where == second.where:
        return None
    return Apart(first.words, second.words, PART_OF[first.where](before, after))


EASIEST: tuple[Where, ...] = ("water", "drink", "profile", "dose", "grind")  # to make alone


def _setup_part(field: str) -> Callable[[Plan, Plan], Plan]:
    def part(before: Plan, after: Plan) -> Plan:
        value = getattr(after.setup, field)
        return before.model_copy(update={"setup": before.setup.model_copy(update={field: value})})

    return part


def _drink_part(before: Plan, after: Plan) -> Plan:
    profile = before.profile.model_copy(update={"stop": after.profile.stop})
    return before.model_copy(update={"profile": profile})


def _profile_part(before: Plan, after: Plan) -> Plan:
    profile = before.profile.model_copy(update={"phases": after.profile.phases})
    return before.model_copy(update={"profile": profile})


PART_OF: dict[Where, Callable[[Plan, Plan], Plan]] = {
    "grind": _setup_part("grind_um"),
    "dose": _setup_part("dose_g"),
    "water": _setup_part("water_c"),
    "drink": _drink_part,
    "profile": _profile_part,
}
