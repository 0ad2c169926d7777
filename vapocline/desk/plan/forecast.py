"""What a profile should do on the bench."""

from __future__ import annotations

from functools import lru_cache

from pydantic import BaseModel

from vapocline.core.learn.strength import StrengthOffer, strength_offer
from vapocline.core.machine.cautions import cautions_for
from vapocline.core.plan.goal import Goal, GoalResult, seek
from vapocline.core.plan.sensitivity import Sensitivity, sensitivities
from vapocline.core.plan.translate.misfits import Misfit, misfits
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.check import Notice, notices
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.desk.bench.bench import Bench, other_modes, read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.overshoot import expected_drip_g, read_overshoot

WORTH_AN_OFFER_G = 0.3  # an overshoot smaller than this is not worth changing the stop for


class StopOffer(BaseModel):
    """The weight to stop at so that the drips land on the goal, g; `over_g` negative for under.

    `measured` where the drips are the machine's own, as calibrated or as its last `stops` say, not
    the model's.
    """

    over_g: float
    stop_at_g: float
    measured: bool
    stops: int


class Forecast(BaseModel):
    """A prediction for the bench, what it had to assume, the stop that would land on goal, and what
    measuring a strength would bring. Where the machine cannot take the profile as it is set,
    `runs_in` are those of its modes that can."""

    prediction: Prediction
    goal_cup_g: float
    stop_offer: StopOffer | None
    strength_offer: StrengthOffer | None
    assumed: list[str]
    notices: list[Notice]
    misfits: list[Misfit]
    runs_in: list[str]
    cautions: list[str]


def forecast(context: Context, profile: Profile, members: int = 1) -> Forecast:
    """Predict a profile, saved or not, on the bench; ranges come with more than one member.

    Raises Refused where it cannot run.
    """
    bench = read_bench(context)
    plan, assumed = plan_for(bench, profile, members)
    prediction = cached_prediction(plan.model_dump_json(by_alias=True))
    misfit = misfits(profile, bench.machine)
    return Forecast.model_construct(
        prediction=prediction,
        goal_cup_g=bench.yield_g,
        stop_offer=_stop_offer(context, bench, profile, prediction),
        strength_offer=(
            strength_offer(plan, prediction.extraction_yield_pct) if members > 1 else None
        ),
        assumed=[*assumed, *prediction.assumed],
        notices=notices(plan),
        misfits=misfit,
        runs_in=other_modes(context, bench.machine, profile) if misfit else [],
        cautions=_cautions(bench, profile, prediction),
    )


def _cautions(bench: Bench, profile: Profile, prediction: Prediction) -> list[str]:
    """What can hurt or break, then what the water does."""
    said = cautions_for(bench.machine, profile, prediction.peak_pressure_bar.value)
    if bench.water is not None:
        said += [f"{bench.water.name}: {one}." for one in bench.water.facts.cautions]
    return said


@lru_cache(maxsize=256)
def cached_prediction(plan_json: str) -> Prediction:
    """A plan's prediction; the same plan is worked out once. Raises Refused."""
    return predict(Plan.model_validate_json(plan_json))


def _stop_offer(
    context: Context, bench: Bench, profile: Profile, prediction: Prediction
) -> StopOffer | None:
    cup, stop = prediction.yield_g.value, profile.stop.cup_g
    if cup is None or stop is None or prediction.stopped_on != "cup_g":
        return None
    learnt = read_overshoot(context, bench.machine.id, bench.machine)
    # A machine's own stops and its calibration know better than the model.
    measured = learnt is not None or bench.machine.after_drip_g is not None
    if measured:
        cup = stop + (expected_drip_g(prediction, bench.machine, learnt) or 0.0)
    over = cup - bench.yield_g
    stop_at = round(stop - over, 1)
    if abs(over) < WORTH_AN_OFFER_G or stop_at <= 1:
        return None
    return StopOffer(
        over_g=round(over, 1),
        stop_at_g=stop_at,
        measured=measured,
        stops=0 if learnt is None else learnt.stops,
    )


def plan_sensitivities(plan: Plan) -> list[Sensitivity]:
    """What one step of each number does. Raises Refused where the plan cannot run."""
    return sensitivities(plan)


def seek_goal(goal: Goal) -> GoalResult:
    """The value that brings a plan to what is wanted, or the nearest. Raises Refused."""
    return seek(goal)


def predict_plan(plan: Plan) -> Prediction:
    """Predict a plan that brings its own setup. Raises Refused where it cannot run."""
    return predict(plan)
