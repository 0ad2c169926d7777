"""Several tasters' scores of several drinks: which differences can be believed, and where tasters
disagree."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import combinations
from typing import Literal

import numpy as np

from vapocline.core.taste.believable import Believable, Repeated
from vapocline.core.taste.ranking import Ranking, friedman
from vapocline.core.taste.tasting import Warmth

Leans = Literal[-1, 0, 1]


@dataclass(frozen=True)
class TasterScore:
    """One score: who gave it to a cup of which shot, how warm, and what it was.

    `since_stop_s` is the cup's age then, None where unknown.
    """

    taster: str
    shot: int
    warmth: Warmth
    line: str
    points: float
    since_stop_s: float | None = None
    stirred: bool = False


@dataclass(frozen=True)
class PanelMean:
    """A shot's score on a line over tasters, from `tasters` of them, and the smallest difference to
    believe between two such means."""

    points: float
    tasters: int
    least: float


@dataclass(frozen=True)
class Apart:
    """How far one shot lies from another on a line: the mean over those who scored both, and the
    smallest such difference to believe. `leans` is what each taster alone could tell: 1 more, -1
    less, 0 too close."""

    first: int
    second: int
    line: str
    points: float
    least: float
    leans: dict[str, Leans]

    @property
    def believed(self) -> bool:
        """Whether it is large enough to believe."""
        return abs(self.points) >= self.least

    @property
    def split(self) -> bool:
        """Whether one taster could tell more and another one less."""
        return {1, -1} <= set(self.leans.values())


class Panel:
    """Scores at one warmth, by taster, shot and line. Cups of the same shot are averaged."""

    def __init__(self, given: Iterable[TasterScore], smallest: Believable) -> None:
        self.smallest = smallest
        cups: dict[tuple[str, int, str], list[float]] = defaultdict(list)
        for one in given:
            cups[one.taster, one.shot, one.line].append(one.points)
        self._points = {key: float(np.mean(points)) for key, points in cups.items()}
        self._cups = {key: len(points) for key, points in cups.items()}

    @cached_property
    def tasters(self) -> list[str]:
        """Who scored anything."""
        return sorted({taster for taster, _, _ in self._points})

    @cached_property
    def shots(self) -> list[int]:
        """What was scored."""
        return sorted({shot for _, shot, _ in self._points})

    @cached_property
    def lines(self) -> list[str]:
        """What it was scored on."""
        return list(dict.fromkeys(line for _, _, line in self._points))

    def score(self, taster: str, shot: int, line: str) -> float | None:
        """What a taster gave; None where nothing."""
        return self._points.get((taster, shot, line))

    def mean(self, shot: int, line: str, tasters: Sequence[str] | None = None) -> PanelMean | None:
        """The mean over tasters who scored it, None where nobody did."""
        who = [t for t in tasters or self.tasters if (t, shot, line) in self._points]
        if not who:
            return None
        points = float(np.mean([self._points[taster, shot, line] for taster in who]))
        least = _together([self._least(taster, shot, shot, line) for taster in who])
        return PanelMean(points, len(who), least)

    def apart(
        self, first: int, second: int, line: str, tasters: Sequence[str] | None = None
    ) -> Apart | None:
        """How far the second lies above the first; None where nobody scored both."""
        steps: dict[str, float] = {}
        least: dict[str, float] = {}
        for taster in tasters or self.tasters:
            low, high = self.score(taster, first, line), self.score(taster, second, line)
            if low is not None and high is not None:
                steps[taster] = high - low
                least[taster] = self._least(taster, first, second, line)
        if not steps:
            return None
        leans = {who: _lean(step, least[who]) for who, step in steps.items()}
        mean, together = float(np.mean(list(steps.values()))), _together(list(least.values()))
        return Apart(first, second, line, mean, together, leans)

    def _least(self, taster: str, first: int, second: int, line: str) -> float:
        """The smallest difference to believe between a taster's means over `cups` cups each."""
        cups = [self._cups[taster, shot, line] for shot in (first, second)]
        single = self.smallest.of(taster, line).points
        return single * float(np.sqrt(sum(1 / count for count in cups) / 2))

    def every_apart(self, tasters: Sequence[str] | None = None) -> Iterator[Apart]:
        """Every two shots on every line."""
        for line in self.lines:
            for first, second in combinations(self.shots, 2):
                if apart := self.apart(first, second, line, tasters):
                    yield apart

    def best_of(self, taster: str) -> list[int]:
        """The shots a taster likes best: the highest, and those too close to it to tell."""
        liked = [(self.score(taster, shot, "liking"), shot) for shot in self.shots]
        known = [(points, shot) for points, shot in liked if points is not None]
        if len(known) < 2:
            return []
        most, top = max(known, key=lambda one: one[0])
        return [top] + [
            shot
            for points, shot in known
            if shot != top and most - points < self._least(taster, top, shot, "liking")
        ]

    def centred_liking(self, shot: int) -> float | None:
        """How far a shot lies above each taster's own average, averaged over tasters, so that a
        taster who gives high scores throughout does not count for more. None where nobody scored
        it and another."""
        above = []
        for taster in self.tasters:
            own = {s: p for s in self.shots if (p := self.score(taster, s, "liking")) is not None}
            if shot in own and len(own) > 1:
                above.append(own[shot] - float(np.mean(list(own.values()))))
        return float(np.mean(above)) if above else None

    def ranking(self) -> Ranking | None:
        """How tasters who scored all shots for liking agree on their order; None below two of
        them or below three shots."""
        places = []
        for taster in self.tasters:
            liked = [self.score(taster, shot, "liking") for shot in self.shots]
            if all(points is not None for points in liked):
                places.append([-points for points in liked if points is not None])
        return friedman(places) if len(places) > 1 and len(self.shots) > 2 else None


def _together(least: Sequence[float]) -> float:
    """The smallest difference to believe of an average over tasters, from that of each."""
    return float(np.sqrt(np.sum(np.square(least)))) / len(least)


def _lean(step: float, least: float) -> Leans:
    if abs(step) < least:
        return 0
    return 1 if step > 0 else -1


def repeats_in(given: Iterable[TasterScore]) -> Iterator[Repeated]:
    """The drinks that a taster scored in more than one cup of the same shot, equally warm."""
    cups: dict[tuple[str, int, Warmth, str], list[float]] = defaultdict(list)
    for one in given:
        cups[one.taster, one.shot, one.warmth, one.line].append(one.points)
    for (taster, _, _, line), points in cups.items():
        if len(points) > 1:
            yield Repeated(taster, line, tuple(points))
