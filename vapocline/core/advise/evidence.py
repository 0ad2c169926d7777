"""Own evidence: how lines of taste moved from one cup to another, and by which one move."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from vapocline.core.advise.between import move_between, same_recipe
from vapocline.core.advise.weighing import Tried
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.believable import Believable
from vapocline.core.taste.tasting import Line


class TastedShot(NamedTuple):
    """One shot as run and as tasted: its plan with the set-up as tamped, and scores by taster and
    way of tasting, such as hot and straight."""

    plan: Plan
    scores: Mapping[tuple[str, str], Mapping[Line, float]]


def tried(pairs: Iterable[tuple[TastedShot, TastedShot]], smallest: Believable) -> list[Tried]:
    """What each change between two shots did to the lines that one taster scored in both. What was
    changed together with something else speaks of the recipe it came to alone."""
    found = []
    for before, after in pairs:
        if same_recipe(before.plan, after.plan):
            continue
        move = move_between(before.plan, after.plan)
        for taster, way in sorted(before.scores.keys() & after.scores.keys()):
            was, now = before.scores[taster, way], after.scores[taster, way]
            steps = {
                line: (now[line] - was[line]) / smallest.of(taster, line).points
                for line in was.keys() & now.keys()
            }
            if steps:
                found.append(Tried(move, steps, after.plan))
    return found
