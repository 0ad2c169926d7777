"""Settling: whether a change did what was expected of it, by the next tasted shot."""

from __future__ import annotations

from collections.abc import Mapping
from statistics import fmean
from typing import Literal

from vapocline.core.advise.between import moves_between
from vapocline.core.advise.evidence import TastedShot, tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.base.document import Answer
from vapocline.core.taste.believable import Believable
from vapocline.core.taste.tasting import Line

ExpectationOutcome = Literal[
    "as expected", "against it", "too small to tell", "not tasted alike", "not made"
]
TELLS = 1.0  # noticeable steps
REGRINDS = ("finer", "coarser")


class Settled(Answer):
    """What came of a change, named in `words`: `line` is what it was for, `expected` and `steps`
    noticeable steps of that, None where no taster scored it both times."""

    move: str
    words: str
    outcome: ExpectationOutcome
    line: Line | None
    expected: float
    steps: float | None


def settled(
    move: str,
    expected: Mapping[Line, float],
    cups: tuple[TastedShot, TastedShot],
    smallest: Believable,
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
            move=move, words=words, outcome="not made", line=line, expected=hoped, steps=None
        )
    seen = [one.steps[line] for one in tried([cups], smallest) if line and line in one.steps]
    if not seen:
        return Settled(
            move=move,
            words=words,
            outcome="not tasted alike",
            line=line,
            expected=hoped,
            steps=None,
        )
    steps = fmean(seen)
    outcome: ExpectationOutcome = "as expected" if steps * hoped > 0 else "against it"
    if abs(steps) < TELLS:
        outcome = "too small to tell"
    return Settled(
        move=move,
        words=words,
        outcome=outcome,
        line=line,
        expected=round(hoped, 2),
        steps=round(steps, 2),
    )
