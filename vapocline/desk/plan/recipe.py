"""What the dose's tolerance does to a profile."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.base.quantities import RANGES
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import read_history


class RecipeWithin(Answer):
    """What the dose's tolerance does to a profile's newest version, and where to stop it."""

    profile_name: str
    shortest_s: float
    longest_s: float
    stop_at_g: float | None


def recipe_within(context: Context, profile_id: int) -> RecipeWithin:
    """A saved profile at both ends of the dose's tolerance. Raises NotFoundError, Refused."""
    profile = read_history(context, profile_id).newest.profile
    bench = read_bench(context)
    plan, _assumed = plan_for(bench, profile)
    dose, off = bench.dose_g, bench.dose_tolerance_g
    bounds = RANGES["dose_g"]
    doses = [min(bounds.high, max(bounds.low, dose + by)) for by in (-off, off)]
    ends = [
        predict(
            plan.model_copy(update={"setup": plan.setup.model_copy(update={"dose_g": one})})
        ).shot_time_s.value
        or 0.0
        for one in doses
    ]
    here = predict(plan)
    stop, cup = profile.stop.cup_g, here.yield_g.value
    stop_at = None
    if here.stopped_on == "cup_g" and stop is not None and cup is not None:
        stop_at = round(bench.yield_g - (cup - stop), 1)
    return RecipeWithin(
        profile_name=profile.name,
        shortest_s=min(ends),
        longest_s=max(ends),
        stop_at_g=stop_at,
    )
