"""The spread of repeated pulls against the tolerance they are meant to keep."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.amounts import apart
from vapocline.core.base.document import Answer
from vapocline.core.shot.result import TIME_FIGURES, Clock

AllowedDifference = Annotated[float, Field(gt=0, le=100)]


class Tolerance(BaseModel):
    """How far pulls of one plan may differ, from the lowest to the highest."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    shot_time_s: AllowedDifference = 3.0
    first_drip_s: AllowedDifference = 1.5
    yield_g: AllowedDifference = 1.0
    peak_pressure_bar: AllowedDifference = 0.6
    tds_pct: AllowedDifference = 0.4


class Spread(Answer):
    """One figure over the pulls: each value, the middle, the spread, and whether it holds."""

    figure: str
    name: str
    unit: str
    values: list[float | None]
    mean: float | None
    deviation: float | None
    span: float | None
    tolerance: float
    within: bool | None


NAMES = {
    "shot_time_s": ("Shot time", "s"),
    "first_drip_s": ("First drip", "s"),
    "yield_g": ("In the cup", "g"),
    "peak_pressure_bar": ("Peak", "bar"),
    "tds_pct": ("Strength", "%"),
}


def spread(
    pulls: Sequence[dict[str, float | None]], tolerance: Tolerance, clock: Clock = "pump"
) -> list[Spread]:
    """Each figure's spread; standard deviation with n − 1, None below two known values.

    Shot time is counted on a clock, and judged by the same tolerance on each.
    """
    read_from = {figure: figure for figure in NAMES} | {"shot_time_s": TIME_FIGURES[clock]}
    return [
        _spread(figure, [pull.get(read_from[figure]) for pull in pulls], tolerance)
        for figure in NAMES
    ]


def _spread(figure: str, values: list[float | None], tolerance: Tolerance) -> Spread:
    known = np.array([value for value in values if value is not None])
    name, unit = NAMES[figure]
    allowed = float(getattr(tolerance, figure))
    enough = known.size >= 2
    span = float(np.ptp(known)) if enough else None
    return Spread(
        figure=figure,
        name=name,
        unit=unit,
        values=values,
        mean=round(float(known.mean()), 2) if known.size else None,
        deviation=round(float(known.std(ddof=1)), 2) if enough else None,
        span=None if span is None else round(span, 2),
        tolerance=allowed,
        within=None if span is None else span <= allowed + 1e-9,
    )


def verdict(rows: Sequence[Spread], wanted: int) -> str:
    """What the spread says, in a sentence."""
    pulls = max((len(row.values) for row in rows), default=0)
    if pulls < 2:
        return f"{pulls} of {wanted} pulled: the spread is known from the second on."
    wide = [(row, row.span) for row in rows if row.span is not None and row.within is False]
    head = f"{pulls} of {wanted} pulled: "
    if not wide:
        return head + "all within the tolerance."
    wide_ones = ", ".join(
        f"{row.name.lower()} spreads {apart(span, row.unit)}" for row, span in wide
    )
    return head + f"{wide_ones}, more than the tolerance."
