"""Two shots side by side."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.machine.commands import steered_by
from vapocline.core.profile.differences import UNITS
from vapocline.core.shot.events import TakenOver, first_of
from vapocline.core.shot.result import TIME_FIGURES, Clock, Result
from vapocline.core.taste.as_run import AsRun, HandHeld
from vapocline.core.taste.compare import Comparison, Pulled, ShotRecipe, compare
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.context import Context
from vapocline.desk.read.shots import Shot, whole_of
from vapocline.store import shots
from vapocline.store.database import transaction


class Compared(Answer):
    """Two shots whole, and what differs."""

    first: Shot
    second: Shot
    comparison: Comparison


def compare_shots(context: Context, first: int, second: int, clock: Clock = "pump") -> Compared:
    """Two shots side by side with what differs named, times on a clock. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        rows = [shots.read_shot(session, number) for number in (first, second)]
        wholes = [whole_of(session, row) for row in rows]
    pulled = [_pulled(whole, clock) for whole in wholes]
    return Compared(first=wholes[0], second=wholes[1], comparison=compare(pulled[0], pulled[1]))


def _pulled(shot: Shot, clock: Clock) -> Pulled:
    return Pulled(
        name=f"{shot.profile_name} v{shot.number}",
        recipe=ShotRecipe(
            coffee=shot.coffee,
            rest_days=shot.rest_days,
            dose_g=shot.dose_g,
            yield_g=shot.target_yield_g,
            basket=shot.conditions.basket,
            grinder=shot.grinder,
            grind_setting=shot.grind_setting,
            machine=shot.machine,
            water_c=shot.water_c,
        ),
        run=AsRun(shot.profile, shot.events, _held(shot)),
        result=Result(
            shot_time_s=getattr(shot, TIME_FIGURES[clock]),
            first_drip_s=shot.first_drip_s,
            yield_g=shot.yield_g,
            cup_at_stop_g=shot.cup_at_stop_g,
            peak_pressure_bar=shot.peak_pressure_bar,
            water_in_ml=shot.water_in_ml,
            ratio=shot.ratio,
            tds_pct=shot.tds_pct,
            extraction_yield_pct=shot.extraction_yield_pct,
        ),
        tastings=tuple(
            Tasting(**tasted.model_dump(exclude={"changed_at"})) for tasted in shot.tastings
        ),
    )


def _held(shot: Shot) -> HandHeld | None:
    """What a hand held along a shot; None where none did."""
    level = np.array(shot.traces.by_hand, dtype=float)
    if np.isnan(level).all():
        return None
    taken = first_of(shot.events, TakenOver)
    control = taken.control if taken else steered_by(shot.conditions.tamped.machine)
    unit = "" if control is None else UNITS[control]
    return HandHeld(np.array(shot.traces.time_s), level, unit)
