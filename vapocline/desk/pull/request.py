"""What a page asks for when it pulls a shot."""

from __future__ import annotations

from typing import Annotated, NamedTuple

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.quantities import DoseG, GrindSetting
from vapocline.core.coffee.basket import UNWEIGHED_SPREAD
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.coffee.water import Water
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.pull.conditions import Conditions, IntendedRecipe, Source, Sources
from vapocline.core.pull.readiness import Checks
from vapocline.desk.bench.bench import Bench, grind_size, read_bench
from vapocline.desk.bench.setup import fresh, plan_for
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import cached_prediction
from vapocline.desk.plan.profiles import read_version
from vapocline.desk.pull.retention import GrinderRetention, retention_of
from vapocline.desk.shelf.connections import is_simulated, is_weighed
from vapocline.desk.shelf.shelved import as_document
from vapocline.devices.messages import Fault
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow


class Rehearsal(BaseModel):
    """What a simulated machine is to do wrong, from a time of the shot on, to practise on."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    fault: Fault
    at_s: Annotated[float, Field(ge=0, le=300)] = 8
    share: Annotated[float, Field(gt=0, le=90)] = 10


class PullRequest(BaseModel):
    """Which saved version to pull on the bench, and what was made sure of before.

    `weighed_g` is the dose as weighed, `grind_setting` as set where it differs from the bench's.
    What is missing stops the pull unless it is named in `despite`. A `dry` run has a drilled disc
    in the puck's place: no coffee, dose or grind.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    profile_id: int
    number: int
    page: Annotated[str, Field(max_length=80)] = ""
    confirmed: Checks = frozenset()
    despite: Checks = frozenset()
    weighed_g: DoseG | None = None
    grind_setting: GrindSetting | None = None
    series_id: int | None = None
    dry: bool = False
    rehearse: Rehearsal | None = None


class Arranged(NamedTuple):
    """A pull as planned, what it should do, and what is true as it is pulled."""

    bench: Bench
    plan: Plan
    prediction: Prediction
    conditions: Conditions
    dose_g: float
    grind_setting: float | None


def arranged(context: Context, request: PullRequest) -> Arranged:
    """The plan with its prediction, and the actual dose and grind in the basket.

    Raises NotFoundError, Refused where the plan cannot run.
    """
    bench = fresh(read_bench(context))
    version = read_version(context, request.profile_id, request.number)
    plan, _ = plan_for(bench, version.profile, context.resources.members)
    known = {"dose_spread": UNWEIGHED_SPREAD if request.weighed_g is None else 0.0}
    setup = plan.setup.model_copy(update={"insert": True} if request.dry else known)
    dose_g = bench.dose_g if request.weighed_g is None else request.weighed_g
    setting = bench.grind_setting if request.grind_setting is None else request.grind_setting
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, bench.machine.id)
        unpurged = not request.dry and "purge" not in request.confirmed
        inside = retention_of(session, bench, setting) if unpurged else None
    planned = setup if inside is None else inside.mixed_into(setup)
    plan = plan.model_copy(update={"setup": planned})
    prediction = cached_prediction(plan.model_dump_json(by_alias=True))
    prepared = None if request.dry else bench.preparation
    conditions = Conditions(
        simulated=is_simulated(row),
        wired=row.wired,
        weighed=is_weighed(row),
        basket=None if bench.basket is None else bench.basket.name,
        water=None if bench.water is None else as_document(Water, bench.water),
        preparation=None if prepared is None else as_document(Preparation, prepared),
        retained_grounds=None if inside is None else inside.kept(),
        tamped=_tamped(setup, bench, dose_g, setting, inside),
        intended=IntendedRecipe(
            dose_g=bench.dose_g,
            grind_setting=bench.grind_setting,
            dose_tolerance_g=bench.dose_tolerance_g,
        ),
        sources=_sources(bench, request),
    )
    return Arranged(bench, plan, prediction, conditions, dose_g, setting)


def _tamped(
    setup: Setup,
    bench: Bench,
    dose_g: float,
    setting: float | None,
    inside: GrinderRetention | None,
) -> Setup:
    """The set-up with the dose as weighed and the grind as set, mixed with what was inside."""
    size = grind_size(bench.grinder, setting)
    truth = {"dose_g": dose_g} | ({} if size is None else {"grind_um": size})
    tamped = setup.model_copy(update=truth)
    return tamped if inside is None else inside.mixed_into(tamped)


def _sources(bench: Bench, request: PullRequest) -> Sources:
    """Where each number of the basket comes from."""
    coffee, basket = bench.coffee, bench.basket
    dated = coffee is not None and coffee.rest_days is not None
    ground: Source = "bench" if request.grind_setting is None else "set"
    return Sources(
        dose_g="bench" if request.weighed_g is None else "weighed",
        grind_um="default" if bench.grind_um is None else ground,
        roast="default" if coffee is None else "coffee",
        rest_days="bag" if dated else "default",
        process="default" if coffee is None else "coffee",
        basket="default" if basket is None else "basket",
        water_c="bench",
        density_g_ml=_of_coffee(None if coffee is None else coffee.density_g_ml),
        crema_ml_per_g=_of_coffee(None if coffee is None else coffee.crema_ml_per_g),
        after_drip_g="default" if bench.machine.after_drip_g is None else "calibration",
    )


def _of_coffee(value: float | None) -> Source:
    return "default" if value is None else "coffee"
