"""Dose, ratio and yield: any two give the third, and what a marked glass would read of it."""

from __future__ import annotations

from typing import Literal, NamedTuple

from vapocline.core.base.amounts import grams
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.quantities import RANGES

Follows = Literal["dose_g", "ratio", "yield_g"]


class Recipe(NamedTuple):
    """Grams of coffee in, grams of drink out, and which of the three follows the other two."""

    dose_g: float
    yield_g: float
    follows: Follows = "yield_g"

    @property
    def ratio(self) -> float:
        """Drink over dose, by weight."""
        return self.yield_g / self.dose_g


def revised(
    now: Recipe,
    *,
    dose_g: float | None = None,
    ratio: float | None = None,
    yield_g: float | None = None,
    follows: Follows | None = None,
) -> Recipe:
    """The recipe with one or two of its three numbers changed; the one that follows is worked out.

    Changing the follower itself hands its place on: ratio for dose and yield, yield for ratio.
    Raises Refused where all three are given and contradict each other, or the third falls out of
    its range.
    """
    given = {"dose_g": dose_g, "ratio": ratio, "yield_g": yield_g}
    named = [name for name, value in given.items() if value is not None]
    follower = _follower(named, follows or now.follows)
    known = {"dose_g": now.dose_g, "ratio": now.ratio, "yield_g": now.yield_g}
    known |= {name: value for name, value in given.items() if value is not None}
    if len(named) == 3 and abs(known["dose_g"] * known["ratio"] - known["yield_g"]) > 0.05:
        got = f"{grams(known['dose_g'])} × {known['ratio']:g} and {grams(known['yield_g'])}"
        takes = "any two of dose, ratio and yield, or three that agree"
        raise Refused([Problem("yield_g", got, takes)])
    if named:
        known[follower] = round(_third(follower, known), 3 if follower == "ratio" else 1)
        _within(follower, known[follower])
    stays = follows or (follower if len(named) == 1 else now.follows)
    return Recipe(known["dose_g"], known["yield_g"], stays)


def _follower(named: list[str], follows: Follows) -> Follows:
    """Which of the three is worked out, given which were named."""
    order: tuple[Follows, ...] = (follows, "ratio", "yield_g", "dose_g")
    return next((one for one in order if one not in named), follows)


def _third(name: str, known: dict[str, float]) -> float:
    if name == "ratio":
        return known["yield_g"] / known["dose_g"]
    if name == "yield_g":
        return known["dose_g"] * known["ratio"]
    return known["yield_g"] / known["ratio"]


def _within(name: str, value: float) -> None:
    bounds = RANGES[name]
    if not bounds.low <= value <= bounds.high:
        raise Refused([Problem(name, f"{value:g}, which the other two give", str(bounds))])


def glass_ml(yield_g: float, crema_ml_per_g: float) -> float:
    """Where the top of the crema stands in a marked glass, mL: the drink's own mL and the foam."""
    return yield_g * (1 + crema_ml_per_g)
