"""What the Shelf draws of a thing: with the bench's coffee, grind and dose where these matter."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.coffee.coffee import BagCost, bag_cost
from vapocline.core.coffee.grinder import grind_um_at
from vapocline.core.machine.machine import HandLever, SpringLever
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.puck.freshness import GasOverDays, gas_over_days
from vapocline.core.puck.pictures import (
    Bed,
    DrawnPress,
    DrawnStroke,
    Reach,
    bed_of,
    press_of,
    reach_of,
    stroke_of,
)
from vapocline.core.puck.plan import Setup
from vapocline.desk.bench.bench import LEAST_TOGETHER, read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import basket_of
from vapocline.desk.shelf.coffees import coffee_of
from vapocline.desk.shelf.grinders import grinder_of
from vapocline.desk.shelf.machines import plain_machine, read_machine
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.habits import read_pulled_at_rest, read_settings_used
from vapocline.store.tables import BasketRow, CoffeeRow, GrinderRow

DRAWN = 60


class Used(Answer):
    """A setting that was pulled with, how often, and how it was liked; None where nobody said."""

    setting: float
    shots: int
    liking: float | None


class ShotAtRest(Answer):
    """A shot on the line of days, with its liking and its crema, mm, where somebody said."""

    shot_id: int
    rest_days: float
    liking: float | None
    crema_mm: float | None


class CoffeeDays(Answer):
    """A coffee over days of rest: its gas, its shots; what its bag still gives on this bench, and
    how many shots dialling in takes."""

    gas: GasOverDays
    shots: list[ShotAtRest]
    cost: BagCost | None
    dialling_in_shots: int


class GrinderCurve(Answer):
    """A grinder's curve of nominal size by setting, with its points and the settings used."""

    settings: list[float]
    grind_um: list[float]
    curve_settings: list[float]
    curve_um: list[float]
    used: list[Used]


def _setup(context: Context) -> Setup:
    bench = read_bench(context)
    return plan_for(bench, steady_nine("Any", bench.yield_g))[0].setup


def machine_reach(context: Context, machine_id: int) -> Reach:
    """A machine's limits with the bench's puck in them. Raises NotFoundError."""
    machine = plain_machine(read_machine(context, machine_id))
    return reach_of(machine, _setup(context))


def lever_stroke(context: Context, machine_id: int) -> DrawnStroke | DrawnPress:
    """A lever's pressure over its stroke, or by force, with the bench's puck. Raises NotFoundError,
    Refused for what is no lever."""
    machine = plain_machine(read_machine(context, machine_id))
    setup = _setup(context).model_copy(update={"machine": machine})
    match machine.control:
        case SpringLever():
            return stroke_of(machine.control, setup)
        case HandLever():
            return press_of(machine.control, setup)
        case _:
            raise Refused([Problem("machine", machine.name, "a machine with a lever")])


def coffee_days(context: Context, coffee_id: int) -> CoffeeDays:
    """A coffee's gas over days with its shots, and its bag in shots. Raises NotFoundError."""
    dose_g = read_bench(context).dose_g
    with transaction(context.sessions) as session:
        coffee = coffee_of(context, shelf.read_one(session, CoffeeRow, coffee_id))
        shots = read_pulled_at_rest(session, coffee_id)
    bag = coffee.bags[0] if coffee.bags else None
    return CoffeeDays(
        gas=gas_over_days(coffee.roast, decaf=coffee.decaf, blend=coffee.blend),
        shots=[ShotAtRest(**one._asdict()) for one in shots],
        cost=None if bag is None else bag_cost(bag, bag.remaining_g, dose_g, LEAST_TOGETHER),
        dialling_in_shots=LEAST_TOGETHER,
    )


def grinder_curve(context: Context, grinder_id: int) -> GrinderCurve:
    """A grinder's curve, and the settings shots were pulled with. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        grinder = grinder_of(shelf.read_one(session, GrinderRow, grinder_id))
        used = read_settings_used(session, grinder_id)
    low, high = grinder.settings[0], grinder.settings[-1]
    between = [low + (high - low) * i / DRAWN for i in range(DRAWN + 1)]
    return GrinderCurve(
        settings=list(grinder.settings),
        grind_um=list(grinder.grind_um),
        curve_settings=[round(one, 2) for one in between],
        curve_um=[
            round(grind_um_at(grinder.settings, grinder.grind_um, one), 1) for one in between
        ],
        used=[Used(**one._asdict()) for one in used],
    )


def basket_bed(context: Context, basket_id: int) -> Bed:
    """The bench's dose in a basket, to scale. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        basket = basket_of(shelf.read_one(session, BasketRow, basket_id))
    changes = {
        "basket_diameter_mm": basket.diameter_mm,
        "basket_shape": basket.shape,
        "basket_volume_ml": basket.volume_ml,
    }
    return bed_of(_setup(context).model_copy(update=changes))
