"""Settling: whether a change did what was expected of it, by the next tasted shot."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

from vapocline.core.advise.between import moves_between
from vapocline.core.advise.evidence import TastedShot, tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.base.document import Answer
from vapocline.core.taste.contrasts import StepEstimate
from vapocline.core.taste.discrimination import ALPHA
from vapocline.core.taste.odds import PairEvidence, odds_of
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import Line

ExpectationOutcome = Literal[
    "as expected", "against it", "too small to tell", "not tasted alike", "not made"
]
REGRINDS = ("finer", "coarser")


class Settled(Answer):
    """What came of a change, named in `words`: `line` is what it was for, `expected` and `steps`
    noticeable steps of that, None where no taster scored it both times. `chance` is how probably it
    moved as expected; it is only told where pulls that are alike would differ so much at most once
    in twenty."""

    move: str
    words: str
    outcome: ExpectationOutcome
    line: Line | None
    expected: float
    steps: float | None
    chance: float | None


def settled(
    move: str,
    expected: Mapping[Line, float],
    cups: tuple[TastedShot, TastedShot],
    spreads: HouseSpreads,
    *,
    regrind: bool = False,
) -> Settled:
    """The shot before and the one after. A change that was not really made, or not alone, settles
    nothing; with `regrind` the grind was refitted with it."""
    largest = sorted(expected.items(), key=lambda one: -abs(one[1]))[:1]
    line, hoped = largest[0] if largest else (None, 0.0)
    before, after = cups
    words = MOVE[move].words
    made = moves_between(before.plan, after.plan)
    if regrind:
        made = [one for one in made if MOVE[move].where == "grind" or one not in REGRINDS]
    if made != [move]:
        return Settled(
            move=move,
            words=words,
            outcome="not made",
            line=line,
            expected=hoped,
            steps=None,
            chance=None,
        )
    seen = [one.lines[line] for one in tried([cups], spreads) if line and line in one.lines]
    if not seen:
        return Settled(
            move=move,
            words=words,
            outcome="not tasted alike",
            line=line,
            expected=hoped,
            steps=None,
            chance=None,
        )
    [moved] = seen
    outcome: ExpectationOutcome = "too small to tell"
    if moved.pulls is not None:
        error = moved.pulls.sd * math.sqrt(2)
        if StepEstimate(moved.points, error, moved.pulls.df).p_value <= ALPHA:
            outcome = "as expected" if moved.points * hoped > 0 else "against it"
    odds = odds_of(PairEvidence(moved.points, moved.pair.sd, moved.pair.df, 1.0))
    return Settled(
        move=move,
        words=words,
        outcome=outcome,
        line=line,
        expected=round(hoped, 2),
        steps=round(moved.steps, 2),
        chance=round(odds.more if hoped > 0 else odds.less, 2),
    )
