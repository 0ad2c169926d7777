"""What brings a draft to a goal."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.plan.adjustable import adjustables_of
from vapocline.core.plan.goal import Allowed, Goal, GoalResult, Want, seek
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import Bench, read_bench
from vapocline.desk.bench.setup import bench_plan, grinds_of, plan_for, setting_of
from vapocline.desk.context import Context
from vapocline.desk.plan.styles import SetupChange


class AdjustableOut(Answer):
    """One number a goal may move."""

    what: str
    name: str
    value: float
    step: float
    unit: str


class Sought(Answer):
    """What a goal found: the profile and the change of the bench, and the shot it should give."""

    found: GoalResult
    change: SetupChange
    prediction: Prediction


class GoalAsked(BaseModel):
    """What is wanted of a profile on the bench, and the one or two numbers that may move."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    wants: tuple[Want, ...]
    moves: tuple[Allowed, ...]


def list_adjustables(context: Context, profile: Profile) -> list[AdjustableOut]:
    """Every number of a draft on the bench that a goal may move. Raises Refused."""
    plan = bench_plan(context, profile)
    refuse_unrunnable(plan)
    return [
        AdjustableOut(what=one.path, name=one.name, value=one.value, step=one.step, unit=one.unit)
        for one in adjustables_of(plan)
        if one.path != "setup.rest_days"  # nobody turns that
    ]


def seek_on_bench(context: Context, asked: GoalAsked) -> Sought:
    """Find what brings a draft on the bench to what is wanted. Raises Refused."""
    bench = read_bench(context)
    plan, _assumed = plan_for(bench, asked.profile)
    if not asked.wants or not asked.moves:
        field = "wants" if not asked.wants else "moves"
        raise Refused([Problem(field, "none", "at least one")])
    moves = tuple(_within_reach(bench, move) for move in asked.moves)
    found = seek(Goal(plan=plan, wants=asked.wants, moves=moves))
    values = {move.what: move.after for move in found.moves}
    grind = values.get("setup.grind_um")
    return Sought(
        found=found,
        change=SetupChange(
            dose_g=values.get("setup.dose_g"),
            water_c=values.get("setup.water_c"),
            grind_setting=None if grind is None else setting_of(bench, grind),
        ),
        prediction=predict(found.plan),
    )


def _within_reach(bench: Bench, move: Allowed) -> Allowed:
    """A grind within what the grinder gives, where nothing else was said."""
    if move.what != "setup.grind_um" or move.low is not None or move.high is not None:
        return move
    low, high = grinds_of(bench)
    return Allowed(what=move.what, low=low, high=high)
