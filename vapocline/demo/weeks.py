"""What was pulled at Lantern Quay: a fortnight of three coffees, and the last two days."""

from __future__ import annotations

from dataclasses import replace

from vapocline.core.taste.tasting import Tasting
from vapocline.demo.pulls import SamplePull
from vapocline.desk.pull.request import Rehearsal

EVERY_H = 0.2  # a shot, its tasting, and the next one's preparation


def _day(days_ago: float, *pulls: SamplePull) -> list[SamplePull]:
    """Pulls one after the other, from so many days before now on."""
    return [replace(one, hours_ago=24 * days_ago - EVERY_H * at) for at, one in enumerate(pulls)]


# The house coffee; a light one for a machine that knows pressure alone; a decaf for the evening.
_FERROW = SamplePull(0, "Steady nine")
_SALLOW = SamplePull(
    0,
    "Slow rise",
    coffee="Sallow Reach",
    grinder="Windlass",
    machine="Low Tide",
    yield_g=40.0,
    water_c=95.0,
)
_LAMP = SamplePull(0, "Steady nine", coffee="Lamp Oil", grinder="Windlass", water_c=91.0)


def _pulled(of: SamplePull, profile: str, setting: float, *, tasted: bool = False) -> SamplePull:
    return replace(of, profile=profile, setting=setting, tasted=tasted)


def _tapped(pulls: list[SamplePull]) -> list[SamplePull]:
    """All of a day prepared in the other way."""
    return [replace(one, preparation="In a hurry") for one in pulls]


def _then(of: SamplePull, move: str) -> SamplePull:
    """The change taken after the shot before, tasted."""
    return replace(of, follows=move, tasted=True)


def _learning(pulls: list[SamplePull]) -> list[SamplePull]:
    """Learnt from after the last of them."""
    return [*pulls[:-1], replace(pulls[-1], learn=True)]


FORTNIGHT: tuple[SamplePull, ...] = (
    *_learning(
        _day(
            10,
            _pulled(_SALLOW, "Quay nine", 20),
            _pulled(_SALLOW, "Quay nine", 17, tasted=True),
            _pulled(_SALLOW, "Slow rise", 17, tasted=True),
            _pulled(_SALLOW, "Slow rise", 17, tasted=True),
            _pulled(_SALLOW, "Slow rise", 19),
        )
    ),
    *_learning(
        _day(
            8.4,
            _pulled(_LAMP, "Steady nine", 19),
            _pulled(_LAMP, "Steady nine", 17, tasted=True),
            _pulled(_LAMP, "Long soak", 18),
            _pulled(_LAMP, "Quay fall", 18, tasted=True),
            _pulled(_LAMP, "Quay fall", 18, tasted=True),
        )
    ),
    *_learning(
        _day(
            6,
            _pulled(_FERROW, "Steady nine", 16, tasted=True),
            _pulled(_FERROW, "Steady nine", 14.5, tasted=True),
            _pulled(_FERROW, "Steady nine", 14.5, tasted=True),
            _then(_FERROW, "lower_peak"),
            _pulled(_FERROW, "Long soak", 14.5, tasted=True),
        )
    ),
    *_day(
        5,
        _pulled(_SALLOW, "Slow rise", 18, tasted=True),
        _pulled(_SALLOW, "Slow rise", 18),
        _pulled(_SALLOW, "Quay nine", 18, tasted=True),
        _pulled(_SALLOW, "Quay nine", 18),
        _pulled(_SALLOW, "Slow rise", 16),
    ),
    *_day(
        4.4,
        _pulled(_LAMP, "Quay fall", 19, tasted=True),
        _pulled(_LAMP, "Rest and rise", 19, tasted=True),
        _pulled(_LAMP, "Rest and rise", 18),
        _pulled(_LAMP, "Long soak", 19, tasted=True),
        _pulled(_LAMP, "Long soak", 19),
    ),
    *_day(
        4,
        _pulled(_FERROW, "Long soak", 14.5, tasted=True),
        _then(_FERROW, "longer_drink"),
        _pulled(_FERROW, "Rest and rise", 14.5, tasted=True),
        _pulled(_FERROW, "Quay fall", 14.5, tasted=True),
        _pulled(_FERROW, "Quay fall", 14.5, tasted=True),
    ),
    *_tapped(
        _day(
            3.4,
            _pulled(_SALLOW, "Slow rise", 17, tasted=True),
            _pulled(_SALLOW, "Slow rise", 17),
            _pulled(_SALLOW, "Quay nine", 19, tasted=True),
            _pulled(_SALLOW, "Quay nine", 17),
            _pulled(_SALLOW, "Slow rise", 18),
        )
    ),
    *_day(
        2.4,
        _pulled(_LAMP, "Steady nine", 18, tasted=True),
        _pulled(_LAMP, "Steady nine", 18),
        _pulled(_LAMP, "Quay fall", 18),
        _pulled(_LAMP, "Quay fall", 19, tasted=True),
        _pulled(_LAMP, "Rest and rise", 19),
    ),
)

# The scores of these are made up one by one, the curves come from the simulated machine.
LAST_DAYS: tuple[SamplePull, ...] = (
    SamplePull(
        26.0,
        "Steady nine",
        tasting=Tasting(
            acidity=6, sweetness=4, bitterness=5, dryness=4, body=6, texture=5, clarity=4,
            balance=4, finish=5, liking=5, notes="Solid, a bit loud at the end.",
        ),
    ),
    SamplePull(25.8, "Steady nine"),
    SamplePull(
        25.3,
        "Long soak",
        tasting=Tasting(
            acidity=5, sweetness=6, bitterness=4, dryness=3, body=6, texture=6, clarity=5,
            balance=6, finish=5, liking=6, notes="Rounder; the plum comes forward.",
        ),
    ),
    SamplePull(
        3.2,
        "Quay fall",
        tasting=Tasting(
            acidity=5, sweetness=6, bitterness=4, dryness=3, body=6, texture=6, clarity=6,
            balance=6, finish=6, liking=6, notes="Cocoa, clean until the last third.",
        ),
    ),
    SamplePull(
        2.9,
        "Quay fall",
        3,
        tasting=Tasting(
            acidity=6, sweetness=7, bitterness=3, dryness=2, body=6, texture=7, clarity=7,
            balance=7, finish=7, liking=8, notes="Plum skin, sweet to the end.",
        ),
    ),
    SamplePull(2.4, "Quay fall", 3, 14.0),
)  # fmt: skip

# The newest: a channel opens in it, so that there is something to find and to answer.
THIS_HOUR = (
    SamplePull(
        0.6,
        "Quay fall",
        3,
        tasting=Tasting(
            acidity=7, sweetness=4, bitterness=5, dryness=5, body=4, texture=4, clarity=5,
            balance=4, finish=4, liking=4, notes="Sharp at first, dry at the end; it gushed.",
        ),
        rehearse=Rehearsal(fault="channel", at_s=13),
    ),
)  # fmt: skip
