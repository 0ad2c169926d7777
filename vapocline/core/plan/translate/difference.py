"""How far two shots differ, in figures and as one number to search by."""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.plan.translate.runs import ShotRun
from vapocline.core.puck import columns

GRID_S = 0.25
# What one can just tell: differences this large count as one.
TELLS = {
    "pressure_rms_bar": 0.7,
    "flow_rms_ml_s": 0.35,
    "shot_time_change_s": 2.0,
    "yield_change_g": 1.0,
    "extraction_yield_change_points": 0.5,
    "bright_change_pct": 0.15,
    "sweet_change_pct": 0.2,
    "bitter_change_pct": 0.1,
}
MISSING = 10.0  # counts this often what one can tell where one of the two has no such figure


class ShotDifference(Answer):
    """A second shot against a first. `distance` is the root mean square of all, each counted in
    what one can just tell: below 1 they pass for the same shot."""

    pressure_rms_bar: float
    flow_rms_ml_s: float
    shot_time_change_s: float
    first_drip_change_s: float | None
    yield_change_g: float
    extraction_yield_change_points: float
    bright_change_pct: float
    sweet_change_pct: float
    bitter_change_pct: float
    distance: float


def difference(first: ShotRun, second: ShotRun) -> ShotDifference:
    """The second shot's figures less the first's, and their curves' root mean square distance.

    Both clocks start where the program begins, after any built-in pre-wetting.
    """
    found = _parts(first, second)
    later = second.begun_s - first.begun_s
    drip = second.figures.first_drip_s - first.figures.first_drip_s - later
    return ShotDifference(
        **{name: round(value, 3) for name, value in found.items()},
        first_drip_change_s=None if math.isnan(drip) else round(drip, 2),
        distance=round(_distance(found), 3),
    )


def distance(first: ShotRun, second: ShotRun) -> float:
    """The one number alone."""
    return _distance(_parts(first, second))


def _parts(first: ShotRun, second: ShotRun) -> dict[str, float]:
    until = max(first.stop_s - first.begun_s, second.stop_s - second.begun_s)
    t = np.arange(0.0, until + GRID_S, GRID_S)
    a, b = first.figures, second.figures

    def rms(column: int) -> float:
        one, two = (shot.at(column, shot.begun_s + t) for shot in (first, second))
        return float(np.sqrt(np.mean((two - one) ** 2)))

    def change(now: float, was: float, name: str) -> float:
        return MISSING * TELLS[name] if math.isnan(now - was) else now - was

    return {
        "pressure_rms_bar": rms(columns.S_P),
        "flow_rms_ml_s": rms(columns.S_Q_CUP),
        "shot_time_change_s": b.shot_time_s - a.shot_time_s - second.begun_s + first.begun_s,
        "yield_change_g": b.yield_g - a.yield_g,
        "extraction_yield_change_points": b.extraction_yield_pct - a.extraction_yield_pct,
        "bright_change_pct": change(b.bright, a.bright, "bright_change_pct"),
        "sweet_change_pct": change(b.sweet, a.sweet, "sweet_change_pct"),
        "bitter_change_pct": change(b.bitter, a.bitter, "bitter_change_pct"),
    }


def _distance(parts: dict[str, float]) -> float:
    return math.sqrt(sum((parts[name] / tells) ** 2 for name, tells in TELLS.items()) / len(TELLS))
