"""What is not known exactly of a shot before it is pulled: the one table the ranges rest on.

Spreads are ours to start with, as one standard deviation, and to be moved by logged shots.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.parameters import Parameters, moved
from vapocline.core.puck.unknowns import BY_NAME, SOLIDS


class Prior(NamedTuple):
    """One unknown: which parameters it moves, by what spread, and why that much.

    A factor's spread is of its logarithm; a power's is of the exponent on fineness. `pull` is the
    part of it that differs from one pull to the next, which no shot teaches of another.
    """

    name: str
    kind: Literal["factor", "shift", "power"]
    spread: float
    unit: str
    fields: tuple[str, ...]
    reason: str
    pull: float = 0.0


# What differs between pulls of a coffee and grinder that are known here, nothing learnt from them.
PRIORS = (
    Prior("grind", "factor", 0.020, "of µm", ("permeability", "size_ratio"),
          "a setting repeats to about 6 µm; finer is slower (square) and gives more off", 0.010),
    Prior("packing", "factor", 0.110, "", ("permeability",),
          "distribution and tamp, what drifts on the way or opens a channel: pulls alike in all "
          "else differ by a second or two"),
    Prior("dose", "factor", 0.005, "of g", ("dose_g", "depth_cm"), "a scale's tenth of a gram",
          0.005),
    Prior("unevenness", "factor", 0.35, "", ("unevenness",), "how even a puck is cannot be seen",
          0.20),
    Prior("gas", "factor", 0.12, "of mL/g", ("gas_ml_g",), "rest in the bag depends on its valve",
          0.06),
    Prior("uptake", "factor", 0.06, "of mL/g", ("uptake_ml_g",), "from puck weights after shots"),
    Prior("uptake time", "factor", 0.10, "of s", ("uptake_tau_s",), "grows with the grain's core",
          0.08),
    Prior("fines", "factor", 0.12, "", ("fines_block",), "changes with burrs and bean", 0.08),
    Prior("erosion", "factor", 0.12, "", ("erosion",), "changes with the bean"),
    Prior("bright rate", "factor", 0.07, "of 1/s", ("bright_per_s",), "changes with the bean",
          0.04),
    Prior("sweet rate", "factor", 0.07, "of 1/s", ("sweet_per_s",), "changes with the bean", 0.04),
    Prior("bitter rate", "factor", 0.10, "of 1/s", ("bitter_per_s",), "changes with the bean",
          0.04),
    Prior("head", "factor", 0.08, "of mL", ("head_free_ml", "head_trapped_ml"),
          "how high the puck stands under the screen"),
    Prior("machine lag", "factor", 0.15, "of s", ("pressure_lag_s",), "warm or cool, as it ages",
          0.05),
    Prior("water", "shift", 0.7, "°C", ("water_c",), "between the boiler's reading and the puck",
          0.2),
    Prior("scale lag", "factor", 0.20, "of s", ("scale_lag_s",), "filters differ, cups are heavy",
          0.10),
)  # fmt: skip
# And what nobody knows yet of a coffee and grinder that were never pulled together here: the widest
# of what shots can teach, with the same spreads.
NEW = tuple(
    Prior(one.name, "power" if one.kind == "power" else "factor", one.spread, "", one.fields,
          one.words)
    for one in map(BY_NAME.__getitem__, (
        "permeability", "rate", "solids", "permeability by grind", "rate by grind",
    ))
)  # fmt: skip


def priors_of(known: bool, grind_spread: float = 0.0) -> tuple[Prior, ...]:
    """The unknowns of a coffee and grinder that are known here, or of new ones, whose sizes may be
    off by so much (of their logarithm)."""
    return PRIORS if known else PRIORS + NEW + size_off_by(grind_spread)


def _levelled(spread: float) -> tuple[Prior, ...]:
    if spread == 0:
        return ()
    return (
        Prior("levelled dose", "factor", spread, "of g", ("dose_g", "depth_cm"),
              "filled to the rim, not weighed", spread),
    )  # fmt: skip


def _mixed(spread: float) -> tuple[Prior, ...]:
    """How far the size of one dose may be off that is a mix of two settings."""
    if spread == 0:
        return ()
    return (
        Prior("grind", "factor", spread, "of µm", ("permeability", "size_ratio"),
              "mixed with what was in the grinder", spread),
    )  # fmt: skip


def size_off_by(spread: float) -> tuple[Prior, ...]:
    """How far a grinder's size may be off; nothing where it was measured."""
    if spread == 0:
        return ()
    return (
        Prior("grinder", "factor", spread, "of µm", ("permeability", "size_ratio"),
              "its dial was not measured in µm"),
    )  # fmt: skip


def members_of(
    p: Parameters,
    members: int,
    seed: int,
    *,
    known: bool = True,
    knowledge: Knowledge | None = None,
    grind_spread: float = 0.0,
    dose_spread: float = 0.0,
    mix_spread: float = 0.0,
) -> list[Parameters]:
    """Parameters of each member, drawn around the nominal ones; the same seed gives the same.

    With knowledge, `p` has its means already: what it leaves open is drawn together, and besides
    only what differs from pull to pull. `grind_spread` is of a grinder that no shot taught of,
    `dose_spread` of a dose that is not weighed, `mix_spread` of one ground at two settings.
    """
    of_dose = _levelled(dose_spread) + _mixed(mix_spread)
    if knowledge is not None:
        taught = knowledge.shots > 0
        pulls = pulls_of(knowledge) + (() if taught else size_off_by(grind_spread))
        return list(_members_knowing(p, members, seed, knowledge, pulls + of_dose))
    priors = priors_of(known, grind_spread) + of_dose
    return [drawn(p, priors, row) for row in draws(members, seed, len(priors))]


def _members_knowing(
    p: Parameters, members: int, seed: int, knowledge: Knowledge, pulls: tuple[Prior, ...]
) -> Iterator[Parameters]:
    names, root = knowledge.spread_root()
    for row in draws(members, seed, len(names) + len(pulls)):
        values = root @ row[: len(names)]
        yield drawn(moved(p, dict(zip(names, values, strict=True))), pulls, row[len(names) :])


def pulls_of(knowledge: Knowledge) -> tuple[Prior, ...]:
    """What differs from pull to pull once shots have taught the rest, and what the model misses."""
    packing = math.sqrt(knowledge.pull_spread**2 + knowledge.model_spread**2)
    return (
        *(one._replace(spread=one.pull) for one in PRIORS if one.pull),
        Prior("packing", "factor", packing, "", ("permeability",), "as its pulls repeat"),
        Prior("model", "factor", knowledge.model_solids, "of %", SOLIDS, "what the model misses"),
    )


def drawn(p: Parameters, priors: tuple[Prior, ...], row: Sequence[float] | Floats) -> Parameters:
    """Parameters with each prior moved by its standard normal number."""
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
    if prior.name in ("grind", "grinder"):
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
