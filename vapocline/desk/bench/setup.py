"""The bench as the setup of a plan."""

from __future__ import annotations

from typing import Any

from vapocline.core.base.amounts import from_to, grams
from vapocline.core.coffee.basket import UNWEIGHED_SPREAD
from vapocline.core.coffee.coffee import known_process
from vapocline.core.coffee.grinder import UNKNOWN_SIZE_SPREAD, setting_on
from vapocline.core.plan.styles.fit import DEFAULT_GRINDS_UM
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan, Setup
from vapocline.desk.bench.bench import Bench, read_bench, roast_and_rest
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import ShelvedBasket
from vapocline.desk.shelf.machines import plain_machine


def plan_for(bench: Bench, profile: Profile, members: int = 1) -> tuple[Plan, list[str]]:
    """The bench and a profile as a plan, and what had to be assumed for lack of knowing. While a
    shot's puck is on the bench, the plan is for that."""
    if bench.puck is not None:
        return Plan(setup=bench.puck.setup, members=members, profile=profile), []
    assumed = []
    if bench.coffee is None:
        assumed.append("a medium roast, rested 12 days, as no coffee is chosen")
    elif bench.coffee.rest_days is None:
        assumed.append("rested 12 days, as the bag has no roast date")
    if bench.grind_um is None:
        assumed.append("a grind of 300 µm, as no grinder is chosen")
    coffee, basket = bench.coffee, bench.basket
    if basket is not None and not basket.least_g <= bench.dose_g <= basket.most_g:
        made_for = from_to(basket.least_g, basket.most_g, "g")
        assumed.append(
            f"that {basket.name} takes {grams(bench.dose_g)}, though made for {made_for}"
        )
    roast, rest = roast_and_rest(coffee)
    setup = Setup(
        dose_g=bench.dose_g,
        grind_um=300 if bench.grind_um is None else bench.grind_um,
        roast=roast,
        rest_days=rest,
        process=known_process("" if coffee is None else coffee.process),
        decaf=coffee is not None and coffee.decaf,
        blend=coffee is not None and coffee.blend,
        density_g_ml=None if coffee is None else coffee.density_g_ml,
        crema_ml_per_g=None if coffee is None else coffee.crema_ml_per_g,
        water_c=bench.water_c,
        puck_start_c=bench.puck_start_c,
        dose_spread=UNWEIGHED_SPREAD if bench.levelled else 0,
        grind_spread=UNKNOWN_SIZE_SPREAD if bench.grinder is None else bench.grinder.size_spread,
        fines_pct=None if bench.grinder is None else bench.grinder.fines_pct,
        dialled_in=bench.dialled_in,
        knowledge=bench.knowledge,
        machine=plain_machine(bench.machine),
        **_basket_part(basket),
    )
    return Plan(setup=setup, members=members, profile=profile), assumed


def fresh(bench: Bench) -> Bench:
    """The bench for a pull, which needs a fresh puck: without a shot's puck on it."""
    return bench.model_copy(update={"puck": None})


def _basket_part(basket: ShelvedBasket | None) -> dict[str, Any]:
    if basket is None:
        return {}
    return {
        "basket_diameter_mm": basket.diameter_mm,
        "basket_shape": basket.shape,
        "basket_volume_ml": basket.volume_ml,
    }


def grinds_of(bench: Bench) -> tuple[float, float]:
    if bench.grinder is None:
        return DEFAULT_GRINDS_UM
    return min(bench.grinder.grind_um), max(bench.grinder.grind_um)


def setting_of(bench: Bench, size_um: float) -> float | None:
    if bench.grinder is None:
        return None
    return setting_on(bench.grinder, size_um)


def bench_plan(context: Context, profile: Profile) -> Plan:
    return plan_for(read_bench(context), profile)[0]
