"""Curves worked out from a recording: the puck's resistance, and the water that stays behind."""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.read.pulled import Pulled
from vapocline.core.read.resistance import Resistance
from vapocline.core.read.water_rules import retained_ml


class Derived(Answer):
    """Resistance relative to a third of the cup, what is usual for it at the same weight, and the
    water that stays behind, mL; on a clock of their own."""

    time_s: list[float]
    resistance: list[float | None]
    usual: list[float | None]
    stays_behind_ml: list[float | None]


def derived_of(pulled: Pulled, resistance: Resistance | None) -> Derived | None:
    """The derived curves; None where there is no resistance."""
    record = pulled.record
    if resistance is None:
        return None
    at_third = _ln_at_third(pulled, resistance)
    unknown = np.full(resistance.time_s.size, math.nan)
    behind, usual = unknown, unknown
    if {"water", "cup"} <= record.known:
        held = retained_ml(record.water_ml_s, record.cup_g)
        behind = np.interp(resistance.time_s, record.time_s, held)
    if pulled.replay is not None:
        usual = np.exp(at_third - resistance.usual - _offset(resistance))
    return Derived(
        time_s=np.round(resistance.time_s, 2).tolist(),
        resistance=_listed(np.exp(at_third - resistance.measured)),
        usual=_listed(usual),
        stays_behind_ml=_listed(behind),
    )


def _offset(resistance: Resistance) -> float:
    """By how much the puck ran faster than the replay early on: the usual curve moves with it."""
    first = max(1, resistance.more.size // 3)
    return float(np.median(resistance.more[:first]))


def _ln_at_third(pulled: Pulled, resistance: Resistance) -> float:
    """ln-conductance when a third of the drink is in the cup: there the pane's curve is 1."""
    third = int(np.searchsorted(resistance.cup_g, pulled.whole_g / 3))
    return float(resistance.measured[min(third, resistance.measured.size - 1)])


def _listed(values: Floats) -> list[float | None]:
    return [None if math.isnan(value) else round(value, 3) for value in values.tolist()]
