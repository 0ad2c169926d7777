"""Extraction from measured strength, with its error; unknown stays unknown."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from vapocline.core.taste.tasting import extraction_yield_pct

READING_SD = 0.10  # % TDS of one reading: sampling and temperature more than the instrument
LEAST_SD = 0.02  # % TDS, what no number of readings gets below
YIELD_SD, DOSE_SD = 0.1, 0.1  # g, of scales in a kitchen
READING_WEIGHT = 3  # readings of its own that weigh as much as READING_SD


@dataclass(frozen=True)
class Extraction:
    """Extraction yield, %, with its standard error and on how many readings it rests."""

    value_pct: float
    error_pct: float
    readings: int


def extraction_of(
    readings_pct: Sequence[float], yield_g: float | None, dose_g: float
) -> Extraction | None:
    """Extraction from strength read once or more; None where strength or yield is unknown.

    Errors of strength, yield and dose add up as relative squares. The spread of few readings is
    drawn towards what one reading is usually worth.
    """
    if not readings_pct or yield_g is None:
        return None
    tds = float(np.mean(readings_pct))
    count = len(readings_pct)
    squares = float(np.var(readings_pct)) * count + READING_WEIGHT * READING_SD**2
    tds_error = max(LEAST_SD, float(np.sqrt(squares / (count - 1 + READING_WEIGHT) / count)))
    relative = np.hypot(np.hypot(tds_error / tds, YIELD_SD / yield_g), DOSE_SD / dose_g)
    value = extraction_yield_pct(tds, yield_g, dose_g)
    return Extraction(value, float(value * relative), count)


def extraction_alike(one: Extraction | None, other: Extraction | None) -> bool | None:
    """Whether two extractions lie within 1.96 of their errors; None where one is unknown."""
    if one is None or other is None:
        return None
    return bool(
        abs(one.value_pct - other.value_pct) <= 1.96 * np.hypot(one.error_pct, other.error_pct)
    )
