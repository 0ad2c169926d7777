"""Rankings of several cups: whether there is an order at all, how far tasters agree, and how much
one cup is preferred to another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import permutations
from typing import Any

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats
from vapocline.core.taste.discrimination import ALPHA

EXACT_STEPS = 400_000  # sums of ranks times orders that are counted out; more are drawn
DRAWS = 20_000
LITTLE = 0.5  # Kendall's W, below which tasters hardly agree


@dataclass(frozen=True)
class Ranking:
    """Friedman's test over rankings. `mean_places` of the cups, 1 for the best;
    `agreement` is Kendall's W, 0 for none, 1 where all tasters rank alike."""

    tasters: int
    mean_places: tuple[float, ...]
    q: float
    p_value: float
    agreement: float

    @property
    def believed(self) -> bool:
        """Whether cups that are all alike are ranked so unlike too seldom to be believed."""
        return self.p_value <= ALPHA


def friedman(places: Sequence[Sequence[float]], seed: int = 1) -> Ranking:
    """Each row is one taster's places of the cups, ties as equal numbers. The probability is exact
    over all rankings with those ties, for large panels drawn from them.

    Source: M. Friedman, J. Am. Stat. Assoc. 32 (1937); ties as in W. J. Conover, Practical
    Nonparametric Statistics, 5.8; agreement: M. Kendall and B. Babington Smith (1939).
    """
    ranks = np.array([scipy.stats.rankdata(row) for row in places], dtype=float)
    tasters, cups = ranks.shape
    spread = float(((ranks - (cups + 1) / 2) ** 2).sum())
    mean = tuple(float(place) for place in ranks.mean(axis=0))
    if spread == 0:  # everybody ties everything
        return Ranking(tasters, mean, 0.0, 1.0, 0.0)
    unlike = _unlike(ranks.sum(axis=0))
    q = (cups - 1) * unlike / spread
    agreement = q / (tasters * (cups - 1))
    return Ranking(tasters, mean, q, _chance_of(unlike, ranks, seed), agreement)


def _unlike(sums: Floats) -> float:
    return float(((sums - sums.mean(axis=-1, keepdims=True)) ** 2).sum())


def _chance_of(unlike: float, ranks: Floats, seed: int) -> float:
    """How often rankings with the same ties, in any order, are at least so unlike."""
    sums: dict[tuple[float, ...], float] = {tuple(sorted(ranks[0])): 1.0}
    for row in ranks[1:]:
        orders = set(permutations(row.tolist()))
        if len(sums) * len(orders) > EXACT_STEPS:
            return _drawn(unlike, ranks, seed)
        sums = _added(sums, np.array(sorted(orders)))
    return sum(share for of, share in sums.items() if _unlike(np.array(of)) >= unlike - 1e-9)


def _added(
    sums: Mapping[tuple[float, ...], float], orders: Floats
) -> dict[tuple[float, ...], float]:
    """Sums of ranks with one more taster. Which cup is which does not matter: they are sorted."""
    more: dict[tuple[float, ...], float] = {}
    for of, share in sums.items():
        each = share / len(orders)
        for total in np.sort(np.array(of) + orders, axis=1).tolist():
            key = tuple(total)
            more[key] = more.get(key, 0.0) + each
    return more


def _drawn(unlike: float, ranks: Floats, seed: int) -> float:
    draw = np.random.default_rng(seed)
    shuffled = draw.permuted(np.broadcast_to(ranks, (DRAWS, *ranks.shape)), axis=2)
    sums = shuffled.sum(axis=1)
    each = ((sums - sums.mean(axis=1, keepdims=True)) ** 2).sum(axis=1)
    return float(((each >= unlike - 1e-9).sum() + 1) / (DRAWS + 1))


@dataclass(frozen=True)
class Strengths:
    """How much each cup is preferred, in logits about their mean, with standard errors."""

    worth: tuple[float, ...]
    errors: tuple[tuple[float, ...], ...]  # of each difference between two

    def preferred(self, one: int, other: int) -> float:
        """How probably the first of two is chosen over the second."""
        return float(1 / (1 + np.exp(self.worth[other] - self.worth[one])))

    def believed(self, one: int, other: int) -> bool:
        """Whether the difference of two is beyond 1.96 of its errors."""
        return abs(self.worth[one] - self.worth[other]) > 1.96 * self.errors[one][other]


PRIOR_LOGITS = 2.0  # sd; keeps a cup that won every time from being infinitely better


def bradley_terry(wins: Sequence[Sequence[float]], prior: float = PRIOR_LOGITS) -> Strengths:
    """`wins[i][j]` is how often i was chosen over j, a tie half for each. Most probable worths
    under a normal prior; errors from the curvature there.

    Source: R. Bradley and M. Terry, Biometrika 39 (1952).
    """
    won = np.array(wins, dtype=float)
    played = won + won.T

    def worse(worth: Floats) -> tuple[float, Any]:
        apart = worth[:, None] - worth[None, :]
        share = 1 / (1 + np.exp(-apart))
        loss = float((won * np.logaddexp(0, -apart)).sum() + (worth**2).sum() / (2 * prior**2))
        return loss, (played * share - won).sum(axis=1) + worth / prior**2

    found = scipy.optimize.minimize(
        worse, np.zeros(len(won)), jac=True, method="BFGS", options={"gtol": 1e-8}
    )
    worth = found.x - found.x.mean()
    return Strengths(tuple(worth.tolist()), _errors(worth, played, prior))


def _errors(worth: Floats, played: Floats, prior: float) -> tuple[tuple[float, ...], ...]:
    share = 1 / (1 + np.exp(worth[None, :] - worth[:, None]))
    seen = played * share * (1 - share)
    curvature = np.diag(seen.sum(axis=1)) - seen + np.eye(len(worth)) / prior**2
    spread = np.linalg.inv(curvature)
    own = np.diag(spread)
    apart = np.sqrt(np.maximum(own[:, None] + own[None, :] - 2 * spread, 0))
    return tuple(tuple(row) for row in apart.tolist())
