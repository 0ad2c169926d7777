"""What stands on the shelf of Lantern Quay: machines, baskets, coffees and grinders."""

from __future__ import annotations

from datetime import date, timedelta

from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.coffee.water import Salts, Water
from vapocline.core.machine.calibration.measured import GroupTemperature, Valve
from vapocline.core.machine.care import CareTask
from vapocline.core.machine.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
    Mode,
    Preamble,
    PressureLoop,
    ProgramLimits,
    SoftStart,
    Spring,
    SpringLever,
    StagedProgram,
    Steps,
    ValveAhead,
)
from vapocline.core.taste.target import Target
from vapocline.demo.pulls import ago
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.shelf.calibrations import Measurement, keep
from vapocline.desk.shelf.care import say_done
from vapocline.desk.shelf.coffees import add_coffee, list_coffees
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.machines import add_machine, list_machines
from vapocline.desk.shelf.preparations import add_preparation
from vapocline.desk.shelf.waters import add_water, list_waters
from vapocline.desk.taste.target import set_target

# One of each kind, all of our own invention, each with limits that one feels.
MACHINES = (
    Machine(
        name="Sluice Two",
        control=BothLoops(),
        relief_bar=10,
        top_flow_ml_s=8.5,
        boiler_ml=350,
        heater_w=1400,
        program=ProgramLimits(slots=12, name_length=24),
        note="Tracks pressure or flow. The bench's own.",
    ),
    Machine(
        name="Low Tide",
        control=PressureLoop(),
        relief_bar=9.5,
        preamble=Preamble(flow_ml_s=3, wet_s=2, soak_s=3),
        steps=Steps(pressure_bar=0.5, seconds=0.5),
        program=ProgramLimits(stages=8, limits=False, slots=6, name_length=12, characters="plain"),
        note="A pump that tracks pressure and knows nothing of flow. Wets every puck by itself.",
    ),
    Machine(
        name="Millrace",
        mode="flow",
        control=FlowLoop(),
        top_flow_ml_s=7,
        relief_bar=10,
        steps=Steps(flow_ml_s=0.2, seconds=0.5),
        program=ProgramLimits(stages=6, slots=4, name_length=10, characters="plain"),
        note="Tracks flow; pressure is what stands in its way.",
        modes=(Mode(name="flow and pressure", control=BothLoops()),),
    ),
    Machine(
        name="Tide Mill",
        control=ValveAhead(
            pump_bar=9, turns=(0, 0.5, 1, 1.5, 2, 3), free_flow_ml_s=(0, 0.9, 2.4, 4.3, 6.1, 8)
        ),
        program=ProgramLimits(limits=False, exits=None),
        note="A needle valve by hand, ahead of a rotary pump.",
    ),
    Machine(
        name="Semaphore",
        control=StagedProgram(),
        relief_bar=10,
        floor_bar=1.5,
        when_off="hold",
        steps=Steps(pressure_bar=0.5, seconds=1),
        program=ProgramLimits(
            stages=5,
            ramps=False,
            pauses=False,
            limits=False,
            exits=("seconds", "water_ml"),
            along=("time",),
            slots=5,
            name_length=8,
            characters="capitals",
        ),
        note="Plumbed in; five levels held one after another, typed on its knob.",
    ),
    Machine(
        name="Gannet",
        control=SpringLever(
            springs=(
                Spring(top_bar=8.4, end_bar=4.2, from_ml=16),
                Spring(top_bar=2.2, end_bar=1.4),
            )
        ),
        relief_bar=11,
        program=ProgramLimits(limits=False),
        note="A lever with two springs, of which one can be unhooked.",
    ),
    Machine(
        name="Oarlock",
        control=HandLever(bar_per_kg=0.42, stroke_ml=62),
        relief_bar=11,
        gauge_at="group",
        program=ProgramLimits(limits=False),
        note="A lever without a spring: the arm is the pump.",
    ),
    Machine(
        name="Night Watch",
        control=SoftStart(pump_bar=9, rise_s=4),
        relief_bar=9.5,
        program=ProgramLimits(
            stages=4, ramps=False, limits=False, exits=("seconds", "hand", "cup_g")
        ),
        note="On, off, and a slow start.",
    ),
)
BASKETS = (
    Basket(name="Straight 18", diameter_mm=58.5, least_g=17, most_g=19, volume_ml=46),
    Basket(name="Straight 21", diameter_mm=58.5, least_g=20, most_g=22, volume_ml=53),
    Basket(name="Tapered 14", diameter_mm=58.5, shape="tapered", least_g=13, most_g=15),
)


def month_before(today: date, months: int) -> str:
    """The month that was so many months ago, as a harvest is written."""
    passed = today.year * 12 + today.month - 1 - months
    return f"{passed // 12}-{passed % 12 + 1:02d}"


def furnish(context: Context) -> None:
    """Put everything on the shelf, and the house coffee on the bench."""
    today = context.today()
    coffees = [
        Coffee(
            name="Ferrow Hill",
            roast="medium",
            roasted_on=today - timedelta(days=12),
            bag_g=1000,
            bag_price=30,
            process="washed",
            lot="Upper Fold 12",
            variety="Saltmarsh",
            dried="raised beds",
            crop=month_before(today, 9),
            altitude_m=1750,
            score=86,
            note="The house coffee: plum, cocoa husk.",
        ),
        Coffee(
            name="Sallow Reach",
            roast="light",
            roasted_on=today - timedelta(days=21),
            bag_g=500,
            process="natural",
            variety="Heron",
            dried="patio",
            crop=month_before(today, 7),
            altitude_m=2050,
            score=88.5,
            note="Bright and thin-skinned; wants time and heat.",
        ),
        Coffee(
            name="Night Ferry",
            roast="dark",
            roasted_on=today - timedelta(days=6),
            bag_g=500,
            blend=True,
        ),
        Coffee(
            name="Lamp Oil",
            roast="medium-dark",
            roasted_on=today - timedelta(days=15),
            bag_g=500,
            decaf=True,
            process="washed",
            dried="raised beds",
            note="For the evening.",
        ),
    ]
    coffee, *_others = [add_coffee(context, one) for one in coffees]
    for machine in MACHINES[1:]:  # the first one stands on the bench
        add_machine(context, machine)
    basket, *_rest = [add_basket(context, one) for one in BASKETS]
    grinder = add_grinder(
        context,
        Grinder(
            name="Ratline",
            settings=(8, 12, 14.5, 18, 24),
            grind_um=(214, 263, 300, 352, 446),
            fines_pct=19,
        ),
    )
    add_grinder(context, Grinder(name="Windlass", settings=(0, 20, 40), grind_um=(190, 320, 520)))
    change_bench(
        context,
        BenchChange(
            coffee_id=coffee.id,
            grinder_id=grinder.id,
            basket_id=basket.id,
            grind_setting=14.5,
            dose_g=18,
            yield_g=36,
            water_c=93,
        ),
    )


AIMS = {
    "Ferrow Hill": Target(
        scores={"acidity": 6, "sweetness": 7, "bitterness": 4, "dryness": 2, "clarity": 7},
        words=("plum", "cocoa"),
    ),
    "Sallow Reach": Target(scores={"acidity": 7, "sweetness": 7, "bitterness": 3, "clarity": 8}),
    "Lamp Oil": Target(scores={"acidity": 4, "sweetness": 7, "bitterness": 4, "body": 7}),
}


WATERS = (
    Water(
        name="Cistern, softened",
        salts=Salts(magnesium_sulfate_mg_l=180, sodium_bicarbonate_mg_l=84),
        note="Weighed into distilled water every Monday.",
    ),
    Water(name="Town main", hardness_mg_l=210, alkalinity_mg_l=160),
)


PREPARATIONS = (
    Preparation(
        name="Stirred and levelled", sprayed=True, clumps="stirred", leveller_mm=9,
        tamp="guided by the rim", tamp_kg=15, note="The way it is shown to everybody new.",
    ),
    Preparation(name="In a hurry", heap="tapped level", note="When six people wait."),
)  # fmt: skip


# By machine, and how many days ago.
CARE_DONE: tuple[tuple[str, CareTask, float], ...] = (
    ("Sluice Two", "rinse", 1.2),
    ("Sluice Two", "screen_look", 9),
    ("Sluice Two", "boiler_water", 3),
)


def _group(*read: tuple[float, float]) -> GroupTemperature:
    """Readings by a thermocouple in the stream: boiler and group, °C."""
    rows = [{"boiler_c": boiler, "group_c": group, **STREAM} for boiler, group in read]
    return GroupTemperature.model_validate({"rows": rows})


STREAM = {"probe": "thermocouple", "place": "in the stream"}
# By machine, and how many days ago: a group measured again, and a valve.
CALIBRATIONS: tuple[tuple[str, float, GroupTemperature | Valve], ...] = (
    ("Sluice Two", 212, _group((96, 87.6), (100, 91.2), (104, 94.9), (108, 98.4))),
    ("Sluice Two", 33, _group((96, 87.9), (100, 91.4), (104, 95.2), (108, 98.9))),
    (
        "Tide Mill",
        95,
        Valve.model_validate(
            {
                "rows": [
                    {"turns": turns, "seconds": 20, "water_g": water}
                    for turns, water in ((0.5, 18.4), (1, 47.1), (1.5, 86.6), (2, 121), (3, 159))
                ]
            }
        ),
    ),
)


def settle_in(context: Context) -> None:
    """Say what each coffee should taste like, what care was taken and what was measured; put waters
    and ways of preparing on the shelf. Nothing where that was done before a start was cut short."""
    if list_waters(context):
        return
    for coffee in list_coffees(context):
        if coffee.name in AIMS:
            set_target(context, coffee.id, AIMS[coffee.name])
    numbers = {machine.name: machine.id for machine in list_machines(context)}
    for name, task, days in CARE_DONE:
        say_done(ago(context, hours=24 * days), "machine", numbers[name], task)
    for name, days, measured in CALIBRATIONS:
        then = ago(context, hours=24 * days)
        keep(then, "machine", numbers[name], Measurement(measured=measured))
    bench, *_others = [add_water(context, water) for water in WATERS]
    usual, *_ways = [add_preparation(context, one) for one in PREPARATIONS]
    change_bench(context, BenchChange(water_id=bench.id, preparation_id=usual.id))
