"""What was learnt in a barista's units: each unknown before and after, with its range."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from vapocline.core.base.document import Answer
from vapocline.core.learn.fit import VariantOf
from vapocline.core.learn.learning import Learning, Parameter, VariantComparison
from vapocline.core.learn.observed import GAUGE_LAG_S
from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Setup
from vapocline.core.puck.unknowns import BY_NAME, Unknown, UnknownLevel

P90_SDS = 1.2816
MOVED_SDS, NARROWED = 0.5, 0.8  # of what was believed before: less is nothing to tell
# Units of the parameters that have one worth showing; the others are given as a percentage of the
# assumed value.
UNITS = {
    "head_free_ml": "mL", "head_trapped_ml": "mL", "hose_ml_bar": "mL/bar", "pressure_lag_s": "s",
    "gas_ml_g": "mL/g", "uptake_ml_g": "mL/g", "uptake_tau_s": "s",
}  # fmt: skip
EXPONENTS = {
    "permeability by grind": CONSTANTS.permeability_power,
    "rate by grind": CONSTANTS.rate_power,
}


class Estimate(Answer):
    """A value, and what 8 in 10 lie between."""

    value: float
    low: float
    high: float


class LearntUnknown(Answer):
    """One unknown in words and numbers: `before` any shot and `after`. `unit` is empty for an
    exponent. `moved` where shots say something of it."""

    name: str
    level: UnknownLevel
    words: str
    unit: str
    before: Estimate
    after: Estimate
    moved: bool


class VariantInUnits(Answer):
    """What a preparation or a basket does, % of what is assumed, and from how many shots: how
    unevenly, or how easily, water flows through its pucks."""

    name: str
    shots: int
    pct: Estimate


class VariantsInUnits(Answer):
    """What was learnt of each preparation or basket, the least first, and every two compared, in
    words."""

    variants: list[VariantInUnits]
    comparisons: list[str]


class _Scale(NamedTuple):
    """How an unknown is shown: a factor on a base value, or an offset from it."""

    base: float
    factor: bool
    unit: str


PERCENT = _Scale(100.0, True, "%")


def in_units(parameters: list[Parameter], setup: Setup) -> list[LearntUnknown]:
    """Unknowns as they are with a set-up, in their own order."""
    nominal = parameters_for(setup.model_copy(update={"knowledge": None}))._asdict()
    return [_unknown_in_units(one, _scale(BY_NAME[one.name], nominal)) for one in parameters]


def variants_in_units(
    learning: Learning, of: VariantOf, names: Mapping[str, str], only: str | None = None
) -> VariantsInUnits:
    """What was learnt of preparations, or of baskets, by the names they have now; of `only` one of
    them, beside the others."""
    taught = learning.variants(of)
    shown = [variant for variant in taught.variants if only in (None, variant.name)]
    return VariantsInUnits(
        variants=[
            VariantInUnits(
                name=names.get(variant.name, variant.name),
                shots=variant.shots,
                pct=_range(variant.value, variant.sd, PERCENT),
            )
            for variant in sorted(shown, key=lambda variant: variant.value)
        ],
        comparisons=[
            _comparison_words(comparison, of, names)
            for comparison in taught.comparisons
            if only in (None, comparison.more, comparison.less)
        ],
    )


def _comparison_words(found: VariantComparison, of: VariantOf, names: Mapping[str, str]) -> str:
    more, less = (names.get(way, way) for way in (found.more, found.less))
    times = _range(found.value, found.sd, _Scale(1.0, True, ""))
    if of == "basket":
        pct = _range(found.value, found.sd, PERCENT)
        said = f"{more} let water through {pct.value - 100:.0f} % more easily than {less}"
        within = f"8 in 10: {pct.low - 100:.0f} to {pct.high - 100:.0f} %"
        unsure = f"{less} and {more}: these shots do not tell which lets water through more easily."
    else:
        said = f"{less} was more even than {more}, which was {times.value:.1f} times as uneven"
        within = f"8 in 10: {times.low:.1f} to {times.high:.1f}"
        unsure = f"{less} and {more}: these shots do not tell which is more even."
    return f"{said} ({within})." if found.clear else unsure


def _scale(unknown: Unknown, nominal: dict[str, float]) -> _Scale:
    if unknown.name in EXPONENTS:
        return _Scale(EXPONENTS[unknown.name], False, "")
    if unknown.kind == "shift":
        return _Scale(0.0, False, "bar")
    if unknown.name == "gauge lag":
        return _Scale(GAUGE_LAG_S, True, "s")
    field = unknown.fields[0] if unknown.fields else ""
    if unknown.kind == "factor" and field in UNITS:
        return _Scale(nominal[field], True, UNITS[field])
    return PERCENT


def _unknown_in_units(one: Parameter, scale: _Scale) -> LearntUnknown:
    narrowed = one.sd < NARROWED * one.prior_sd
    return LearntUnknown(
        name=one.name,
        level=one.level,
        words=BY_NAME[one.name].words,
        unit=scale.unit,
        before=_range(one.prior, one.prior_sd, scale),
        after=_range(one.value, one.sd, scale),
        moved=narrowed or abs(one.value - one.prior) > MOVED_SDS * one.prior_sd,
    )


def _range(mean: float, sd: float, scale: _Scale) -> Estimate:
    def at(off: float) -> float:
        value = scale.base * math.exp(off) if scale.factor else scale.base + off
        return round(value, 3)

    return Estimate(value=at(mean), low=at(mean - P90_SDS * sd), high=at(mean + P90_SDS * sd))
