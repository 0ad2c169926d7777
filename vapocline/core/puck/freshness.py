"""When a coffee is at its best, by the gas that its grains still hold."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.coffee.coffee import Roast
from vapocline.core.puck.parameters import (
    BLEND_PACE,
    DECAF,
    ROASTS,
    STALE_GAS_ML_G,
    gas_left_ml_g,
)

# A coffee is at its best while little gas hinders water and enough is left for a crema. Ours.
BEST_FROM_ML_G, BEST_TO_ML_G = 3.5, 1.0
LEAST_DAYS = 60


class Freshness(Answer):
    """Whether a coffee is at its best on a day of its rest, and from which day to which it is."""

    state: Literal["early", "best", "past"]
    best_from: float
    best_to: float
    words: str


class GasOverDays(Answer):
    """Gas left in the grains by days of rest, mL/g, and the days at which it is at its best."""

    days: list[float]
    gas_ml_g: list[float]
    best_from: float
    best_to: float


def freshness_of(
    roast: Roast, rest_days: float, *, decaf: bool = False, blend: bool = False
) -> Freshness:
    """Where a coffee stands between too much gas and too little, in words for a line: "day 12, at
    its best"."""
    best_from, best_to = best_days(roast, decaf=decaf, blend=blend)
    if rest_days < best_from:
        state: Literal["early", "best", "past"] = "early"
        told = f"{_days(math.ceil(best_from - rest_days))} early"
    elif rest_days > best_to:
        state, told = "past", f"{_days(math.ceil(rest_days - best_to))} past its best"
    else:
        state, told = "best", "at its best"
    return Freshness(
        state=state, best_from=best_from, best_to=best_to, words=f"day {rest_days:.0f}, {told}"
    )


def _days(count: int) -> str:
    return f"{count} day{'' if count == 1 else 's'}"


def best_days(roast: Roast, *, decaf: bool = False, blend: bool = False) -> tuple[float, float]:
    """The days of rest between which a coffee is at its best, 0 for one that begins so."""
    return (
        _day_of(BEST_FROM_ML_G, roast, decaf=decaf, blend=blend),
        _day_of(BEST_TO_ML_G, roast, decaf=decaf, blend=blend),
    )


def _day_of(gas_ml_g: float, roast: Roast, *, decaf: bool, blend: bool) -> float:
    """`gas_left_ml_g` turned round: the day on which so much is left."""
    left = gas_ml_g / (DECAF["gas"] if decaf else 1.0)
    share = (left - STALE_GAS_ML_G) / (ROASTS[roast]["gas"] - STALE_GAS_ML_G)
    pace = BLEND_PACE if blend else 1.0
    return round(max(0.0, -math.log(share) * ROASTS[roast]["gas_days"] / pace), 1)


def gas_over_days(roast: Roast, *, decaf: bool = False, blend: bool = False) -> GasOverDays:
    """The model's gas by days, and from when to when it lies between too much and too little."""
    best_from, best_to = best_days(roast, decaf=decaf, blend=blend)
    days = np.linspace(0, max(LEAST_DAYS, math.ceil(best_to / 10) * 10), 121)
    gas = [gas_left_ml_g(roast, float(day), decaf=decaf, blend=blend) for day in days]
    return GasOverDays(
        days=days.round(2).tolist(),
        gas_ml_g=np.round(gas, 3).tolist(),
        best_from=best_from,
        best_to=best_to,
    )
