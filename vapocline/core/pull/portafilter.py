"""What the portafilter's warmth does to a shot, in words."""

from __future__ import annotations

from typing import Literal

import numpy as np

from vapocline.core.base.amounts import temperature, temperature_number
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

Warmth = Literal["hot", "warm", "cold"]
HOT_C, COLD_C = 55.0, 35.0  # a puck starts above the one in a hot portafilter, below in a cold one
STARTS_C: dict[Warmth, float] = {"hot": 65.0, "warm": 45.0, "cold": 25.0}
LEAST_POINTS, LEAST_C = 0.05, 0.5  # smaller differences are not worth a word


def warmth_of(puck_start_c: float) -> Warmth:
    """How warm a portafilter must be for a puck to start so warm."""
    if puck_start_c > HOT_C:
        return "hot"
    return "cold" if puck_start_c < COLD_C else "warm"


def other_warmth(plan: Plan) -> str:
    """What another warmth than the planned one would do to extraction and to the first of the cup;
    empty where that is next to nothing."""
    planned = warmth_of(plan.setup.puck_start_c)
    other: Warmth = "hot" if planned == "cold" else "cold"
    as_planned, otherwise = (
        predict(_one(plan, start)) for start in (plan.setup.puck_start_c, STARTS_C[other])
    )
    told = [_of_extraction(as_planned, otherwise), _of_first(as_planned, otherwise)]
    said = ", ".join(one for one in told if one)
    return f"{other}, by the model: {said}" if said else ""


def _one(plan: Plan, puck_start_c: float) -> Plan:
    setup = plan.setup.model_copy(update={"puck_start_c": puck_start_c})
    return plan.model_copy(update={"setup": setup, "members": 1})


def _of_extraction(planned: Prediction, otherwise: Prediction) -> str:
    before, after = planned.extraction_yield_pct.value, otherwise.extraction_yield_pct.value
    if before is None or after is None or abs(after - before) < LEAST_POINTS:
        return ""
    return f"{abs(after - before):.1f} points {'less' if after < before else 'more'} extraction"


def _of_first(planned: Prediction, otherwise: Prediction) -> str:
    before, after = _first_c(planned), _first_c(otherwise)
    if before is None or after is None or abs(after - before) < LEAST_C:
        return ""
    return f"the first drop at {temperature(after, 0)}, not {temperature_number(before, 0)}"


def _first_c(answer: Prediction) -> float | None:
    """How warm the puck is as the first drop leaves it, °C."""
    drip = answer.first_drip_s.value
    if drip is None:
        return None
    return float(np.interp(drip, answer.series.time_s, answer.series.puck_c))
