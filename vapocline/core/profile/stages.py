"""A curve as the fewest straight stages that follow it closely enough.

Segmented least squares by dynamic programming (Bellman 1961): the best cut of a curve into k
stages for every k at once.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vapocline.core.base.arrays import Floats

MOST_POINTS = 120


class Stage(NamedTuple):
    """From when to when, s, and the levels at both ends."""

    start_s: float
    end_s: float
    start: float
    end: float


def best_stages(t: Floats, v: Floats, most: int, *, ramps: bool) -> list[list[Stage]]:
    """The best cut into 1, 2, … `most` stages; a stage is straight, or level without `ramps`.

    `t` rises evenly; at most MOST_POINTS of its points are looked at.
    """
    every = max(1, -(-t.size // MOST_POINTS))
    t, v = t[::every], v[::every]
    n = t.size
    cost = _costs(t, v, ramps=ramps)
    most = min(most, n - 1)
    best = np.full((most + 1, n + 1), np.inf)
    cut = np.zeros((most + 1, n + 1), dtype=int)
    best[0, 0] = 0.0
    for k in range(1, most + 1):
        for j in range(1, n + 1):
            options = best[k - 1, :j] + cost[:j, j]
            cut[k, j] = int(np.argmin(options))
            best[k, j] = options[cut[k, j]]
    return [_stages(t, v, cut, k, ramps=ramps) for k in range(1, most + 1)]


def _costs(t: Floats, v: Floats, *, ramps: bool) -> Floats:
    """Squared distance from the best line through points i..j-1, for every i and j."""
    n = t.size
    sums = [np.concatenate([[0.0], np.cumsum(x)]) for x in (np.ones(n), t, v, t * t, t * v, v * v)]
    i, j = np.meshgrid(np.arange(n + 1), np.arange(n + 1), indexing="ij")
    m, st, sv, stt, stv, svv = (s[j] - s[i] for s in sums)
    m = np.maximum(m, 1.0)
    cost: Floats = svv - sv**2 / m
    if ramps:
        spread = stt - st**2 / m
        shared = stv - st * sv / m
        cost = cost - np.where(spread > 1e-9, shared**2 / np.maximum(spread, 1e-9), 0.0)
    cost = np.maximum(cost, 0.0)
    cost[j <= i] = np.inf
    return cost


def _stages(t: Floats, v: Floats, cut: NDArray[np.int_], k: int, *, ramps: bool) -> list[Stage]:
    found, j = [], t.size
    step = float(t[1] - t[0]) if t.size > 1 else 0.0
    while k > 0:
        i = int(cut[k, j])
        start, end = float(t[i]), float(t[j - 1]) + step
        levels = _levels(t[i:j], v[i:j], start, end) if ramps else (float(np.mean(v[i:j])),) * 2
        found.append(Stage(start, end, *levels))
        j, k = i, k - 1
    return found[::-1]


def _levels(t: Floats, v: Floats, start: float, end: float) -> tuple[float, float]:
    if t.size < 3:
        return float(np.mean(v)), float(np.mean(v))
    slope, level = np.polyfit(t, v, 1)
    return float(level + slope * start), float(level + slope * end)
