"""The hidden truths of simulated machines: what a puck, a machine and its sensors really are.

They vary as in life, wider than a forecast takes for granted and partly in ways its model does not
know: by coffee, grinder and machine for good, from pull to pull, and within one pull. Sizes are
ours, as the standard deviation of a factor's logarithm unless a unit is given. `CALM` machines
only repeat as a known coffee does, for tests of what is not about that.
"""

from __future__ import annotations

import math
import zlib
from typing import NamedTuple

import numpy as np

from vapocline.core.puck.parameters import Parameters

Spreads = dict[str, float]

RATES = ("bright_per_s", "sweet_per_s", "bitter_per_s")
SOLIDS = ("bright_pct", "sweet_pct", "bitter_pct")
# Of a coffee by a grinder, the same for every pull.
TOGETHER: Spreads = {
    "permeability": 0.30, "erosion": 0.15, "uptake_ml_g": 0.10, "uptake_tau_s": 0.20,
    "unevenness": 0.25, "gas_ml_g": 0.20, "fines_block": 0.20,
}  # fmt: skip
RATE_SPREAD, SOLIDS_SPREAD = 0.13, 0.05
PERMEABILITY_POWER, RATE_POWER = 0.30, 0.25  # of fineness
# Of a machine.
MACHINE: Spreads = {"permeability": 0.06, "head_free_ml": 0.10, "pressure_lag_s": 0.15}
WATER_C = 0.8
GAUGE_BAR, METER_SHARE = 0.10, 0.04  # the offsets of its sensors
PREPARATION = 0.35  # of unevenness, the same for every pull prepared in that way
# From pull to pull.
PULL: Spreads = {
    "permeability": 0.05, "gas_ml_g": 0.08, "bright_per_s": 0.04, "sweet_per_s": 0.04,
    "bitter_per_s": 0.04, "uptake_tau_s": 0.08, "fines_block": 0.08,
}  # fmt: skip
DOSE_SLIP, GRIND_SLIP, UNEVENNESS_SLIP = 0.006, 0.015, 0.25
# Within a pull: permeability drifts off by up to so much, over so long.
DRIFT, DRIFT_OVER_S = 0.20, (8.0, 25.0)
CHANNELS = 0.10  # of the pulls open one
CHANNEL_AT_S, CHANNEL_OPENS, CHANNEL_UNEVEN = (8.0, 20.0), 0.25, 2.5


class Sensors(NamedTuple):
    """What a machine's own gauges read wrong."""

    gauge_bar: float = 0.0
    meter: float = 1.0


class Course(NamedTuple):
    """What changes within one pull: a slow drift of permeability, and perhaps a channel."""

    drift: float = 0.0  # of the logarithm, reached after `over_s`
    over_s: float = 1.0
    channel_s: float = math.inf

    def at(self, truth: Parameters, time_s: float) -> Parameters:
        """The puck's parameters at a moment of the pull."""
        if self.drift == 0.0 and time_s < self.channel_s:
            return truth
        drifted = math.exp(self.drift * min(1.0, time_s / self.over_s))
        truth = truth._replace(permeability=truth.permeability * drifted)
        return channelled(truth) if time_s >= self.channel_s else truth


def channelled(truth: Parameters, opens: float = CHANNEL_OPENS) -> Parameters:
    """A puck in which a channel opened, `opens` of the logarithm of permeability."""
    return truth._replace(
        permeability=truth.permeability * math.exp(opens),
        unevenness=truth.unevenness * CHANNEL_UNEVEN,
    )


class MachineTruth:
    """What one simulated machine really is, whatever coffee it is given."""

    def __init__(self, dice: np.random.Generator, *, calm: bool) -> None:
        self._own = factors(MACHINE, dice)
        self._water_c = 0.0 if calm else float(dice.normal(0.0, WATER_C))
        self._calm, self._seed = calm, int(dice.integers(2**32))
        self.sensors = Sensors()
        if not calm:
            gauge, meter = dice.normal(size=2)
            self.sensors = Sensors(GAUGE_BAR * gauge, math.exp(METER_SHARE * meter))

    def puck(
        self,
        nominal: Parameters,
        pair: str | None,
        dice: np.random.Generator,
        preparation: str = "",
    ) -> tuple[Parameters, Course]:
        """The puck of one pull, and what happens to it on the way.

        `pair` names coffee and grinder; None is for a pair that is just what it is taken for.
        """
        truth = moved(moved(nominal, self._own), factors(PULL, dice))
        if self._calm:
            return truth, Course()
        if pair is not None:
            together = np.random.default_rng([zlib.crc32(pair.encode()), self._seed])
            truth = _of_pair(truth, together)
        if preparation:
            way = np.random.default_rng([zlib.crc32(f"way|{preparation}".encode()), self._seed])
            truth = moved(truth, factors({"unevenness": PREPARATION}, way))
        truth = _slipped(truth, dice)
        truth = truth._replace(water_c=min(100.0, truth.water_c + self._water_c))
        return truth, _course(dice)


def _of_pair(p: Parameters, dice: np.random.Generator) -> Parameters:
    """What this coffee is by this grinder: also how it follows the grind."""
    wide = factors(TOGETHER, dice)
    rate, solids = (math.exp(dice.normal(0.0, s)) for s in (RATE_SPREAD, SOLIDS_SPREAD))
    wide |= dict.fromkeys(RATES, rate) | dict.fromkeys(SOLIDS, solids)
    by_grind = dice.normal(size=2)
    wide["permeability"] *= p.fineness ** (PERMEABILITY_POWER * by_grind[0])
    wide["size_ratio"] = p.fineness ** (RATE_POWER * by_grind[1])
    return moved(p, wide)


def _slipped(p: Parameters, dice: np.random.Generator) -> Parameters:
    """Dose, grind and preparation as hands make them."""
    dose, grind, even = dice.normal(size=3)
    size = math.exp(GRIND_SLIP * grind)
    dosed = math.exp(DOSE_SLIP * dose)
    return moved(
        p,
        {
            "dose_g": dosed,
            "depth_cm": dosed,
            "permeability": size**2,
            "size_ratio": 1 / size,
            "unevenness": math.exp(UNEVENNESS_SLIP * even),
        },
    )


def _course(dice: np.random.Generator) -> Course:
    drift = float(dice.uniform(-DRIFT, DRIFT))
    over, at = float(dice.uniform(*DRIFT_OVER_S)), float(dice.uniform(*CHANNEL_AT_S))
    opens = dice.random() < CHANNELS
    return Course(drift, over, at if opens else math.inf)


def factors(spread: Spreads, dice: np.random.Generator) -> Spreads:
    """A factor for each, drawn."""
    return {name: math.exp(dice.normal(0.0, width)) for name, width in spread.items()}


def moved(p: Parameters, by: Spreads) -> Parameters:
    """Parameters times their factors."""
    return p._replace(**{name: getattr(p, name) * factor for name, factor in by.items()})
