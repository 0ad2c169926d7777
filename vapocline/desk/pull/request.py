"""What a page asks for when it pulls a shot."""

from __future__ import annotations

from typing import Annotated, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.quantities import DoseG, GrindSetting
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.pull.readiness import Check
from vapocline.desk.bench.bench import Bench, grind_size, read_bench
from vapocline.desk.bench.setup import TRIES, plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.desk.plan.profiles import read_version
from vapocline.devices.messages import Fault


class Rehearsal(BaseModel):
    """What a simulated machine is to do wrong, from a time of the shot on, to practise on."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    fault: Fault
    at_s: Annotated[float, Field(ge=0, le=300)] = 8
    share: Annotated[float, Field(gt=0, le=90)] = 10


class PullRequest(BaseModel):
    """Which saved version to pull on the bench, and what was made sure of before.

    `weighed_g` is the dose as weighed, `grind_setting` as set where it differs from the bench's.
    What is missing stops the pull unless it is named in `despite`.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    profile_id: int
    number: int
    page: Annotated[str, Field(max_length=80)] = ""
    confirmed: frozenset[Check] = frozenset()
    despite: frozenset[Check] = frozenset()
    weighed_g: DoseG | None = None
    grind_setting: GrindSetting | None = None
    series_id: int | None = None
    rehearse: Rehearsal | None = None


class Arranged(NamedTuple):
    """A pull as planned, and what is in the basket in truth."""

    bench: Bench
    plan: Plan
    forecast: Prediction
    tamped: Setup
    dose_g: float
    grind_setting: float | None


def arranged(context: Context, request: PullRequest) -> Arranged:
    """The plan with its forecast, and the basket as it was really filled.

    Raises NotFoundError, Refused where the plan cannot run.
    """
    bench = read_bench(context)
    version = read_version(context, request.profile_id, request.number)
    plan, _ = plan_for(bench, version.profile, TRIES)
    forecast = cached_prediction(plan.model_dump_json(by_alias=True))
    dose_g = bench.dose_g if request.weighed_g is None else request.weighed_g
    setting = bench.grind_setting if request.grind_setting is None else request.grind_setting
    size = grind_size(bench.grinder, setting)
    truth = {"dose_g": dose_g} | ({} if size is None else {"grind_um": size})
    tamped = plan.setup.model_copy(update=truth)
    return Arranged(bench, plan, forecast, tamped, dose_g, setting)
