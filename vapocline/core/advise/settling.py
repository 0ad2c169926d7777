"""Settling: whether a change did what was expected of it, by the next tasted shot."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Literal

from vapocline.core.advise.between import moves_between
from vapocline.core.advise.evidence import LineMoved, TastedShot, tried
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
    moved as expected."""

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
    made = moves_between(before.plan, after.plan)
    if regrind:
        made = [one for one in made if MOVE[move].where == "grind" or one not in REGRINDS]
    moved = next((one.lines.get(line) for one in tried([cups], spreads) if line), None)
    outcome: ExpectationOutcome = "not tasted alike"
    if made != [move]:
        outcome, moved = "not made", None
    elif moved is not None:
        outcome = _outcome(moved, hoped)
    return Settled(
        move=move,
        words=MOVE[move].words,
        outcome=outcome,
        line=line,
        expected=round(hoped, 2),
        steps=None if moved is None else round(moved.steps, 2),
        chance=None if moved is None else round(_chance(moved, hoped), 2),
    )


def _outcome(moved: LineMoved, hoped: float) -> ExpectationOutcome:
    """Decided only where two pulls of one recipe would differ so much once in twenty."""
    if moved.pulls is None:
        return "too small to tell"
    estimate = StepEstimate(moved.points, moved.pulls.sd * math.sqrt(2), moved.pulls.df)
    if estimate.p_value > ALPHA:
        return "too small to tell"
    return "as expected" if moved.points * hoped > 0 else "against it"


def _chance(moved: LineMoved, hoped: float) -> float:
    """How probably it moved the way that was hoped for."""
    odds = odds_of(PairEvidence(moved.points, moved.pair.sd, moved.pair.df, 1.0))
    return odds.more if hoped > 0 else odds.less
