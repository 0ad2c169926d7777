"""How far a change may be repeated. Past these bounds it harms, whatever it promises."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.parameters import REFERENCE_BASKET_ML, density_g_ml
from vapocline.core.puck.plan import Plan

# Coffee swells and needs room below the screen: a dry bed that takes more of the basket touches it.
MOST_FILL = 0.92
WATER_C = 78.0, 97.0  # cooler is under-extracted whatever the roast, hotter flashes at the group
RATIO = 1.0, 5.0  # drink to dose: below nothing is washed out, above it is no espresso
SIZE_UM = 150.0, 600.0  # finer chokes any pump, coarser holds no pressure
LATE_SHARE = 0.97  # of the stop time: what comes later is cut off
MOST_S = 100.0  # a longer shot is another drink


class BenchBounds(NamedTuple):
    """What the bench adds: the sizes its grinder is calibrated for, µm, and the doses its basket is
    made for, g; None where that is not known."""

    grind_um: tuple[float, float] | None = None
    dose_g: tuple[float, float] | None = None


UNBOUNDED = BenchBounds()


def stays_within(
    before: tuple[Plan, Prediction],
    after: tuple[Plan, Prediction],
    bounds: BenchBounds = UNBOUNDED,
) -> bool:
    """Whether a change leads past no bound, by plans and how they are predicted to run; what lies
    past one already may come back to it."""
    further = any(
        not low <= now <= high and now != was and (now > was) == (now > high)
        for was, now, (low, high) in _bounded(before[0], after[0], bounds)
    )
    return not further and _in_time(before, after)


def _bounded(
    before: Plan, after: Plan, bounds: BenchBounds
) -> Iterator[tuple[float, float, tuple[float, float]]]:
    """Each bounded number before and after the change, with its range."""
    was, now = before.setup, after.setup
    yield was.water_c, now.water_c, WATER_C
    sizes = bounds.grind_um or SIZE_UM
    yield was.grind_um, now.grind_um, (max(sizes[0], SIZE_UM[0]), min(sizes[1], SIZE_UM[1]))
    full_g = MOST_FILL * (now.basket_volume_ml or REFERENCE_BASKET_ML) * density_g_ml(now)
    yield was.dose_g, now.dose_g, bounds.dose_g or (0.0, full_g)
    cups = before.profile.stop.cup_g, after.profile.stop.cup_g
    if cups[0] is not None and cups[1] is not None:
        yield cups[0], cups[1], (RATIO[0] * now.dose_g, RATIO[1] * now.dose_g)


def _in_time(before: tuple[Plan, Prediction], after: tuple[Plan, Prediction]) -> bool:
    """Whether the drink is there before the stop time cuts it off, and in a time that is still an
    espresso's; a plan that is to end by its time keeps doing so."""
    stops = [plan.profile.stop for plan, _shot in (before, after)]
    if any(stop.cup_g is None for stop in stops):
        return True
    was, now = (shot.shot_time_s.value for _plan, shot in (before, after))
    if now is None:
        return False
    return now <= LATE_SHARE * stops[1].time_s and now <= max(MOST_S, was or 0.0)
