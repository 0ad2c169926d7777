"""The bench: the setup in force, changed word by word, and what it predicts."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Any, cast

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.calibration.apply import boiler_c
from vapocline.core.cautions import cautions_for
from vapocline.core.check import Notice, notices
from vapocline.core.grind import grind_um_at
from vapocline.core.machine import REFERENCE
from vapocline.core.plan import Plan, Roast, Setup
from vapocline.core.problems import NotFoundError
from vapocline.core.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.goal import Found, Goal, Want, seek
from vapocline.core.puck.parameters import crema_ml_per_g, gas_left_ml_g
from vapocline.core.puck.predict import predict
from vapocline.core.puck.sensitivity import Sensitivity, sensitivities
from vapocline.core.quantities import DoseG, DoseToleranceG, GrindSetting, Ratio, WaterC, YieldG
from vapocline.core.recipe import Follows, Recipe, glass_ml, revised
from vapocline.core.shelf import UNKNOWN_REST_DAYS, known_process
from vapocline.core.translate.mend import Misfit, misfits
from vapocline.desk.context import Desk
from vapocline.desk.shelf import (
    ShelvedBasket,
    ShelvedCoffee,
    ShelvedGrinder,
    ShelvedMachine,
    basket_of,
    coffee_of,
    grinder_of,
    machine_of,
)
from vapocline.store import shelf
from vapocline.store.database import reading, transaction
from vapocline.store.tables import BasketRow, BenchRow, CoffeeRow, GrinderRow, MachineRow

FIRST_DOSE_G, FIRST_YIELD_G, FIRST_WATER_C = 18.0, 36.0, 93.0
TRIES = 60  # behind the ranges on the pages: quick enough to follow a change
WORTH_AN_OFFER_G = 0.3  # an overshoot smaller than this is not worth changing the stop for


class Bench(BaseModel):
    """The sentence across the top. `grind_um` is None without a grinder and a setting.

    `glass_ml` is what a marked glass would read for the yield, crema and all; `boiler_c` what to
    set the boiler to, None where the machine's group was not measured.
    """

    model_config = ConfigDict(frozen=True)

    name: str
    coffee: ShelvedCoffee | None
    grinder: ShelvedGrinder | None
    machine: ShelvedMachine
    dose_g: float
    yield_g: float
    ratio: float
    follows: Follows
    dose_tolerance_g: float
    glass_ml: float
    crema_ml_per_g: float
    goals: list[Want]
    grind_setting: float | None
    grind_um: float | None
    water_c: float
    boiler_c: float | None
    basket: ShelvedBasket | None


class BenchChange(BaseModel):
    """Some words of the sentence, anew; what is left out stays.

    Of dose, ratio and yield, one that is not given is worked out from the other two.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    coffee_id: int | None = None
    grinder_id: int | None = None
    machine_id: int | None = None
    basket_id: int | None = None
    dose_g: DoseG | None = None
    yield_g: YieldG | None = None
    ratio: Ratio | None = None
    follows: Follows | None = None
    dose_tolerance_g: DoseToleranceG | None = None
    goals: Annotated[list[Want], Field(max_length=8)] | None = None
    grind_setting: GrindSetting | None = None
    water_c: WaterC | None = None


class StopOffer(BaseModel):
    """The weight to stop at so that the drips land on the goal, g; `over_g` negative for under.

    `measured` where the drips are the machine's own as calibrated, not the model's.
    """

    over_g: float
    stop_at_g: float
    measured: bool


class Forecast(BaseModel):
    """A prediction for the bench, what it had to assume, and the stop that would land on goal."""

    prediction: Prediction
    goal_cup_g: float
    stop_offer: StopOffer | None
    assumed: list[str]
    notices: list[Notice]
    misfits: list[Misfit]
    cautions: list[str]


def open_bench(desk: Desk, name: str = "Bench 1") -> None:
    """Set up the first bench with a reference machine where there is none yet."""
    with transaction(desk.sessions) as session:
        if shelf.read_bench(session) is not None:
            return
        machine = session.query(MachineRow).first()
        if machine is None:
            machine = MachineRow(name=REFERENCE.name, document=REFERENCE.written())
        session.add(
            BenchRow(
                name=name,
                machine=machine,
                dose_g=FIRST_DOSE_G,
                yield_g=FIRST_YIELD_G,
                water_c=FIRST_WATER_C,
            )
        )


def read_bench(desk: Desk) -> Bench:
    """The bench as it stands. Raises NotFoundError before `open_bench`."""
    with reading(desk.sessions) as session:
        return bench_of(desk, _standing(shelf.read_bench(session)))


def change_bench(desk: Desk, change: BenchChange) -> Bench:
    """Change some words of the setup.

    Raises Refused where a grind setting leads out of the model's range, NotFoundError for a coffee,
    grinder or machine that is not on the shelf.
    """
    with transaction(desk.sessions) as session:
        row = _standing(shelf.read_bench(session, lock=True))
        if change.coffee_id is not None:
            row.coffee = shelf.read_one(session, CoffeeRow, change.coffee_id)
        if change.grinder_id is not None:
            row.grinder = shelf.read_one(session, GrinderRow, change.grinder_id)
            if change.grind_setting is None:  # the old number means nothing on another grinder
                row.grind_setting = _middle(row.grinder)
        if change.machine_id is not None:
            row.machine = shelf.read_one(session, MachineRow, change.machine_id)
        if change.basket_id is not None:
            row.basket = shelf.read_one(session, BasketRow, change.basket_id)
        _rewrite_recipe(row, change)
        if change.goals is not None:
            row.goals = [goal.written() for goal in _distinct(change.goals)]
        for name in ("grind_setting", "water_c", "dose_tolerance_g"):
            value = getattr(change, name)
            if value is not None:
                setattr(row, name, value)
        session.flush()
        return bench_of(desk, row)


def _rewrite_recipe(row: BenchRow, change: BenchChange) -> None:
    """Any two of dose, ratio and yield give the third."""
    now = Recipe(row.dose_g, row.yield_g, cast(Follows, row.follows))
    recipe = revised(
        now,
        dose_g=change.dose_g,
        ratio=change.ratio,
        yield_g=change.yield_g,
        follows=change.follows,
    )
    row.dose_g, row.yield_g, row.follows = recipe


def _distinct(goals: list[Want]) -> list[Want]:
    """One goal a figure; a later one counts."""
    return list({goal.figure: goal for goal in goals}.values())


def _middle(grinder: GrinderRow) -> float:
    return round((grinder.settings[0] + grinder.settings[-1]) / 2, 1)


def _standing(row: BenchRow | None) -> BenchRow:
    if row is None:
        raise NotFoundError("No bench is set up yet.")
    return row


def bench_of(desk: Desk, row: BenchRow) -> Bench:
    """A stored bench as the user sees it."""
    grinder = grinder_of(row.grinder) if row.grinder else None
    coffee = coffee_of(desk, row.coffee) if row.coffee else None
    known = None if coffee is None else coffee.crema_ml_per_g
    crema = crema_ml_per_g(gas_left_ml_g(*_roast_and_rest(coffee))) if known is None else known
    return Bench(
        name=row.name,
        coffee=coffee,
        grinder=grinder,
        machine=machine_of(row.machine),
        dose_g=row.dose_g,
        yield_g=row.yield_g,
        ratio=round(row.yield_g / row.dose_g, 3),
        follows=cast(Follows, row.follows),
        dose_tolerance_g=row.dose_tolerance_g,
        glass_ml=round(glass_ml(row.yield_g, crema), 1),
        crema_ml_per_g=round(crema, 3),
        goals=[Want.model_validate(goal) for goal in row.goals],
        grind_setting=row.grind_setting,
        grind_um=grind_size(grinder, row.grind_setting),
        water_c=row.water_c,
        boiler_c=boiler_c(machine_of(row.machine), row.water_c),
        basket=basket_of(row.basket) if row.basket else None,
    )


def _roast_and_rest(coffee: ShelvedCoffee | None) -> tuple[Roast, float]:
    """Roast and days of rest, as far as they are known."""
    if coffee is None:
        return "medium", UNKNOWN_REST_DAYS
    rest = UNKNOWN_REST_DAYS if coffee.rest_days is None else min(coffee.rest_days, 365)
    return coffee.roast, rest


def grind_size(grinder: ShelvedGrinder | None, setting: float | None) -> float | None:
    """A setting's size on a grinder, µm; None where either is unknown. Raises Refused."""
    if grinder is None or setting is None:
        return None
    return round(grind_um_at(grinder.settings, grinder.grind_um, setting), 1)


def plan_for(bench: Bench, profile: Profile, members: int = 1) -> tuple[Plan, list[str]]:
    """The bench and a profile as a plan, and what had to be assumed for lack of knowing."""
    assumed = []
    if bench.coffee is None:
        assumed.append("a medium roast, rested 12 days, as no coffee is chosen")
    elif bench.coffee.rest_days is None:
        assumed.append("rested 12 days, as the bag has no roast date")
    if bench.grind_um is None:
        assumed.append("a grind of 300 µm, as no grinder is chosen")
    coffee, basket = bench.coffee, bench.basket
    if basket is not None and not basket.least_g <= bench.dose_g <= basket.most_g:
        made_for = f"{basket.least_g:g} to {basket.most_g:g} g"
        assumed.append(f"that {basket.name} takes {bench.dose_g:g} g, though made for {made_for}")
    roast, rest = _roast_and_rest(coffee)
    setup = Setup(
        dose_g=bench.dose_g,
        grind_um=300 if bench.grind_um is None else bench.grind_um,
        roast=roast,
        rest_days=rest,
        process=known_process("" if coffee is None else coffee.process),
        decaf=coffee is not None and coffee.decaf,
        density_g_ml=None if coffee is None else coffee.density_g_ml,
        crema_ml_per_g=None if coffee is None else coffee.crema_ml_per_g,
        water_c=bench.water_c,
        machine=bench.machine,
        **_basket_part(basket),
    )
    return Plan(setup=setup, members=members, profile=profile), assumed


def _basket_part(basket: ShelvedBasket | None) -> dict[str, Any]:
    if basket is None:
        return {}
    return {"basket_diameter_mm": basket.diameter_mm, "basket_shape": basket.shape}


def forecast(desk: Desk, profile: Profile, members: int = 1) -> Forecast:
    """Predict a profile, saved or not, on the bench; ranges come with more than one member.

    Raises Refused where it cannot run.
    """
    bench = read_bench(desk)
    plan, assumed = plan_for(bench, profile, members)
    prediction = cached_prediction(plan.model_dump_json(by_alias=True))
    return Forecast.model_construct(
        prediction=prediction,
        goal_cup_g=bench.yield_g,
        stop_offer=_stop_offer(bench, profile, prediction),
        assumed=assumed,
        notices=notices(plan),
        misfits=misfits(profile, bench.machine),
        cautions=cautions_for(bench.machine, profile, prediction.peak_pressure_bar.value),
    )


@lru_cache(maxsize=256)
def cached_prediction(plan_json: str) -> Prediction:
    """A plan's prediction; the same plan is worked out once. Raises Refused."""
    return predict(Plan.model_validate_json(plan_json))


def _stop_offer(bench: Bench, profile: Profile, prediction: Prediction) -> StopOffer | None:
    cup, stop = prediction.cup_g.value, profile.stop.cup_g
    if cup is None or stop is None or prediction.stopped_on != "cup_g":
        return None
    drips = bench.machine.after_drip_g
    if drips is not None:  # measured on this machine: it knows better than the model
        cup = stop + drips
    over = cup - bench.yield_g
    stop_at = round(stop - over, 1)
    if abs(over) < WORTH_AN_OFFER_G or stop_at <= 1:
        return None
    return StopOffer(over_g=round(over, 1), stop_at_g=stop_at, measured=drips is not None)


def plan_sensitivities(plan: Plan) -> list[Sensitivity]:
    """What one step of each number does. Raises Refused where the plan cannot run."""
    return sensitivities(plan)


def seek_goal(goal: Goal) -> Found:
    """The value that brings a plan to what is wanted, or the nearest. Raises Refused."""
    return seek(goal)


def predict_plan(plan: Plan) -> Prediction:
    """Predict a plan that brings its own setup. Raises Refused where it cannot run."""
    return predict(plan)
