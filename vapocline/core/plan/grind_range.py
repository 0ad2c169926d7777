"""How far the grind that a shot time needs is open, as long as its puck is."""

from __future__ import annotations

import math

from vapocline.core.puck.plan import Plan, reground
from vapocline.core.puck.predict import predict

FINER = 0.04  # of the size, for how the time follows the grind


def sizes_that_take(plan: Plan) -> tuple[float, float]:
    """The sizes, µm, at which a fast and a slow one of such coffees would take the plan's own shot
    time: 8 in 10 need one between. Raises Refused."""
    size = plan.setup.grind_um
    shot = predict(plan).shot_time_s
    finer = predict(reground(plan, -FINER * size).model_copy(update={"members": 1})).shot_time_s
    if None in (shot.value, shot.p10, shot.p90, finer.value):
        return size, size
    middle, fast, slow = shot.value or 1.0, shot.p10 or 1.0, shot.p90 or 1.0
    follows = math.log((finer.value or middle) / middle) / math.log(1 - FINER)
    if follows >= -0.1:  # the time hardly follows the grind: nothing can be said
        return size, size
    return size * (middle / fast) ** (1 / follows), size * (middle / slow) ** (1 / follows)
