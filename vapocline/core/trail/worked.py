"""What worked on a coffee: each change that was made alone, summed up over its cups."""

from __future__ import annotations

import math
from collections.abc import Sequence
from statistics import fmean
from typing import Literal

from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.weighing import TRIED_SD, Tried
from vapocline.core.base.document import Answer
from vapocline.core.taste.tasting import Line

WITHIN_90 = 1.645  # standard errors
NOTICEABLE_STEPS = 1.0  # noticeable steps


class SummedChange(Answer):
    """One change over all its cups: in how many it was liked more and less, by how many noticeable
    steps on average, within `low` and `high` in nine of ten cases; None where none was liked or
    not. `lines` are other lines that moved by a noticeable step on average."""

    move: str
    words: str
    cups_for: int
    cups_against: int
    cups: int
    steps: float | None
    low: float | None
    high: float | None
    lines: dict[Line, float]
    verdict: Literal["helps", "hurts", "too few to tell"]


def summed_changes(tried: Sequence[Tried]) -> list[SummedChange]:
    """Changes with the most cups first; what undoes a change counts with the other sign under the
    one of both that was made more often."""
    made = [one.move for one in tried if one.move is not None]
    found = []
    for move in sorted(set(made)):
        opposite = MOVE[move].opposite
        others = made.count(opposite) if opposite else 0
        if (made.count(move), opposite or "") >= (others, move):
            found.append(_worked(move, tried))
    return sorted(found, key=lambda one: (-one.cups, one.words))


def _worked(move: str, tried: Sequence[Tried]) -> SummedChange:
    opposite = MOVE[move].opposite
    signed = [
        {line: (1 if one.move == move else -1) * steps for line, steps in one.steps.items()}
        for one in tried
        if one.move in (move, opposite)
    ]
    liked = [one["liking"] for one in signed if "liking" in one]
    lines = {line for one in signed for line in one} - {"liking"}
    means = {line: fmean(one[line] for one in signed if line in one) for line in sorted(lines)}
    mean = fmean(liked) if liked else None
    error = WITHIN_90 * TRIED_SD / math.sqrt(len(liked)) if liked else math.inf
    return SummedChange(
        move=move,
        words=MOVE[move].words,
        cups_for=sum(steps > 0 for steps in liked),
        cups_against=sum(steps < 0 for steps in liked),
        cups=len(signed),
        steps=None if mean is None else round(mean, 2),
        low=None if mean is None else round(mean - error, 2),
        high=None if mean is None else round(mean + error, 2),
        lines={
            line: round(steps, 1)
            for line, steps in means.items()
            if abs(steps) >= NOTICEABLE_STEPS
        },
        verdict="too few to tell" if mean is None or abs(mean) < error
        else "helps" if mean > 0 else "hurts",
    )  # fmt: skip
