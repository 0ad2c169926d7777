"""Weighing: how far a change should move what is off, whether that can be seen, and what own cups
say. One voice is never made of schools that contradict each other; this only orders them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from vapocline.core.advise.between import same_recipe
from vapocline.core.advise.candidates import Candidate
from vapocline.core.advise.evidence import Tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.base.document import Answer
from vapocline.core.taste.odds import Odds, PairEvidence, odds_of
from vapocline.core.taste.tasting import Line

# Before own cups: half the model and half the school's promise, one noticeable step wide.
PROMISED_STEPS, MODEL_SHARE, PRIOR_SD = 0.8, 0.5, 1.0
HARM_SHARE = 0.3  # of what else moves
REGRIND_COST = 0.1
MOST_CUPS = 20
FAILED = 0.75  # chance that a change moved the lines that are off the wrong way
GAIN_SD = 0.7  # noticeable steps that a change brings its lines nearer or further, usually


class LineOffTarget(NamedTuple):
    """A line of the form that is off target, and the noticeable steps it should move by."""

    line: Line
    steps: float


Signed = tuple[int, Tried]  # -1 where it was made the other way round


class Weighed(Answer):
    """A candidate weighed. `expected` are noticeable steps of each line, own pulls included;
    `pulls_for` and `pulls_against` in how many of them it brought the lines that are off nearer, or
    further; `chance_nearer` and `chance_further` how probably it does, None where it was never made
    here; `cups_to_see` how many of each it takes to see them, None for more than twenty; `failed`
    where own pulls speak against it: probably further, or this very recipe tasted and no better."""

    candidate: Candidate
    expected: dict[Line, float]
    rank: float
    pulls_for: int
    pulls_against: int
    chance_nearer: float | None
    chance_further: float | None
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
    pro, con = _pulls(wanted, tried)
    odds = _odds(wanted, tried)
    return Weighed(
        candidate=candidate,
        expected={line: round(steps, 2) for line, steps in expected.items()},
        rank=round(gain * _chance(largest) - cost, 3),
        pulls_for=pro,
        pulls_against=con,
        chance_nearer=None if odds is None else round(odds.more, 2),
        chance_further=None if odds is None else round(odds.less, 2),
        cups_to_see=_cups_to_see(largest),
        failed=(odds is not None and odds.less >= FAILED)
        or (con > pro and _tasted(candidate, tried)),
    )


def _expected(candidate: Candidate, line: Line, tried: Sequence[Signed]) -> float:
    """Noticeable steps of a line: normal, with pairs of own pulls as observations of it, each as
    sure as pulls and tasters are here (conjugate, Bishop 2006, 2.3.6)."""
    promises = [v.promise[line] for v in candidate.voices if line in v.promise]
    promise = PROMISED_STEPS * sum(promises) / len(promises) if promises else 0.0
    model = candidate.steps.get(line)
    prior = promise if model is None else (1 - MODEL_SHARE) * promise + MODEL_SHARE * model
    weights, sums = PRIOR_SD**-2, prior * PRIOR_SD**-2
    for sign, one in tried:
        if line in one.lines:
            each = one.lines[line].steps_sd ** -2
            weights, sums = weights + each, sums + each * sign * one.lines[line].steps
    return sums / weights


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


def _gains(wanted: Mapping[Line, float], tried: Sequence[Signed]) -> list[tuple[float, float]]:
    """By how many noticeable steps each pair of own pulls brought the lines that are off nearer,
    and the standard deviation of that where nothing was changed."""
    found = []
    for sign, one in tried:
        moved = [(steps, one.lines[line]) for line, steps in wanted.items() if line in one.lines]
        if moved:
            gained = sum(math.copysign(1, steps) * sign * line.steps for steps, line in moved)
            found.append((gained, math.hypot(*(line.steps_sd for _, line in moved))))
    return found


def _pulls(wanted: Mapping[Line, float], tried: Sequence[Signed]) -> tuple[int, int]:
    """Pairs of own pulls in which a change brought the lines that are off nearer, and further."""
    gains = [gained for gained, _sd in _gains(wanted, tried)]
    return sum(gained > 0 for gained in gains), sum(gained < 0 for gained in gains)


def _odds(wanted: Mapping[Line, float], tried: Sequence[Signed]) -> Odds | None:
    gains = _gains(wanted, tried)
    if not gains:
        return None
    weights = [sd**-2 for _gained, sd in gains]
    mean = sum(w * gained for w, (gained, _sd) in zip(weights, gains, strict=True)) / sum(weights)
    df = min(line.pair.df for _sign, one in tried for line in one.lines.values())
    return odds_of(PairEvidence(mean, sum(weights) ** -0.5, df, 1.0), GAIN_SD)
