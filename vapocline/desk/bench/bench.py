"""The bench: the setup in force, changed word by word, and what it predicts."""

from __future__ import annotations

from typing import Annotated, cast

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Name
from vapocline.core.base.problems import ConflictError, Problem, Refused, shown
from vapocline.core.base.quantities import (
    DoseG,
    DoseToleranceG,
    GrindSetting,
    PuckStartC,
    Ratio,
    WaterC,
    YieldG,
)
from vapocline.core.coffee.coffee import UNKNOWN_REST_DAYS, Roast
from vapocline.core.coffee.grinder import grind_um_at, on_click
from vapocline.core.coffee.recipe import Follows, Recipe, glass_ml, revised
from vapocline.core.formats.registry import GOALS, PLAN, Goals
from vapocline.core.machine.calibration.apply import boiler_c
from vapocline.core.machine.check import modes_for
from vapocline.core.plan.goal import Want
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.parameters import crema_ml_per_g, gas_left_ml_g
from vapocline.core.puck.plan import Setup
from vapocline.desk.bench.known import known_of
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import ShelvedBasket, basket_of
from vapocline.desk.shelf.coffees import ShelvedCoffee, coffee_of
from vapocline.desk.shelf.grinders import ShelvedGrinder, grinder_of
from vapocline.desk.shelf.machines import ShelvedMachine, machine_in_mode, machine_of, read_machine
from vapocline.desk.shelf.preparations import ShelvedPreparation, preparation_of
from vapocline.desk.shelf.waters import ShelvedWater, water_of
from vapocline.store import shelf
from vapocline.store.database import reading, transaction
from vapocline.store.tables import (
    BasketRow,
    BenchRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    WaterRow,
)

LEAST_TOGETHER = 3  # shots of a coffee on a grinder, before their ranges are a known coffee's


class PuckOnBench(Answer):
    """The identified puck of one shot. Forecasts are for it while it is on the bench."""

    shot_id: int | None
    dose_g: float
    grind_um: float
    roast: Roast
    machine: str
    setup: Annotated[Setup, Field(exclude=True)]


class Bench(Answer):
    """The sentence across the top. `grind_um` is None without a grinder and a setting.

    `levelled` is for a dose that fills the basket instead of being weighed. `glass_ml` is what a
    marked glass would read for the yield, crema and all; `boiler_c` what to
    set the boiler to, None where the machine's group was not measured; `puck_start_c` goes with how
    warm the portafilter is. `dialled_in` says that the coffee was pulled with the grinder before,
    `learnt_shots` from how many of their shots on this machine forecasts have learnt, or from
    `learnt_others` of the house before any of their own; `knowledge_id` is what they taught. The
    machine is as in the mode that is chosen here, of `modes` by name where it has several.
    """

    id: int
    name: str
    coffee: ShelvedCoffee | None
    grinder: ShelvedGrinder | None
    machine: ShelvedMachine
    machine_mode: str | None
    modes: list[str]
    dose_g: float
    yield_g: float
    ratio: float
    follows: Follows
    dose_tolerance_g: float
    levelled: bool
    glass_ml: float
    crema_ml_per_g: float
    goals: list[Want]
    grind_setting: float | None
    grind_um: float | None
    water_c: float
    boiler_c: float | None
    puck_start_c: float
    basket: ShelvedBasket | None
    water: ShelvedWater | None = None
    preparation: ShelvedPreparation | None = None
    dialled_in: bool
    learnt_shots: int
    learnt_others: int
    puck: PuckOnBench | None
    knowledge_id: int | None = None
    knowledge: Annotated[Knowledge | None, Field(exclude=True)] = None


class BenchSeen(BaseModel):
    """What stood at some words of the sentence when they were changed."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    coffee_id: int | None = None
    grinder_id: int | None = None
    machine_id: int | None = None
    machine_mode: str | None = None
    basket_id: int | None = None
    water_id: int | None = None
    preparation_id: int | None = None
    dose_g: float | None = None
    yield_g: float | None = None
    ratio: float | None = None
    follows: Follows | None = None
    dose_tolerance_g: float | None = None
    levelled: bool | None = None
    goals: list[Want] | None = None
    grind_setting: float | None = None
    water_c: float | None = None
    puck_start_c: float | None = None


class BenchChange(BaseModel):
    """New values for some words of the sentence; what is left out stays.

    Of dose, ratio and yield, one that is not given is worked out from the other two. A change of a
    word that no longer is as `seen` is refused; what was not seen is changed whatever it was.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    coffee_id: int | None = None
    grinder_id: int | None = None
    machine_id: int | None = None
    machine_mode: Name | None = None
    basket_id: int | None = None
    water_id: int | None = None
    preparation_id: int | None = None
    dose_g: DoseG | None = None
    yield_g: YieldG | None = None
    ratio: Ratio | None = None
    follows: Follows | None = None
    dose_tolerance_g: DoseToleranceG | None = None
    levelled: bool | None = None
    goals: Annotated[list[Want], Field(max_length=8)] | None = None
    grind_setting: GrindSetting | None = None
    water_c: WaterC | None = None
    puck_start_c: PuckStartC | None = None
    seen: BenchSeen | None = None


OF_THE_PUCK = {
    "coffee_id", "grinder_id", "machine_id", "machine_mode", "basket_id", "dose_g",
    "grind_setting", "water_c", "puck_start_c", "preparation_id",
}  # fmt: skip
WORDS = {
    "coffee_id": "The coffee", "grinder_id": "The grinder", "machine_id": "The machine",
    "machine_mode": "The machine's mode",
    "basket_id": "The basket", "water_id": "The water",
    "preparation_id": "The preparation", "dose_g": "The dose",
    "yield_g": "The yield", "ratio": "The ratio",
    "follows": "What follows", "dose_tolerance_g": "The dose's tolerance",
    "levelled": "How the dose is measured",
    "grind_setting": "The grind", "water_c": "The water temperature",
    "puck_start_c": "How warm the puck starts", "goals": "The set of goals",
}  # fmt: skip


def read_bench(context: Context) -> Bench:
    """The bench as it stands. Raises NotFoundError."""
    with reading(context.sessions) as session:
        return bench_of(context, session, shelf.read_bench(session, context.bench_id))


def change_bench(context: Context, change: BenchChange) -> Bench:
    """Change some words of the setup.

    Raises Refused where a grind setting leads out of the model's range, NotFoundError for a coffee,
    grinder or machine that is not on the shelf, ConflictError for what was changed meanwhile.
    """
    with transaction(context.sessions) as session:
        row = shelf.read_bench(session, context.bench_id, lock=True)
        _refuse_stale(bench_of(context, session, row), change)
        if change.model_fields_set & OF_THE_PUCK:  # another puck is meant from here on
            row.puck = row.puck_shot_id = None
        if change.coffee_id is not None:
            row.coffee = shelf.read_one(session, CoffeeRow, change.coffee_id)
        if change.grinder_id is not None:
            row.grinder = shelf.read_one(session, GrinderRow, change.grinder_id)
            if change.grind_setting is None:  # the old number means nothing on another grinder
                row.grind_setting = _middle(row.grinder)
        if change.machine_id is not None:
            row.machine = shelf.read_one(session, MachineRow, change.machine_id)
            row.machine_mode = None
        if change.machine_mode is not None:
            row.machine_mode = _mode_there(row.machine, change.machine_mode)
        if change.basket_id is not None:
            row.basket = shelf.read_one(session, BasketRow, change.basket_id)
        if change.water_id is not None:
            row.water = shelf.read_one(session, WaterRow, change.water_id)
        if change.preparation_id is not None:
            row.preparation = shelf.read_one(session, PreparationRow, change.preparation_id)
            session.flush()
        _rewrite_recipe(row, change)
        if change.goals is not None:
            row.goals = GOALS.write(Goals(wants=tuple(_distinct(change.goals))))
        for name in ("grind_setting", "water_c", "puck_start_c", "dose_tolerance_g", "levelled"):
            value = getattr(change, name)
            if value is not None:
                setattr(row, name, value)
        session.flush()
        return bench_of(context, session, row)


def _mode_there(machine: MachineRow, mode: str) -> str:
    """A mode by its name. Raises Refused for one the machine does not have."""
    there = machine_of(machine).mode_names
    if mode not in there:
        taken = ", ".join(there) if there else f"no mode: {machine.name} has one only"
        raise Refused([Problem("machine_mode", shown(mode), taken)])
    return mode


def other_modes(context: Context, machine: ShelvedMachine, profile: Profile) -> list[str]:
    """The modes of a machine, by name, that can run what it cannot as it is set."""
    if machine.mode is None:
        return []
    able = modes_for(profile, read_machine(context, machine.id))
    return [one for one in able if one != machine.mode]


def _refuse_stale(now: Bench, change: BenchChange) -> None:
    """Raise ConflictError if a value to be changed differs from the one the client saw."""
    if change.seen is None:
        return
    for name in change.model_fields_set & change.seen.model_fields_set:
        there = getattr(now, name.removesuffix("_id"))
        value = there.id if name.endswith("_id") and there is not None else there
        if value != getattr(change.seen, name):
            said = f"{WORDS[name]} was changed elsewhere meanwhile: it is {_said(there)} now."
            raise ConflictError(said)


def _said(value: object) -> str:
    """A value of the bench as a sentence says it."""
    match value:
        case float():
            return f"{value:g}"
        case list():
            return ", ".join(want.figure.replace("_", " ") for want in value) or "none"
        case (
            ShelvedCoffee()
            | ShelvedGrinder()
            | ShelvedMachine()
            | ShelvedBasket()
            | ShelvedWater()
            | ShelvedPreparation()
        ):
            return shown(value.name)
        case _:
            return shown(value)


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
    return on_click(grinder, (grinder.settings[0] + grinder.settings[-1]) / 2)


def _dialled_in(session: Session, row: BenchRow) -> bool:
    """Whether enough shots of the coffee were ground on the grinder to know how they repeat."""
    if row.coffee_id is None or row.grinder_id is None:
        return False
    most = LEAST_TOGETHER
    return shelf.count_shots_together(session, row.coffee_id, row.grinder_id, most) >= most


def bench_of(context: Context, session: Session, row: BenchRow) -> Bench:
    """A stored bench as the user sees it."""
    grinder = grinder_of(row.grinder) if row.grinder else None
    coffee = coffee_of(context, row.coffee) if row.coffee else None
    known = None if coffee is None else coffee.crema_ml_per_g
    knowledge_id, knowledge = known_of(session, row)
    machine = machine_in_mode(row.machine, row.machine_mode)
    crema = crema_ml_per_g(_gas_ml_g(coffee)) if known is None else known
    return Bench(
        id=row.id,
        name=row.name,
        coffee=coffee,
        grinder=grinder,
        machine=machine,
        machine_mode=machine.mode,
        modes=list(machine_of(row.machine).mode_names),
        dose_g=row.dose_g,
        yield_g=row.yield_g,
        ratio=round(row.yield_g / row.dose_g, 3),
        follows=cast(Follows, row.follows),
        dose_tolerance_g=row.dose_tolerance_g,
        levelled=row.levelled,
        glass_ml=round(glass_ml(row.yield_g, crema), 1),
        crema_ml_per_g=round(crema, 3),
        goals=list(GOALS.read(row.goals).wants),
        grind_setting=row.grind_setting,
        grind_um=grind_size(grinder, row.grind_setting),
        water_c=row.water_c,
        boiler_c=boiler_c(machine, row.water_c),
        basket=basket_of(row.basket) if row.basket else None,
        water=water_of(row.water) if row.water else None,
        preparation=preparation_of(row.preparation) if row.preparation else None,
        puck_start_c=row.puck_start_c,
        dialled_in=_dialled_in(session, row),
        learnt_shots=0 if knowledge is None else knowledge.shots,
        learnt_others=0 if knowledge is None else knowledge.others,
        puck=_puck_of(row),
        knowledge_id=knowledge_id,
        knowledge=knowledge,
    )


def _puck_of(row: BenchRow) -> PuckOnBench | None:
    """The shot's puck that is on the bench."""
    if row.puck is None:
        return None
    setup = PLAN.read(row.puck).setup
    return PuckOnBench(
        shot_id=row.puck_shot_id,
        dose_g=setup.dose_g,
        grind_um=setup.grind_um,
        roast=setup.roast,
        machine=setup.machine.name,
        setup=setup,
    )


def _gas_ml_g(coffee: ShelvedCoffee | None) -> float:
    roast, rest = roast_and_rest(coffee)
    if coffee is None:
        return gas_left_ml_g(roast, rest)
    return gas_left_ml_g(roast, rest, decaf=coffee.decaf, blend=coffee.blend)


def roast_and_rest(coffee: ShelvedCoffee | None) -> tuple[Roast, float]:
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
