"""What worked on a coffee: each change that was made alone, summed up over its pulls."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from statistics import fmean
from typing import Literal, NamedTuple

import scipy  # its parts are imported where they are first used

from vapocline.core.advise.evidence import LineMoved, Tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.base.document import Answer
from vapocline.core.taste.contrasts import StepEstimate, significant
from vapocline.core.taste.discrimination import ALPHA
from vapocline.core.taste.odds import EFFECT_SD, PROBABLY, Odds, PairEvidence, in_words, odds_of
from vapocline.core.taste.tasting import Line


class SummedChange(Answer):
    """One change over all its pairs of pulls: in how many it was liked more and less, by how many
    points on average, and where the true effect lies in nineteen of twenty cases; None where none
    was liked or not, or where the spread between pulls is not known.

    `more`, `alike` and `less` are the chances that it is liked more, alike, less; `lines` are other
    lines that it moved, in points; `blind` whether only blind cups were weighed, as where there are
    any. `said` is what may be said of it.
    """

    move: str
    words: str
    pulls_for: int
    pulls_against: int
    pulls: int
    blind: bool
    points: float | None
    low: float | None
    high: float | None
    more: float | None
    alike: float | None
    less: float | None
    lines: dict[Line, float]
    verdict: Literal["helps", "hurts", "too few to tell"]
    said: str


class _Sum(NamedTuple):
    """A move's pairs, those made the other way round with the other sign."""

    move: str
    pairs: Sequence[tuple[int, Tried]]

    def moved(self, line: Line) -> list[tuple[int, LineMoved, tuple[int, int]]]:
        """Each pair's sign, what the line did, and the pulls."""
        return [(sign, one.lines[line], one.pulls) for sign, one in self.pairs if line in one.lines]

    def mean(self, line: Line) -> float:
        """Points, on average over pairs."""
        return fmean(sign * moved.points for sign, moved, _ in self.moved(line))

    def variance_share(self, line: Line) -> float:
        """The variance of the mean, in variances of one pull: pulls that several pairs share count
        once."""
        every = self.moved(line)
        share: dict[int, float] = {}
        for sign, _moved, (before, after) in every:
            share[before] = share.get(before, 0.0) - sign / len(every)
            share[after] = share.get(after, 0.0) + sign / len(every)
        return max(1e-9, sum(one**2 for one in share.values()))

    def estimate(self, line: Line) -> StepEstimate | None:
        """None where the spread between pulls is not known for all of them."""
        known = [moved.pulls for _, moved, _ in self.moved(line)]
        spreads = [one for one in known if one is not None]
        if not spreads or len(spreads) < len(known):
            return None
        sd = math.sqrt(fmean(one.sd**2 for one in spreads))
        error = sd * math.sqrt(self.variance_share(line))
        return StepEstimate(self.mean(line), error, min(one.df for one in spreads))

    def odds(self, effect_sd: float) -> Odds:
        """Of liking."""
        pairs = [moved.pair for _, moved, _ in self.moved("liking")]
        sd = math.sqrt(fmean(one.sd**2 for one in pairs))
        evidence = PairEvidence(
            self.mean("liking"), sd, min(one.df for one in pairs), 2 / self.variance_share("liking")
        )
        return odds_of(evidence, effect_sd)


def summed_changes(tried: Sequence[Tried], effect_sd: float = EFFECT_SD) -> list[SummedChange]:
    """Changes with the most pulls first; what undoes a change counts with the other sign under the
    one of both that was made more often. Of what is said to help or hurt on a coffee at most one in
    twenty is false (Benjamini and Hochberg, J. R. Stat. Soc. B 57, 1995)."""
    sums = [_sum(move, tried) for move in _moves(tried)]
    estimates = {each.move: each.estimate("liking") for each in sums if each.moved("liking")}
    tested = {move: found.p_value for move, found in estimates.items() if found is not None}
    if tested:
        adjusted = scipy.stats.false_discovery_control(list(tested.values()))
        tested = dict(zip(tested, map(float, adjusted), strict=True))
    found = [
        _worked(each, estimates.get(each.move), tested.get(each.move, 1.0) <= ALPHA, effect_sd)
        for each in sums
    ]
    return sorted(found, key=lambda one: (-one.pulls, one.words))


def _moves(tried: Sequence[Tried]) -> list[str]:
    made = [one.move for one in tried if one.move is not None]
    found = []
    for move in sorted(set(made)):
        opposite = MOVE[move].opposite
        others = made.count(opposite) if opposite else 0
        if (made.count(move), opposite or "") >= (others, move):
            found.append(move)
    return found


def _sum(move: str, tried: Sequence[Tried]) -> _Sum:
    """Of blind pairs alone where there are any: who sees the cup tastes the change."""
    opposite = MOVE[move].opposite
    pairs = [(1 if one.move == move else -1, one) for one in tried if one.move in (move, opposite)]
    blind = [pair for pair in pairs if pair[1].blind]
    return _Sum(move, blind or pairs)


def _worked(
    one: _Sum, estimate: StepEstimate | None, is_significant: bool, effect_sd: float
) -> SummedChange:
    liked = [sign * moved.points for sign, moved, _ in one.moved("liking")]
    odds = one.odds(effect_sd) if liked else None
    low, high = (None, None) if estimate is None else estimate.range()
    verdict: Literal["helps", "hurts", "too few to tell"] = "too few to tell"
    if is_significant and estimate is not None:
        verdict = "helps" if estimate.points > 0 else "hurts"
    return SummedChange(
        move=one.move,
        words=MOVE[one.move].words,
        pulls_for=sum(points > 0 for points in liked),
        pulls_against=sum(points < 0 for points in liked),
        pulls=len(one.pairs),
        blind=all(pair.blind for _, pair in one.pairs),
        points=round(fmean(liked), 2) if liked else None,
        low=None if low is None else round(low, 2),
        high=None if high is None else round(high, 2),
        more=None if odds is None else round(odds.more, 2),
        alike=None if odds is None else round(odds.alike, 2),
        less=None if odds is None else round(odds.less, 2),
        lines=_lines(one) if verdict != "too few to tell" else {},
        verdict=verdict,
        said=_said(verdict, odds, len(liked)),
    )


class _LineTest(NamedTuple):
    line: Line
    estimate: StepEstimate

    @property
    def p_value(self) -> float:
        return self.estimate.p_value


def _lines(one: _Sum) -> dict[Line, float]:
    """Other lines that a change which helps or hurts moved, tested together."""
    lines = sorted({line for _, pair in one.pairs for line in pair.lines} - {"liking"})
    tests = [_LineTest(line, found) for line in lines if (found := one.estimate(line))]
    return {test.line: round(test.estimate.points, 1) for test in significant(tests, ALPHA)}


def _said(verdict: str, odds: Odds | None, pairs: int) -> str:
    if verdict != "too few to tell":
        return verdict
    if odds is None:
        return "not scored for liking"
    few = "one cup each" if pairs == 1 else "too few to tell"
    if odds.better < PROBABLY:
        return few
    better = "helps" if odds.more >= odds.less else "hurts"
    return f"probably {better}, {in_words(odds.better)}; {few}"


def liking_effects(tried: Sequence[Tried]) -> list[tuple[float, float]]:
    """By how many points each change moved liking, and the variance of that by chance."""
    moved: list[Mapping[Line, LineMoved]] = [one.lines for one in tried]
    return [(own["liking"].points, own["liking"].pair.sd ** 2) for own in moved if "liking" in own]
