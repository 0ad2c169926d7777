"""Rankings of several cups: whether there is an order at all, which cups differ in it, and
how far tasters agree."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, permutations

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats
from vapocline.core.taste.discrimination import ALPHA

EXACT_STEPS = 400_000  # sums of ranks times orders that are counted out; more are drawn
DRAWS = 20_000


@dataclass(frozen=True)
class Ranking:
    """Friedman's test over rankings. `mean_places` of the cups, 1 for the best; `agreement` is
    Kendall's W, 0 for none, 1 where all tasters rank alike; `pair_p_values` how often the first and
    the last of cups that are all alike lie as far apart as two of them do."""

    tasters: int
    mean_places: tuple[float, ...]
    q: float
    p_value: float
    agreement: float
    pair_p_values: Mapping[tuple[int, int], float]

    @property
    def believed(self) -> bool:
        """Whether cups that are all alike are ranked so unlike too seldom to be believed."""
        return self.p_value <= ALPHA

    @property
    def distinct_pairs(self) -> list[tuple[int, int]]:
        """Pairs of cups that differ significantly, the better first; none without an order."""
        if not self.believed:
            return []
        pairs = [pair for pair, p_value in self.pair_p_values.items() if p_value <= ALPHA]
        return [pair if self._is_better(*pair) else (pair[1], pair[0]) for pair in pairs]

    def _is_better(self, one: int, other: int) -> bool:
        return self.mean_places[one] < self.mean_places[other]


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
    pairs = list(combinations(range(cups), 2))
    if spread == 0:  # everybody ties everything
        return Ranking(tasters, mean, 0.0, 1.0, 0.0, dict.fromkeys(pairs, 1.0))
    sums = ranks.sum(axis=0)
    unlike = float(_unlike(sums))
    q = (cups - 1) * unlike / spread
    agreement = q / (tasters * (cups - 1))
    drawn, shares = _sums_by_chance(ranks, seed)
    ranges = drawn.max(axis=1) - drawn.min(axis=1)
    apart = {
        (one, other): float(shares[ranges >= abs(sums[one] - sums[other]) - 1e-9].sum())
        for one, other in pairs
    }
    by_chance = float(shares[_unlike(drawn) >= unlike - 1e-9].sum())
    return Ranking(tasters, mean, q, by_chance, agreement, apart)


def _unlike(sums: Floats) -> Floats:
    found: Floats = ((sums - sums.mean(axis=-1, keepdims=True)) ** 2).sum(axis=-1)
    return found


def _sums_by_chance(ranks: Floats, seed: int) -> tuple[Floats, Floats]:
    """(sums of ranks, how often each comes) of rankings with the same ties in any order."""
    sums: dict[tuple[float, ...], float] = {tuple(sorted(ranks[0])): 1.0}
    for row in ranks[1:]:
        orders = set(permutations(row.tolist()))
        if len(sums) * len(orders) > EXACT_STEPS:
            return _drawn(ranks, seed)
        sums = _added(sums, np.array(sorted(orders)))
    return np.array(list(sums)), np.array(list(sums.values()))


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


def _drawn(ranks: Floats, seed: int) -> tuple[Floats, Floats]:
    draw = np.random.default_rng(seed)
    shuffled = draw.permuted(np.broadcast_to(ranks, (DRAWS, *ranks.shape)), axis=2)
    sums: Floats = np.concatenate([ranks.sum(axis=0)[None], shuffled.sum(axis=1)])
    return sums, np.full(len(sums), 1 / len(sums))
