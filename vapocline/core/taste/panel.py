"""Several tasters' scores of several shots, at one warmth."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from vapocline.core.taste.spreads import Repeated
from vapocline.core.taste.tasting import Warmth


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
    """A shot's score on a line over tasters, from `tasters` of them."""

    points: float
    tasters: int


class Panel:
    """Scores at one warmth, by taster, shot and line. Cups of the same shot are averaged."""

    def __init__(self, given: Iterable[TasterScore], warmth: Warmth = "hot") -> None:
        """From scores of one warmth."""
        self.warmth = warmth
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

    def cups(self, taster: str, shot: int, line: str) -> int:
        """How many cups of a shot a taster scored."""
        return self._cups.get((taster, shot, line), 0)

    def mean(self, shot: int, line: str, tasters: Sequence[str] | None = None) -> PanelMean | None:
        """The mean over tasters who scored it, None where nobody did."""
        given = [self._points.get((taster, shot, line)) for taster in tasters or self.tasters]
        known = [points for points in given if points is not None]
        return PanelMean(float(np.mean(known)), len(known)) if known else None

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


def repeats_in(given: Iterable[TasterScore]) -> Iterator[Repeated]:
    """The drinks that a taster scored in more than one cup of the same shot, equally warm."""
    cups: dict[tuple[str, int, Warmth, str], list[float]] = defaultdict(list)
    for one in given:
        cups[one.taster, one.shot, one.warmth, one.line].append(one.points)
    for (taster, _, _, line), points in cups.items():
        if len(points) > 1:
            yield Repeated(taster, line, tuple(points))
