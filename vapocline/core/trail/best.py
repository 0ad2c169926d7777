"""How much a shot was liked, with its error, and which recipe of a coffee is the best so far."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from statistics import fmean
from typing import NamedTuple

from vapocline.core.base.document import Answer
from vapocline.core.taste.believable import TWICE, Believable
from vapocline.core.trail.worked import WITHIN_90

SHRINK_CUPS = 1.0  # that the coffee's mean counts as: one lucky cup is no best


class Liking(Answer):
    """Mean liking in points over cups, within `error` in nine of ten cases."""

    points: float
    error: float
    cups: int


class CupLiking(NamedTuple):
    """A taster's liking of a cup, in points."""

    taster: str
    points: float


def liking_of(given: Sequence[CupLiking], smallest: Believable) -> Liking | None:
    """Mean liking with the error that tasters' repeats have; None where nobody said."""
    if not given:
        return None
    variances = [(smallest.of(one.taster, "liking").points / TWICE) ** 2 for one in given]
    error = WITHIN_90 * math.sqrt(sum(variances)) / len(given)
    return Liking(
        points=round(fmean(one.points for one in given), 2),
        error=round(error, 2),
        cups=len(given),
    )


def best_of(given: Mapping[int, Sequence[CupLiking]]) -> int | None:
    """The recipe that was liked best, by its key, each shrunk towards the mean of all cups; None
    where nobody said."""
    every = [one.points for cups in given.values() for one in cups]
    if not every:
        return None
    mean = fmean(every)

    def worth(key: int) -> float:
        points = [one.points for one in given[key]]
        return (sum(points) + SHRINK_CUPS * mean) / (len(points) + SHRINK_CUPS)

    return max((key for key in given if given[key]), key=worth)
