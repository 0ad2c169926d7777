"""What a coffee should taste like, and how far a cup is from that in noticeable steps."""

from __future__ import annotations

from collections.abc import Mapping
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


def off_target_words(distance: Distance) -> list[str]:
    """What is noticeably off, and which words are missing, in words."""
    off = [
        f"{BY_FIELD[line].more if distance.points[line] > 0 else BY_FIELD[line].less} than wanted "
        f"by {abs(distance.points[line]):.0f} ({abs(distance.steps[line]):.1f} noticeable steps)"
        for line in distance.off
    ]
    return [*off, f"no {listed(distance.missing, 'or')}"] if distance.missing else off
