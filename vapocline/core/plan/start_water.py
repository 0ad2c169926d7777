"""The water temperature to begin with for a roast, and what it should change."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.coffee.coffee import Roast
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

# Where practitioners begin: the lighter the roast, the less soluble, the hotter. Ours, rounded.
BEGIN_C: dict[Roast, float] = {
    "light": 94, "medium-light": 93, "medium": 92, "medium-dark": 90, "dark": 88,
}  # fmt: skip
NEAR_C = 1.0  # so near is as good


class StartWater(Answer):
    """Water to begin with, and by how much it should move the shot against the plan's own."""

    water_c: float
    roast: Roast
    shot_time_change_s: float | None
    extraction_yield_change_points: float | None


def start_water(plan: Plan, roast: Roast) -> StartWater | None:
    """What to set for a roast; None where it is set nearly so. Raises Refused."""
    begin_c = BEGIN_C[roast]
    if abs(plan.setup.water_c - begin_c) <= NEAR_C:
        return None
    one = plan.model_copy(update={"members": 1})
    moved = one.model_copy(update={"setup": one.setup.model_copy(update={"water_c": begin_c})})
    now, then = predict(one), predict(moved)

    def change(name: str, digits: int) -> float | None:
        was, new = getattr(now, name).value, getattr(then, name).value
        return None if was is None or new is None else round(new - was, digits)

    return StartWater(
        water_c=begin_c,
        roast=roast,
        shot_time_change_s=change("shot_time_s", 1),
        extraction_yield_change_points=change("extraction_yield_pct", 2),
    )
