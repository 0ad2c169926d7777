"""Weighing: how far a change should move what is off, whether that can be seen, and what own cups
say. One voice is never made of schools that contradict each other; this only orders them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from vapocline.core.advise.between import same_recipe
from vapocline.core.advise.candidates import Candidate
from vapocline.core.advise.moves import MOVE
from vapocline.core.base.document import Answer
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.tasting import Line

# Before own cups: half the model and half the school's promise, one noticeable step wide.
PROMISED_STEPS, MODEL_SHARE, PRIOR_SD = 0.8, 0.5, 1.0
TRIED_SD = 0.72  # of one cup against one: two steps of a single score are 2.77 of its sd
HARM_SHARE = 0.3  # of what else moves
REGRIND_COST = 0.1
MOST_CUPS = 20
FAILED = 2  # more cups against than for


class LineOffTarget(NamedTuple):
    """A line of the form that is off target, and the noticeable steps it should move by."""

    line: Line
    steps: float


class Tried(NamedTuple):
    """A change that was really made on this coffee: the move, None where it was none alone, how far
    each line moved, in noticeable steps, and the plan it came to."""

    move: str | None
    steps: Mapping[Line, float]
    plan: Plan | None = None


Signed = tuple[int, Tried]  # -1 where it was made the other way round


class Weighed(Answer):
    """A candidate weighed. `expected` are noticeable steps of each line, own cups included;
    `cups_to_see` how many of each it takes to see them, None for more than twenty; `failed` where
    own cups speak against it: two more against than for, or one where this very recipe was
    tasted."""

    candidate: Candidate
    expected: dict[Line, float]
    rank: float
    cups_for: int
    cups_against: int
    cups_to_see: int | None
    failed: bool


def weighed(
    candidates: Sequence[Candidate],
    aims: Sequence[LineOffTarget],
    tried: Sequence[Tried],
    near: Sequence[LineOffTarget] = (),
) -> list[Weighed]:
    """Candidates, the best first; those that failed on this coffee last. `near` are lines with a
    target that are off it by less than can be told: what moves them away from it harms."""
    found = [_weighed(one, aims, near, tried) for one in candidates]
    return sorted(found, key=lambda one: (one.failed, -one.rank))


def _weighed(
    candidate: Candidate,
    aims: Sequence[LineOffTarget],
    near: Sequence[LineOffTarget],
    every: Sequence[Tried],
) -> Weighed:
    lines = {*candidate.steps, *(line for v in candidate.voices for line in v.promise)}
    tried = _of_candidate(candidate, every)
    expected = {line: _expected(candidate, line, tried) for line in sorted(lines)}
    wanted = {aim.line: aim.steps for aim in aims}
    within = {aim.line: aim.steps for aim in near if aim.line not in wanted}
    gain = sum(_gained(expected.get(line, 0.0), steps) for line, steps in wanted.items())
    harm = sum(
        -_gained(steps, within[line]) if line in within else abs(steps)
        for line, steps in expected.items()
        if line not in wanted
    )
    largest = max((abs(expected.get(line, 0.0)) for line in wanted), default=0.0)
    cost = HARM_SHARE * harm + (REGRIND_COST if candidate.purge_g else 0.0)
    pro, con = _cups(wanted, tried)
    return Weighed(
        candidate=candidate,
        expected={line: round(steps, 2) for line, steps in expected.items()},
        rank=round(gain * _chance(largest) - cost, 3),
        cups_for=pro,
        cups_against=con,
        cups_to_see=_cups_to_see(largest),
        failed=con - pro >= FAILED or (con > pro and _tasted(candidate, tried)),
    )


def _expected(candidate: Candidate, line: Line, tried: Sequence[Signed]) -> float:
    """Noticeable steps of a line: normal, with own cups as observations of it (conjugate, Bishop
    2006, 2.3.6)."""
    promises = [v.promise[line] for v in candidate.voices if line in v.promise]
    promise = PROMISED_STEPS * sum(promises) / len(promises) if promises else 0.0
    model = candidate.steps.get(line)
    prior = promise if model is None else (1 - MODEL_SHARE) * promise + MODEL_SHARE * model
    seen = [sign * one.steps[line] for sign, one in tried if line in one.steps]
    weight, each = PRIOR_SD**-2, TRIED_SD**-2
    return (prior * weight + each * sum(seen)) / (weight + each * len(seen))


def _tasted(candidate: Candidate, tried: Sequence[Signed]) -> bool:
    """Whether the very recipe it comes to was tasted already."""
    return any(
        one.plan is not None and same_recipe(one.plan, candidate.plan) for _sign, one in tried
    )


def _of_candidate(candidate: Candidate, tried: Sequence[Tried]) -> list[Signed]:
    """What own cups say of a change: of the same move, with the other sign of the one that undoes
    it, and of whatever came to the very same recipe."""
    opposite = MOVE[candidate.move].opposite
    found: list[Signed] = []
    for one in tried:
        if one.move == candidate.move:
            found.append((+1, one))
        elif one.move is not None and one.move == opposite:
            found.append((-1, one))
        elif one.plan is not None and same_recipe(one.plan, candidate.plan):
            found.append((+1, one))
    return found


def _gained(expected: float, wanted: float) -> float:
    """How much nearer a line comes to its aim, in noticeable steps; past it counts against it."""
    return abs(wanted) - abs(wanted - expected)


def _chance(steps: float) -> float:
    """The chance that two cups side by side show a change of this many noticeable steps."""
    return 1 - math.exp(-(steps**2))


def _cups_to_see(steps: float) -> int | None:
    """Cups of each it takes to establish a difference of this many noticeable steps."""
    cups = math.inf if steps < 1e-6 else math.ceil(steps**-2)
    return int(cups) if cups <= MOST_CUPS else None


def _cups(wanted: Mapping[Line, float], tried: Sequence[Signed]) -> tuple[int, int]:
    """Own cups in which a change brought the lines that are off nearer, and further."""
    pro = con = 0
    for sign, one in tried:
        gained = sum(
            math.copysign(1, steps) * sign * one.steps[line]
            for line, steps in wanted.items()
            if line in one.steps
        )
        pro, con = pro + (gained > 0), con + (gained < 0)
    return pro, con
