"""What is not known exactly of a shot before it is pulled: the one table the ranges rest on.

Spreads are ours to start with, as one standard deviation, and to be moved by logged shots.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.parameters import Parameters


class Prior(NamedTuple):
    """One unknown: which parameters it moves, by what spread, and why that much.

    A factor's spread is of its logarithm; a power's is of the exponent on fineness.
    """

    name: str
    kind: Literal["factor", "shift", "power"]
    spread: float
    unit: str
    fields: tuple[str, ...]
    reason: str


RATES = ("bright_per_s", "sweet_per_s", "bitter_per_s")
SOLIDS = ("bright_pct", "sweet_pct", "bitter_pct")
# What differs from pull to pull of a coffee and grinder that are known here.
PRIORS = (
    Prior("grind", "factor", 0.020, "of µm", ("permeability", "size_ratio"),
          "a setting repeats to about 6 µm; finer is slower (square) and gives more off"),
    Prior("packing", "factor", 0.110, "", ("permeability",),
          "distribution and tamp, what drifts on the way or opens a channel: pulls alike in all "
          "else differ by a second or two"),
    Prior("dose", "factor", 0.005, "of g", ("dose_g", "depth_cm"), "a scale's tenth of a gram"),
    Prior("unevenness", "factor", 0.35, "", ("unevenness",), "how even a puck is cannot be seen"),
    Prior("gas", "factor", 0.12, "of mL/g", ("gas_ml_g",), "rest in the bag depends on its valve"),
    Prior("uptake", "factor", 0.06, "of mL/g", ("uptake_ml_g",), "from puck weights after shots"),
    Prior("uptake time", "factor", 0.10, "of s", ("uptake_tau_s",), "grows with the grain's core"),
    Prior("fines", "factor", 0.12, "", ("fines_block",), "changes with burrs and bean"),
    Prior("erosion", "factor", 0.12, "", ("erosion",), "changes with the bean"),
    Prior("bright rate", "factor", 0.07, "of 1/s", ("bright_per_s",), "changes with the bean"),
    Prior("sweet rate", "factor", 0.07, "of 1/s", ("sweet_per_s",), "changes with the bean"),
    Prior("bitter rate", "factor", 0.10, "of 1/s", ("bitter_per_s",), "changes with the bean"),
    Prior("head", "factor", 0.08, "of mL", ("head_free_ml", "head_trapped_ml"),
          "how high the puck stands under the screen"),
    Prior("machine lag", "factor", 0.15, "of s", ("pressure_lag_s",), "warm or cool, as it ages"),
    Prior("water", "shift", 0.7, "°C", ("water_c",), "between the boiler's reading and the puck"),
    Prior("scale lag", "factor", 0.20, "of s", ("scale_lag_s",), "filters differ, cups are heavy"),
)  # fmt: skip
# And what nobody knows yet of a coffee and grinder that were never pulled together here.
NEW = (
    Prior("permeability", "factor", 0.36, "", ("permeability",),
          "grinders' scales and beans differ: the same nominal size runs half again as slow"),
    Prior("rates", "factor", 0.15, "of 1/s", RATES, "beans differ in how fast they give off"),
    Prior("solids", "factor", 0.06, "of %", SOLIDS, "and in how much there is"),
    Prior("permeability by grind", "power", 0.35, "", ("permeability",),
          "the exponent of size is near 2, by the shape of the grains"),
    Prior("rates by grind", "power", 0.30, "", ("size_ratio",),
          "the exponent of fineness is near 1, between a surface's and a grain's core"),
)  # fmt: skip


def priors_of(known: bool) -> tuple[Prior, ...]:
    """The unknowns of a coffee and grinder that are known here, or of new ones."""
    return PRIORS if known else PRIORS + NEW


def members_of(p: Parameters, members: int, seed: int, known: bool = True) -> list[Parameters]:
    """Parameters of each member, drawn around the nominal ones; the same seed gives the same."""
    priors = priors_of(known)
    return [_moved(p, priors, row) for row in draws(members, seed, len(priors))]


def _moved(p: Parameters, priors: tuple[Prior, ...], row: Sequence[float]) -> Parameters:
    changed: dict[str, float] = {}
    for prior, z in zip(priors, row, strict=True):
        for field in prior.fields:
            now = changed.get(field, getattr(p, field))
            if prior.kind == "shift":
                changed[field] = now + prior.spread * z
            elif prior.kind == "power":
                changed[field] = now * p.fineness ** (prior.spread * z)
            else:
                changed[field] = now * math.exp(_sense(prior, field) * prior.spread * z)
    changed["water_c"] = min(changed["water_c"], 100.0)
    return p._replace(**changed)


def _sense(prior: Prior, field: str) -> float:
    """How a field follows its unknown: permeability with the size squared, rates inversely."""
    if prior.name == "grind":
        return 2.0 if field == "permeability" else -1.0
    return 1.0


@lru_cache(maxsize=8)
def draws(members: int, seed: int, unknowns: int = len(PRIORS)) -> Floats:
    """Standard normal numbers, shape (members, unknowns), spread evenly: scrambled Sobol points."""
    from scipy.special import ndtri  # slow to import, and only the ranges need them
    from scipy.stats import qmc

    points = qmc.Sobol(unknowns, scramble=True, rng=seed)
    uniform = points.random_base2(max(1, math.ceil(math.log2(members))))[:members]
    normal: Floats = ndtri(np.clip(uniform, 1e-6, 1 - 1e-6))
    return normal
