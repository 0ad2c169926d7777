"""Two shots or several side by side."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.machine.commands import steered_by
from vapocline.core.profile.differences import UNITS
from vapocline.core.shot.events import TakenOver, first_of
from vapocline.core.shot.result import TIME_FIGURES, Clock, Result
from vapocline.core.taste.as_run import AsRun, HandHeld
from vapocline.core.taste.compare import ComparedShot, Comparison, ShotRecipe, TastedCup, compare
from vapocline.core.taste.several import Several, compare_several
from vapocline.core.taste.tasting import Served, Tasting, Warmth
from vapocline.desk.context import Context
from vapocline.desk.read.shots import Shot, ShotLine, ShotTraces, whole_of
from vapocline.desk.taste.spread import spreads_here
from vapocline.store import shots
from vapocline.store.database import transaction

MOST_COMPARED = 12


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
        spreads = spreads_here(session)
    pulled = [_pulled(whole, clock) for whole in wholes]
    comparison = compare(pulled[0], pulled[1], spreads)
    return Compared(first=wholes[0], second=wholes[1], comparison=comparison)


class ComparedSeveral(Answer):
    """Shots as lines and small curves, by number, and how they compare; places name them by their
    position in `shots`."""

    shots: list[ShotLine]
    traces: list[ShotTraces]
    comparison: Several


def compare_several_shots(
    context: Context,
    numbers: Sequence[int],
    *,
    warmth: Warmth = "hot",
    served: Served = "straight",
    clock: Clock = "pump",
) -> ComparedSeveral:
    """Two to twelve shots side by side, in the order named. Raises Refused, NotFoundError."""
    if not MOST_COMPARED >= len(set(numbers)) >= 2 or len(set(numbers)) < len(numbers):
        got = f"{len(numbers)} shots" if len(set(numbers)) == len(numbers) else "a shot twice"
        raise Refused([Problem("shots", got, f"2 to {MOST_COMPARED} shots, each once")])
    with transaction(context.sessions) as session:
        wholes = [whole_of(session, shots.read_shot(session, number)) for number in numbers]
        spreads = spreads_here(session)
    pulled = [_pulled(whole, clock) for whole in wholes]
    return ComparedSeveral(
        shots=[ShotLine(**{n: getattr(one, n) for n in ShotLine.model_fields}) for one in wholes],
        traces=[one.traces for one in wholes],
        comparison=compare_several(pulled, spreads, warmth, served),
    )


def _pulled(shot: Shot, clock: Clock) -> ComparedShot:
    water, prepared = shot.conditions.water, shot.conditions.preparation
    return ComparedShot(
        name=f"{shot.profile_name} v{shot.number}",
        recipe=ShotRecipe(
            coffee=shot.coffee,
            bag=None if shot.bag_id is None else f"no. {shot.bag_id}",
            rest_days=shot.rest_days,
            dose_g=shot.dose_g,
            wanted_dose_g=shot.conditions.intended.dose_g,
            yield_g=shot.target_yield_g,
            basket=shot.conditions.basket,
            grinder=shot.grinder,
            grind_setting=shot.grind_setting,
            machine=shot.machine,
            mode=shot.conditions.tamped.machine.mode,
            water_c=shot.water_c,
            water=None if water is None else water.name,
            preparation=None if prepared is None else prepared.name,
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
            TastedCup(
                Tasting.model_validate(tasted.model_dump(include=set(Tasting.model_fields))),
                tasted.taster,
                tasted.age_s,
                tasted.stirred,
            )
            for tasted in shot.tastings
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
