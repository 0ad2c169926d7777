"""A curve that never falls through measured points: outliers named, its error, its inverse.

Points at one place are averaged. Small falls are pooled (Barlow and others 1972, scipy's isotonic
regression); between the points the curve is Fritsch and Butland's (1984, scipy's PCHIP).
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats
from vapocline.core.base.problems import Problem, Refused

LEAST_PLACES = 3
FALL_SHARE = 0.05  # of the largest value: a fall smaller than this is measuring, not falling
OUTLIER_SHARE = 0.12  # of the largest value: a point further off than this may be a slip
OUTLIER_TIMES = 3.0  # as far off as this many times the error of the rest
BETTER = 2.0  # how much smaller the error of the rest must be
DRAWN = 61


@dataclass(frozen=True)
class Monotone:
    """The fit at its places, which rows were left out, and how far a point lies from the curve
    drawn without it (root mean square, in y's unit)."""

    x: Floats
    y: Floats
    outliers: tuple[int, ...]
    error: float

    def at(self, x: float) -> float:
        """The curve's value; beyond its ends the end's own."""
        curve = scipy.interpolate.PchipInterpolator(self.x, self.y)
        return float(curve(np.clip(x, self.x[0], self.x[-1])))

    def where(self, y: float) -> float:
        """The lowest place that gives at least a value; its ends for one out of reach."""
        xs = np.linspace(self.x[0], self.x[-1], 2001)
        ys = scipy.interpolate.PchipInterpolator(self.x, self.y)(xs)
        return float(xs[min(int(np.searchsorted(ys, y)), xs.size - 1)])


def monotone(x: list[float], y: list[float], *, what: str, unit: str, per: str) -> Monotone:
    """Fit a rising curve. `what` names y in a refusal, `unit` its unit, `per` x's.

    Raises Refused with fewer than three places, or where y falls as x rises.
    """
    rows = np.arange(len(x))
    places = np.unique(np.asarray(x, dtype=float))
    if places.size < LEAST_PLACES:
        got = f"{places.size} different position{'' if places.size == 1 else 's'}"
        raise Refused([Problem("rows", got, f"at least {LEAST_PLACES} positions that differ")])
    out = _outliers(np.asarray(x, dtype=float), np.asarray(y, dtype=float))
    kept = np.array([row for row in rows if row not in out])
    xs, ys, weights = _averaged(np.asarray(x, dtype=float)[kept], np.asarray(y, dtype=float)[kept])
    rising = np.asarray(scipy.optimize.isotonic_regression(ys, weights=weights).x, dtype=float)
    allowed = FALL_SHARE * float(np.max(ys))
    for (x0, y0), (x1, y1) in pairwise(zip(xs, ys, strict=True)):
        if y1 < y0 - allowed:
            got = f"{y1:.2f} {unit} at {x1:g} {per}, less than {y0:.2f} at {x0:g}"
            raise Refused([Problem("rows", got, f"{what} that never falls: measure both again")])
    return Monotone(xs, rising, tuple(sorted(out)), _left_out_error(xs, ys))


def _averaged(x: Floats, y: Floats) -> tuple[Floats, Floats, Floats]:
    """One point a place: its mean, and how often it was measured."""
    places, index = np.unique(x, return_inverse=True)
    count = np.bincount(index).astype(float)
    return places, np.bincount(index, weights=y) / count, count


def _outliers(x: Floats, y: Floats) -> set[int]:
    """Rows without which the rest agree far better; at most one in four, and four places stay.

    Looking at each row's own distance would not do: a slip draws its neighbours' away too.
    """
    out: set[int] = set()
    while len(out) < x.size // 4:
        kept = np.array([row for row in range(x.size) if row not in out])
        a, b = x[kept], y[kept]
        if np.unique(a).size <= LEAST_PLACES + 1:
            return out
        rest = [_left_out_error(np.delete(a, i), np.delete(b, i)) for i in range(kept.size)]
        worst = int(np.argmin(rest))
        limit = max(OUTLIER_SHARE * float(np.max(b)), OUTLIER_TIMES * rest[worst])
        if rest[worst] * BETTER > _left_out_error(a, b) or _off(a, b, worst) <= limit:
            return out
        out.add(int(kept[worst]))
    return out


def _off(x: Floats, y: Floats, i: int) -> float:
    """How far a point lies from the curve through the others; at an end, from going on straight."""
    xs, ys, _ = _averaged(np.delete(x, i), np.delete(y, i))
    if xs.size < LEAST_PLACES - 1:
        return 0.0
    if xs[0] <= x[i] <= xs[-1]:
        curve = (
            scipy.interpolate.PchipInterpolator(xs, ys)(x[i])
            if xs.size > 2
            else np.interp(x[i], xs, ys)
        )
        return abs(float(y[i] - curve))
    a, b = (0, 1) if x[i] < xs[0] else (-1, -2)
    straight = ys[a] + (ys[b] - ys[a]) / (xs[b] - xs[a]) * (x[i] - xs[a])
    # Flow levels off towards an end: between staying level and going on straight all is well.
    low, high = sorted((float(ys[a]), float(straight)))
    return float(max(low - y[i], y[i] - high, 0.0))


def _left_out_error(x: Floats, y: Floats) -> float:
    """How far the inner points lie from the curve drawn without each, root mean square."""
    x, y, _ = _averaged(x, y)
    inner = [_off(x, y, i) for i in range(1, x.size - 1)]
    return float(np.sqrt(np.mean(np.square(inner)))) if inner else 0.0
