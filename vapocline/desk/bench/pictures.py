"""What the Shelf draws of a thing: with the bench's coffee, grind and dose where these matter."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.coffee.grinder import grind_um_at
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.puck.pictures import Bed, GasOverDays, Reach, bed_of, gas_over_days, reach_of
from vapocline.core.puck.plan import Setup
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import basket_of
from vapocline.desk.shelf.coffees import coffee_of
from vapocline.desk.shelf.grinders import grinder_of
from vapocline.desk.shelf.machines import plain_machine, read_machine
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import BasketRow, CoffeeRow, GrinderRow

DRAWN = 60


class Used(Answer):
    """A setting that was pulled with, and how often."""

    setting: float
    shots: int


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


def coffee_gas(context: Context, coffee_id: int) -> GasOverDays:
    """A coffee's gas over days. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        coffee = coffee_of(context, shelf.read_one(session, CoffeeRow, coffee_id))
    return gas_over_days(coffee.roast, coffee.decaf)


def grinder_curve(context: Context, grinder_id: int) -> GrinderCurve:
    """A grinder's curve, and the settings shots were pulled with. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        grinder = grinder_of(shelf.read_one(session, GrinderRow, grinder_id))
        used = shelf.count_settings_used(session, grinder_id)
    low, high = grinder.settings[0], grinder.settings[-1]
    between = [low + (high - low) * i / DRAWN for i in range(DRAWN + 1)]
    return GrinderCurve(
        settings=list(grinder.settings),
        grind_um=list(grinder.grind_um),
        curve_settings=[round(one, 2) for one in between],
        curve_um=[
            round(grind_um_at(grinder.settings, grinder.grind_um, one), 1) for one in between
        ],
        used=[Used(setting=setting, shots=shots) for setting, shots in used],
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
