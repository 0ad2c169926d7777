"""The smallest difference between two scores that is worth believing, for each taster and line."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

TWICE = 2.77  # 1.96 times the root of two: 95 % of the differences of one taster's repeats
START_SD = 0.75  # points of ten, before anybody repeated anything; rounding alone makes 0.29
HOUSE_WEIGHT = 6  # of a taster's own repeats, that the house's average counts as
START_WEIGHT = 6  # of the house's repeats, that the default counts as
LEAST_SD = 0.3  # scores in whole points cannot vary less


@dataclass(frozen=True)
class Repeated:
    """One drink scored more than once by the same taster in the same way: the scores given."""

    taster: str
    line: str
    scores: tuple[float, ...]


@dataclass(frozen=True)
class Smallest:
    """The smallest believable difference between two single scores, and the number of the taster's
    own repeats behind it."""

    points: float
    repeats: int


@dataclass(frozen=True)
class Believable:
    """The smallest believable differences of a house, by taster and line of the form."""

    _own: Mapping[tuple[str, str], Smallest]
    _house: Mapping[str, float]

    def of(self, taster: str, line: str) -> Smallest:
        """For one taster on one line; the house's average where the taster repeated nothing."""
        return self._own.get((taster, line)) or Smallest(TWICE * self._house_sd(line), 0)

    def of_mean(self, tasters: Sequence[str], line: str) -> float:
        """For an average over tasters who scored both drinks once each."""
        own = [self.of(taster, line).points for taster in tasters]
        return float(np.sqrt(np.sum(np.square(own)))) / len(own)

    def repeats_of(self, taster: str) -> int:
        """How many drinks the taster repeated: the most of any line."""
        return max((s.repeats for (who, _), s in self._own.items() if who == taster), default=0)

    def _house_sd(self, line: str) -> float:
        return self._house.get(line, START_SD)


def believable(repeats: Iterable[Repeated]) -> Believable:
    """2.77 times the standard deviation within a taster, pooled by degrees of freedom over drinks
    scored twice or more. With few repeats it is shrunk towards the house's average, and that
    towards a default in the same way.

    Source: ISO 5725-6, repeatability limit.
    """
    squares: dict[tuple[str, str], float] = defaultdict(float)
    freedom: dict[tuple[str, str], int] = defaultdict(int)
    for one in repeats:
        if len(one.scores) > 1:
            key = one.taster, one.line
            squares[key] += float(np.var(one.scores)) * len(one.scores)
            freedom[key] += len(one.scores) - 1
    house = {
        line: _shrunk(
            sum(squares[key] for key in squares if key[1] == line),
            sum(freedom[key] for key in freedom if key[1] == line),
            START_SD,
            START_WEIGHT,
        )
        for line in {line for _, line in squares}
    }
    own = {
        (taster, line): Smallest(
            TWICE * _shrunk(squares[taster, line], count, house[line], HOUSE_WEIGHT), count
        )
        for (taster, line), count in freedom.items()
    }
    return Believable(own, house)


def _shrunk(squares: float, freedom: int, towards: float, weight: int) -> float:
    variance = (squares + weight * towards**2) / (freedom + weight)
    return max(LEAST_SD, float(np.sqrt(variance)))
