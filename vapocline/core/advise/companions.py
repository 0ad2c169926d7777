"""What goes with a change: the grind refitted so that the shot takes as long as before."""

from __future__ import annotations

import math

import scipy  # its parts are imported where they are first used

from vapocline.core.advise.moves import TIME_BY_SIZE
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
        found = scipy.optimize.root_scalar(
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
