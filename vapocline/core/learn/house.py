"""What to believe of a coffee, grinder and machine before their first shot, from what others of the
house have taught.

Every unknown of two pucks is alike so far as they share what it belongs to. That makes a Gaussian
process over pucks (kriging, Rasmussen and Williams 2006, 2.2) an unknown: what each fit added to
what it began with is an observation of its own puck.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.coffee.coffee import Process, Roast
from vapocline.core.learn.learning import Learning, Parameter
from vapocline.core.puck.knowledge import Knowledge, Learnt
from vapocline.core.puck.unknowns import UNKNOWNS, UnknownLevel

LEAST_TAUGHT = 0.02  # of what was believed before: less is no observation


class Puck(NamedTuple):
    """What a puck shares with another: the same numbers are the same things."""

    coffee: int
    grinder: int
    machine: int
    roast: Roast
    process: Process


class LearntOf(NamedTuple):
    """What was learnt of one puck's like."""

    puck: Puck
    learning: Learning


def house_knowledge(puck: Puck, others: Sequence[LearntOf]) -> Knowledge | None:
    """What others say of a puck that was never pulled; None where they say nothing of it."""
    if not others:
        return None
    learnt = []
    for unknown in UNKNOWNS:
        observed = [
            (other.puck, said)
            for other in others
            for one in other.learning.parameters
            if one.name == unknown.name and (said := _observation(one)) is not None
        ]
        mean, sd = _kriged(puck, observed, unknown.level, unknown.spread)
        if sd < unknown.spread * (1 - LEAST_TAUGHT / 2):
            learnt.append(Learnt(name=unknown.name, mean=round(mean, 5), sd=round(sd, 5)))
    if not learnt:
        return None
    pulls = [other.learning.knowledge.pull_spread for other in others]
    return Knowledge(
        others=len(others),
        learnt=tuple(learnt),
        correlations=tuple(map(tuple, np.eye(len(learnt)).tolist())),
        pull_spread=round(float(np.mean(pulls)), 4),
    )


class _Observation(NamedTuple):
    """What shots alone say of an unknown, and its variance."""

    value: float
    variance: float


def _observation(one: Parameter) -> _Observation | None:
    """What a fit added to what it began with, so that nothing is believed twice."""
    if one.sd <= 0 or one.prior_sd <= 0:
        return None
    before = one.prior_sd**-2
    added = one.sd**-2 - before
    if added < LEAST_TAUGHT * before:
        return None
    value = (one.value * one.sd**-2 - one.prior * before) / added
    return _Observation(value, 1 / added)


def _kriged(
    puck: Puck, observed: Sequence[tuple[Puck, _Observation]], level: UnknownLevel, spread: float
) -> tuple[float, float]:
    """Mean and standard deviation of a puck's unknown, given those of others."""
    if not observed:
        return 0.0, spread
    pucks = [one for one, _said in observed]
    alike = np.array([[_alike(level, a, b) for a in pucks] for b in pucks])
    here = np.array([_alike(level, puck, one) for one in pucks])
    noise = np.diag([said.variance for _one, said in observed]) / spread**2
    weights: Floats = np.linalg.solve(alike + noise, here)
    mean = float(weights @ np.array([said.value for _one, said in observed]))
    return mean, spread * float(np.sqrt(max(1e-6, 1 - weights @ here)))


def _alike(level: UnknownLevel, a: Puck, b: Puck) -> float:
    """How alike an unknown of two pucks is, from 0 to 1: sums and products of what they share, so
    that any number of pucks go together. Shares are ours."""
    machine, grinder, coffee = (
        float(getattr(a, one) == getattr(b, one)) for one in ("machine", "grinder", "coffee")
    )
    same = machine * grinder * coffee
    match level:
        case "machine":
            return 0.9 * machine + 0.1 * same
        case "coffee and grinder":
            return 0.4 * grinder + 0.2 * coffee + 0.3 * grinder * coffee + 0.1 * same
        case "coffee":
            kind = float((a.roast, a.process) == (b.roast, b.process))
            return 0.2 + 0.2 * kind + 0.5 * coffee + 0.1 * same
        case "preparation":
            return 0.7 + 0.3 * same
