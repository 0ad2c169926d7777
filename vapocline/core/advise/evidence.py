"""Own evidence: how lines of taste moved from one pull to another, and by which one move."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from statistics import fmean
from typing import NamedTuple

from vapocline.core.advise.between import move_between, same_recipe
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.odds import pair_spread
from vapocline.core.taste.spreads import HouseSpreads, ScoreSpread
from vapocline.core.taste.tasting import Line


class TastedShot(NamedTuple):
    """One shot as run and as tasted: its plan with the set-up as tamped, scores by taster and way
    of tasting, such as hot and straight, its number, and whether every cup of it was blind."""

    plan: Plan
    scores: Mapping[tuple[str, str], Mapping[Line, float]]
    number: int = 0
    blind: bool = False


class LineMoved(NamedTuple):
    """How far a line moved from one pull to another: points, and the same in noticeable steps, over
    tasters; `noticeable` is the points of one such step. `pulls` is the spread between pulls where
    that is known, `pair` what is to be reckoned with of one pair."""

    points: float
    noticeable: float
    pulls: ScoreSpread | None
    pair: ScoreSpread

    @property
    def steps(self) -> float:
        """In noticeable steps."""
        return self.points / self.noticeable

    @property
    def steps_sd(self) -> float:
        """Of one pair of pulls that are alike, in noticeable steps."""
        return self.pair.sd / self.noticeable


class Tried(NamedTuple):
    """A change that was really made on this coffee: the move, None where it was none alone, how far
    each line moved, the plan it came to, and which pulls were compared."""

    move: str | None
    lines: Mapping[Line, LineMoved]
    plan: Plan | None = None
    pulls: tuple[int, int] = (0, 1)
    blind: bool = False


def tried(pairs: Iterable[tuple[TastedShot, TastedShot]], spreads: HouseSpreads) -> list[Tried]:
    """What each change between two shots did to the lines that a taster scored in both. A pair of
    pulls is one observation: of all its tasters, and of its cups hot, warm and cool. What was
    changed together with something else speaks of the recipe it came to alone."""
    found = []
    for before, after in pairs:
        if same_recipe(before.plan, after.plan):
            continue
        lines = _moved(before, after, spreads)
        if lines:
            move = move_between(before.plan, after.plan)
            pulls = before.number, after.number
            found.append(Tried(move, lines, after.plan, pulls, before.blind and after.blind))
    return found


def _moved(before: TastedShot, after: TastedShot, spreads: HouseSpreads) -> dict[Line, LineMoved]:
    apart: dict[Line, dict[str, list[float]]] = {}
    for taster, way in sorted(before.scores.keys() & after.scores.keys()):
        was, now = before.scores[taster, way], after.scores[taster, way]
        for line in was.keys() & now.keys():
            apart.setdefault(line, {}).setdefault(taster, []).append(now[line] - was[line])
    return {
        line: moved_line({who: fmean(own) for who, own in each.items()}, line, spreads)
        for line, each in apart.items()
    }


def moved_line(steps: Mapping[str, float], line: Line, spreads: HouseSpreads) -> LineMoved:
    """How far a line moved, by each taster's own points."""
    tasters: Sequence[str] = sorted(steps)
    pulls = spreads.of_pulls(tasters, line)
    own = [spreads.of_taster(taster, line) for taster in tasters]
    noticeable = fmean(spreads.noticeable_points(taster, line) for taster in tasters)
    pair = pair_spread(spreads.seen_of_pulls(tasters, line), own)
    return LineMoved(fmean(steps.values()), noticeable, pulls, pair)
