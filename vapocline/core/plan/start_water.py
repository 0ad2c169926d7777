"""The water a version is meant for, or else to begin with for a roast, and what it should
change."""

from __future__ import annotations

from typing import Literal

from vapocline.core.base.document import Answer
from vapocline.core.coffee.coffee import Roast
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

# Where practitioners begin: the lighter the roast, the less soluble, the hotter. Ours, rounded.
BEGIN_C: dict[Roast, float] = {
    "light": 94, "medium-light": 93, "medium": 92, "medium-dark": 90, "dark": 88,
}  # fmt: skip
NEAR_C, SAME_C = 1.0, 0.05  # so near to a beginning is as good, and so near to a version's own


class StartWater(Answer):
    """Water to set, why, and by how much it should move the shot against the plan's own."""

    water_c: float
    because: Literal["version", "roast"]
    roast: Roast | None
    shot_time_change_s: float | None
    extraction_yield_change_points: float | None


def meant_water(plan: Plan) -> StartWater | None:
    """What the version is meant for; None where that is set, or any will do. Raises Refused."""
    meant_c = plan.profile.water_c
    if meant_c is None or abs(plan.setup.water_c - meant_c) <= SAME_C:
        return None
    return _water(plan, meant_c, None)


def start_water(plan: Plan, roast: Roast | None) -> StartWater | None:
    """What the version is meant for, else what to set for a roast; None where it is set, or nearly
    so. Raises Refused."""
    if plan.profile.water_c is not None:
        return meant_water(plan)
    if roast is None or abs(plan.setup.water_c - BEGIN_C[roast]) <= NEAR_C:
        return None
    return _water(plan, BEGIN_C[roast], roast)


def _water(plan: Plan, water_c: float, roast: Roast | None) -> StartWater:
    """Water with what it should change."""
    one = plan.model_copy(update={"members": 1})
    moved = one.model_copy(update={"setup": one.setup.model_copy(update={"water_c": water_c})})
    now, then = predict(one), predict(moved)

    def change(name: str, digits: int) -> float | None:
        was, new = getattr(now, name).value, getattr(then, name).value
        return None if was is None or new is None else round(new - was, digits)

    return StartWater(
        water_c=water_c,
        because="version" if roast is None else "roast",
        roast=roast,
        shot_time_change_s=change("shot_time_s", 1),
        extraction_yield_change_points=change("extraction_yield_pct", 2),
    )
