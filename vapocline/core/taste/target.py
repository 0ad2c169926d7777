"""What a coffee should taste like, and how far a cup is from that in noticeable steps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from vapocline.core.base.document import Document
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import BY_FIELD, Line, Score, Words
from vapocline.core.taste.wording import listed


class Target(Document):
    """Scores and flavour words aimed at; a line left out is not aimed at."""

    scores: dict[Line, Score] = {}  # noqa: RUF012  # Pydantic copies it
    words: Words = ()


@dataclass(frozen=True)
class Distance:
    """How far a cup is from its target: on each line in points and in noticeable
    steps, and the flavour words that were not found."""

    points: dict[str, float]
    steps: dict[str, float]
    missing: tuple[str, ...]

    @property
    def off(self) -> list[str]:
        """Lines that are noticeably off their target, the furthest first."""
        far = [line for line, steps in self.steps.items() if abs(steps) >= 1]
        return sorted(far, key=lambda line: -abs(self.steps[line]))


def distance_from(
    target: Target,
    scores: Mapping[str, float],
    words: tuple[str, ...],
    taster: str,
    spreads: HouseSpreads,
) -> Distance:
    """A cup's distance from its target, as one taster scored it."""
    points: dict[str, float] = {
        line: scores[line] - aim for line, aim in target.scores.items() if line in scores
    }
    steps = {line: off / spreads.noticeable_points(taster, line) for line, off in points.items()}
    found = {word.casefold() for word in words}
    # A cup without any words is not described yet, rather than without flavour.
    missing = [word for word in target.words if found and word.casefold() not in found]
    return Distance(points, steps, tuple(missing))


def off_target_words(cups: Sequence[tuple[str, Distance]]) -> list[tuple[str, str]]:
    """Who finds what noticeably off, or misses which words, of cups with their tasters: all who
    find the same together, the furthest off first."""
    off: dict[tuple[str, bool], list[tuple[str, Distance]]] = {}
    missing: dict[tuple[str, ...], list[str]] = {}
    for who, distance in cups:
        for line in distance.off:
            off.setdefault((line, distance.points[line] > 0), []).append((who, distance))
        if distance.missing:
            missing.setdefault(distance.missing, []).append(who)
    said: list[tuple[float, str, str]] = []
    for (line, more), by in off.items():
        steps = [abs(distance.steps[line]) for _who, distance in by]
        points = _from_to([abs(distance.points[line]) for _who, distance in by], 0)
        way = BY_FIELD[line].more if more else BY_FIELD[line].less
        words = f"{way} than wanted by {points} ({_from_to(steps, 1)} noticeable steps)"
        said.append((max(steps), _names([who for who, _distance in by]), words))
    far = [(who, words) for _steps, who, words in sorted(said, key=lambda one: -one[0])]
    return far + [(_names(who), f"no {listed(words, 'or')}") for words, who in missing.items()]


def _names(who: Sequence[str]) -> str:
    return listed(list(dict.fromkeys(who)))


def _from_to(values: Sequence[float], digits: int) -> str:
    low, high = (f"{one:.{digits}f}" for one in (min(values), max(values)))
    return low if low == high else f"{low} to {high}"
