"""Move the model's constants until the rows of its tables hold: `python -m benchmarks.fit`.

Least squares over how far each row lies outside its bounds, in its own scale, with a weak pull
towards where each constant stands. It prints the constants to write into constants.py, and what
each row then gives; it changes no file.
"""

from __future__ import annotations

import argparse
import math
import time
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from scipy.optimize import least_squares

from tests.core.puck.rows import ROWS, Puck, Row
from vapocline.core.base.arrays import Floats
from vapocline.core.puck.constants import CONSTANTS, Constants

MARGIN = 0.25  # of a row's scale: how far inside its bounds it should come
PULL = 0.08  # of a row's weight, on a constant moved by half
STEP = 0.05  # of a slope: wide, as times are read off samples
SIGNED = tuple(name for name in Constants._fields if name.endswith(("_light", "_dark")))
FIXED = (
    "permeability_power", "compaction_rise_s", "gas_keeps_bar", "unevenness_top",
    "dispersion_cm", "compaction_power", "unevenness_released",
    "drain_share",
)  # fmt: skip
FREE = tuple(name for name in Constants._fields if name not in FIXED)
LEAST = {"uptake_tau_s": 2.5, "unevenness_pressed": 0.3, "compaction_recovery_s": 15.0}
MOST = {"compaction_recovery_s": 25.0, "fines_lock_s": 30.0, "unevenness_pressed": 1.6}


class Start(NamedTuple):
    """Where the search starts, in its own terms: logarithms, or the value where it is signed."""

    constants: Constants

    def values(self) -> Floats:
        return np.array([_inner(name, getattr(self.constants, name)) for name in FREE])

    def at(self, inner: Floats) -> Constants:
        found = {name: _outer(name, float(x)) for name, x in zip(FREE, inner, strict=True)}
        return self.constants._replace(**found)

    def bounds(self) -> tuple[Floats, Floats]:
        now = self.values()
        low, high = now - 1.0, now + 1.0
        for k, name in enumerate(FREE):
            if name in SIGNED:
                low[k], high[k] = -0.3, 0.3
            low[k] = max(low[k], _inner(name, LEAST[name])) if name in LEAST else low[k]
            high[k] = min(high[k], _inner(name, MOST[name])) if name in MOST else high[k]
        return low, high


def _inner(name: str, value: float) -> float:
    return value if name in SIGNED else math.log(value)


def _outer(name: str, inner: float) -> float:
    return inner if name in SIGNED else math.exp(inner)


def miss(row: Row, value: float) -> float:
    """How far a value lies outside a row's bounds, in its scale; 0 well inside."""
    if math.isnan(value):
        return 5.0
    inside = min(MARGIN * row.scale, 0.3 * (row.high - row.low))
    below, above = row.low + inside - value, value - row.high + inside
    return max(0.0, below, above) / row.scale


def misses(constants: Constants) -> Floats:
    """Of every row under some constants."""
    puck = Puck(constants)
    return np.array([min(5.0, miss(row, row.value(puck))) for row in ROWS])


def fit(start: Start, rounds: int) -> Constants:
    began, low_high = start.values(), start.bounds()

    def residuals(inner: Floats) -> Floats:
        return np.concatenate([misses(start.at(inner)), PULL * (inner - began) / 0.4])

    def slopes(inner: Floats) -> Floats:
        base = residuals(inner)

        def column(k: int) -> Floats:
            moved = inner.copy()
            moved[k] += STEP if inner[k] + STEP < low_high[1][k] else -STEP
            slope: Floats = (residuals(moved) - base) / (moved[k] - inner[k])
            return slope

        with ThreadPoolExecutor(2) as pool:
            return np.array(list(pool.map(column, range(inner.size)))).T

    found = least_squares(
        residuals, began, jac=slopes, bounds=low_high, max_nfev=rounds, x_scale=0.2, verbose=2
    )
    return start.at(found.x)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--rounds", type=int, default=15)
    rounds = parser.parse_args().rounds
    began = time.perf_counter()
    found = fit(Start(CONSTANTS), rounds) if rounds else CONSTANTS
    puck = Puck(found)
    missed = 0
    for row in ROWS:
        value = row.value(puck)
        held = row.low <= value <= row.high
        missed += not held
        print(f"{'  ' if held else '✗ '}{row.name:64}{value:9.2f}   {row.low:g} to {row.high:g}")
    for name in Constants._fields:
        print(f"    {name}: float = {getattr(found, name):.4g}")
    print(f"{missed} of {len(ROWS)} rows missed, {time.perf_counter() - began:.0f} s")


if __name__ == "__main__":
    main()
