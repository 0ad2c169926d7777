"""How much a shot was liked, with its error, and which recipe of a coffee is the best so far."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from statistics import fmean
from typing import NamedTuple

import scipy  # its parts are imported where they are first used

from vapocline.core.base.document import Answer
from vapocline.core.taste.spreads import HouseSpreads

SHRINK_PULLS = 1.0  # that the coffee's mean counts as: one lucky cup is no best


class Liking(Answer):
    """Mean liking in points over pulls; what the recipe is worth lies within `error` of it in nine
    of ten cases, None where it is not known how far pulls of one recipe lie apart."""

    points: float
    error: float | None
    cups: int
    pulls: int


class CupLiking(NamedTuple):
    """A taster's liking of a cup, in points, and the number of its pull."""

    taster: str
    points: float
    pull: int = 0


def liking_of(given: Sequence[CupLiking], spreads: HouseSpreads) -> Liking | None:
    """Mean liking with the error that pulls of one recipe have; None where nobody said."""
    if not given:
        return None
    pulls: dict[int, dict[str, list[float]]] = {}
    for one in given:
        pulls.setdefault(one.pull, {}).setdefault(one.taster, []).append(one.points)
    means = [fmean(fmean(own) for own in tasters.values()) for tasters in pulls.values()]
    known = [spreads.of_pulls(sorted(tasters), "liking") for tasters in pulls.values()]
    sure = [one for one in known if one is not None]
    error = None
    if len(sure) == len(known):
        sd = math.sqrt(sum(one.sd**2 for one in sure)) / len(sure)
        error = float(scipy.stats.t.isf(0.05, min(one.df for one in sure))) * sd
    return Liking(
        points=round(fmean(means), 2),
        error=None if error is None else round(error, 2),
        cups=len(given),
        pulls=len(pulls),
    )


def best_of(given: Mapping[int, Sequence[CupLiking]]) -> int | None:
    """The recipe that was liked best, by its key, each shrunk towards the mean of all pulls; None
    where nobody said."""
    pulls = {key: _by_pull(cups) for key, cups in given.items()}
    every = [points for own in pulls.values() for points in own]
    if not every:
        return None
    mean = fmean(every)

    def worth(key: int) -> float:
        own = pulls[key]
        return (sum(own) + SHRINK_PULLS * mean) / (len(own) + SHRINK_PULLS)

    return max((key for key, own in pulls.items() if own), key=worth)


def _by_pull(cups: Sequence[CupLiking]) -> list[float]:
    pulls: dict[int, list[float]] = {}
    for one in cups:
        pulls.setdefault(one.pull, []).append(one.points)
    return [fmean(own) for own in pulls.values()]
