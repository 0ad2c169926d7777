"""Lantern Quay: coffees, grinders, machines, profiles and shots of our own invention.

Everything goes through the desk, and the shots are pulled on the simulated machine, so nothing here
is a number that the application could not have come by itself.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.machine.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
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
from vapocline.core.profile.profile import Profile
from vapocline.core.taste.tasting import Tasting
from vapocline.demo.tastings import taste_together
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Resources
from vapocline.desk.plan.profiles import (
    NewProfile,
    NewVersion,
    find_profile,
    list_profiles,
    save_version,
    start_profile,
)
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.shelf.coffees import add_coffee, list_coffees
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.machines import add_machine
from vapocline.desk.taste.tasting import score

Say = Callable[[str], None]


def build(resources: Resources, say: Say) -> Context:
    """Make the sample world, or what is missing of it after a start that was cut short."""
    context = open_bench(resources, "Lantern Quay, bench 1", MACHINES[0])
    if not list_coffees(context):
        say("Making the sample world of Lantern Quay")
        _shelf(context)
    if not list_profiles(context):
        _profiles(context)
    pulled = len(list_shots(context, limit=len(PULLS)))
    if pulled < len(PULLS):
        say("Pulling the sample shots on the simulated machine")
        _shots(context, pulled)
    taste_together(context)
    return context


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
        control=FlowLoop(),
        top_flow_ml_s=7,
        relief_bar=10,
        steps=Steps(flow_ml_s=0.2, seconds=0.5),
        program=ProgramLimits(stages=6, slots=4, name_length=10, characters="plain"),
        note="Tracks flow; pressure is what stands in its way.",
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


def _shelf(context: Context) -> None:
    today = context.today()
    coffees = [
        Coffee(
            name="Ferrow Hill",
            roast="medium",
            roasted_on=today - timedelta(days=12),
            bag_g=1000,
            process="washed",
            note="The house coffee: plum, cocoa husk.",
        ),
        Coffee(
            name="Sallow Reach",
            roast="light",
            roasted_on=today - timedelta(days=21),
            bag_g=250,
            process="natural",
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
            bag_g=250,
            decaf=True,
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


def _phase(name: str, kind: str, command: dict[str, Any], **rest: Any) -> dict[str, Any]:
    return {"name": name, "kind": kind, "command": command, **rest}


def _pressure(start: float, end: float) -> dict[str, Any]:
    return {"control": "pressure", "from": start, "to": end}


def _flow(rate: float) -> dict[str, Any]:
    return {"control": "flow", "from": rate, "to": rate}


def _seconds(value: float) -> dict[str, Any]:
    return {"when": "seconds", "value": value}


def _quay_fall(peak_bar: float, hold_s: float, limit_ml_s: float | None) -> Profile:
    limit = {} if limit_ml_s is None else {"flow_ml_s": limit_ml_s}
    return Profile.model_validate(
        {
            "name": "Quay fall",
            "note": "Soak to 4 bar, press, then fall so that the flow stays level.",
            "stop": {"cup_g": 36, "time_s": 90},
            "phases": [
                _phase(
                    "Pre-infusion",
                    "pre-infusion",
                    _flow(4),
                    exits=[{"when": "pressure_above", "value": 4}, _seconds(20)],
                ),
                _phase("Ramp", "ramp", _pressure(4, peak_bar), over=3, exits=[_seconds(3)]),
                _phase("Hold", "hold", _pressure(peak_bar, peak_bar), exits=[_seconds(hold_s)]),
                _phase(
                    "Decline",
                    "decline",
                    _pressure(peak_bar, 5.5),
                    over=18,
                    limit=limit,
                    exits=[_seconds(60)],
                ),
            ],
        }
    )


def _long_soak() -> Profile:
    return Profile.model_validate(
        {
            "name": "Long soak",
            "note": "A gentle fill, a rest at low pressure until the first drip, then nine bar.",
            "stop": {"cup_g": 36, "time_s": 120},
            "phases": [
                _phase(
                    "Fill",
                    "fill",
                    _flow(5),
                    limit={"pressure_bar": 3},
                    exits=[{"when": "pressure_above", "value": 2}, _seconds(12)],
                ),
                _phase(
                    "Soak",
                    "pre-infusion",
                    _pressure(2, 2),
                    exits=[{"when": "first_drip"}, _seconds(25)],
                ),
                _phase(
                    "Ramp", "ramp", _pressure(2, 9), over=4, shape="smooth", exits=[_seconds(4)]
                ),
                _phase("Press", "hold", _pressure(9, 9), exits=[_seconds(50)]),
            ],
        }
    )


def _rest_and_rise() -> Profile:
    return Profile.model_validate(
        {
            "name": "Rest and rise",
            "note": "Wet the puck, rest with the pump off, then rise slowly.",
            "stop": {"cup_g": 36, "time_s": 120},
            "phases": [
                _phase(
                    "Wet",
                    "fill",
                    _flow(4),
                    limit={"pressure_bar": 6},
                    exits=[{"when": "first_drip"}, _seconds(15)],
                ),
                _phase("Rest", "bloom", {"control": "off"}, exits=[_seconds(25)]),
                _phase("Rise", "ramp", _pressure(1, 8), over=6, exits=[_seconds(6)]),
                _phase("Press", "hold", _pressure(8, 8), exits=[_seconds(40)]),
            ],
        }
    )


def _profiles(context: Context) -> None:
    start_profile(context, NewProfile(name="Steady nine", style="steady-nine"))
    start_profile(context, NewProfile(name="Long soak", profile=_long_soak()))
    start_profile(context, NewProfile(name="Rest and rise", profile=_rest_and_rise()))
    first = start_profile(context, NewProfile(name="Quay fall", profile=_quay_fall(9, 8, None)))
    save_version(context, first.profile_id, NewVersion(based_on=1, profile=_quay_fall(9, 5, None)))
    save_version(
        context,
        first.profile_id,
        NewVersion(based_on=2, label="level flow", profile=_quay_fall(8.5, 5, 1.9)),
    )


# Which version was pulled, at what grind, how long ago in hours, and how it tasted: the scores are
# made up by us, the curves and figures come from the simulated machine.
PULLS: tuple[tuple[str, int, float, float, Tasting | None], ...] = (
    (
        "Steady nine", 1,
        14.5,
        26.0,
        Tasting(
            acidity=6, sweetness=4, bitterness=5, dryness=4, body=6, texture=5, clarity=4,
            balance=4, finish=5, liking=5, notes="Solid, a bit loud at the end.",
        ),
    ),
    ("Steady nine", 1, 14.5, 25.8, None),
    (
        "Long soak", 1,
        14.5,
        25.3,
        Tasting(
            acidity=5, sweetness=6, bitterness=4, dryness=3, body=6, texture=6, clarity=5,
            balance=6, finish=5, liking=6, notes="Rounder; the plum comes forward.",
        ),
    ),
    (
        "Quay fall", 1,
        14.5,
        3.2,
        Tasting(
            acidity=5, sweetness=6, bitterness=4, dryness=3, body=6, texture=6, clarity=6,
            balance=6, finish=6, liking=6, notes="Cocoa, clean until the last third.",
        ),
    ),
    (
        "Quay fall", 3,
        14.5,
        2.9,
        Tasting(
            acidity=6, sweetness=7, bitterness=3, dryness=2, body=6, texture=7, clarity=7,
            balance=7, finish=7, liking=8, notes="Plum skin, sweet to the end.",
        ),
    ),
    ("Quay fall", 3, 14.0, 2.4, None),
)  # fmt: skip


TASTED_AFTER_H = 0.04  # the shot itself and a minute or two


def _ago(now: datetime, hours: float) -> datetime:
    return now - timedelta(hours=hours)


def _shots(context: Context, already: int) -> None:
    now = context.now()
    for name, number, setting, hours_ago, tasting in PULLS[already:]:
        then = replace(
            context, resources=replace(context.resources, now=partial(_ago, now, hours_ago))
        )
        change_bench(then, BenchChange(grind_setting=setting))
        request = PullRequest(profile_id=find_profile(context, name), number=number)
        shot_id = pull(then, request)
        if tasting is not None:
            fresh = replace(then.resources, now=partial(_ago, now, hours_ago - TASTED_AFTER_H))
            score(replace(then, resources=fresh), shot_id, tasting)
    change_bench(context, BenchChange(grind_setting=14.5))
