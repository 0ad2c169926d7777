"""Shots: list, read, score, measure, compare."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict

from vapocline.core.compare import Comparison, Pulled, Recipe, compare
from vapocline.core.plan import Plan
from vapocline.core.problems import Problem, Refused
from vapocline.core.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.quantities import TdsPct
from vapocline.core.shot import CHANNELS, Result
from vapocline.core.taste import ATTRIBUTES, Served, Tasting, Warmth, extraction_yield_pct
from vapocline.desk.context import Desk
from vapocline.store import shots
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow, TastingRow

State = Literal["running", "done", "incomplete"]


class Frozen(BaseModel):
    """A part of an answer."""

    model_config = ConfigDict(frozen=True)


class Tasted(Tasting):
    """A tasting as stored."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    changed_at: datetime


class ShotLine(Frozen):
    """A shot in a list: its recipe, its figures, its tastings. `ey_pct` needs a measured TDS."""

    id: int
    state: State
    trouble: str | None
    started_at: datetime
    profile_id: int
    profile_name: str
    number: int
    coffee: str | None
    rest_days: float | None
    dose_g: float
    yield_g: float
    grinder: str | None
    grind_setting: float | None
    machine: str
    simulated: bool
    water_c: float
    shot_time_s: float | None
    first_drip_s: float | None
    drink_g: float | None
    cup_at_stop_g: float | None
    peak_pressure_bar: float | None
    water_in_ml: float | None
    ratio: float | None
    tds_pct: float | None
    ey_pct: float | None
    tastings: list[Tasted]


class Event(Frozen):
    """Something that happened during the shot, at its time from pump on, s."""

    t: float
    what: str
    phase: int | None = None
    because: str | None = None


class ShotTraces(Frozen):
    """Measured channels on one clock; `commanded` is None with the pump off."""

    time_s: list[float]
    pressure_bar: list[float]
    water_in_ml_s: list[float]
    cup_out_ml_s: list[float]
    cup_g: list[float]
    group_c: list[float]
    commanded: list[float | None]
    phase: list[float]


class Shot(ShotLine):
    """A shot, whole: profile as run, the prediction made before it, traces and events."""

    profile: Profile
    forecast: Prediction
    traces: ShotTraces
    events: list[Event]


class Strength(BaseModel):
    """A measured strength, or None to take it back."""

    model_config = ConfigDict(extra="forbid")

    tds_pct: TdsPct | None


class Compared(Frozen):
    """Two shots whole, and what differs."""

    first: Shot
    second: Shot
    comparison: Comparison


def list_shots(desk: Desk, limit: int = 100) -> list[ShotLine]:
    """The newest shots first."""
    with transaction(desk.sessions) as session:
        return [ShotLine(**_line(row)) for row in shots.read_shots(session, limit=limit)]


def read_shot(desk: Desk, shot_id: int) -> Shot:
    """One shot, whole. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        return _whole(shots.read_shot(session, shot_id))


def score(desk: Desk, shot_id: int, tasting: Tasting) -> ShotLine:
    """Write down what was tasted; the same warmth and serving again replaces what was there.

    Raises Refused when nothing is said at all, NotFoundError.
    """
    if not tasting.scores() and not tasting.notes.strip():
        raise Refused([Problem("tasting", "nothing", "at least one score or a note")])
    with transaction(desk.sessions) as session:
        shots.read_shot(session, shot_id)
        row = shots.read_tasting(session, shot_id, tasting.warmth, tasting.served)
        if row is None:
            row = TastingRow(shot_id=shot_id)
            session.add(row)
        for name, value in tasting.model_dump().items():
            setattr(row, name, value)
        session.flush()
        session.expire_all()
        return ShotLine(**_line(shots.read_shot(session, shot_id)))


def take_back(desk: Desk, shot_id: int, warmth: Warmth, served: Served) -> None:
    """Remove one tasting, if there is one."""
    with transaction(desk.sessions) as session:
        row = shots.read_tasting(session, shot_id, warmth, served)
        if row is not None:
            session.delete(row)


def measure(desk: Desk, shot_id: int, strength: Strength) -> ShotLine:
    """Note a measured strength, from which the extraction is worked out. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        row = shots.read_shot(session, shot_id)
        row.tds_pct = strength.tds_pct
        session.flush()
        return ShotLine(**_line(row))


def compare_shots(desk: Desk, first: int, second: int) -> Compared:
    """Two shots side by side with what differs named. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        rows = [shots.read_shot(session, number) for number in (first, second)]
        wholes = [_whole(row) for row in rows]
    pulled = [_pulled(whole) for whole in wholes]
    return Compared(first=wholes[0], second=wholes[1], comparison=compare(pulled[0], pulled[1]))


def _pulled(shot: Shot) -> Pulled:
    return Pulled(
        name=f"{shot.profile_name} v{shot.number}",
        recipe=Recipe(
            coffee=shot.coffee,
            rest_days=shot.rest_days,
            dose_g=shot.dose_g,
            yield_g=shot.yield_g,
            grinder=shot.grinder,
            grind_setting=shot.grind_setting,
            machine=shot.machine,
            water_c=shot.water_c,
        ),
        profile=shot.profile,
        result=Result(
            shot_time_s=shot.shot_time_s,
            first_drip_s=shot.first_drip_s,
            cup_g=shot.drink_g or 0.0,
            cup_at_stop_g=shot.cup_at_stop_g,
            peak_pressure_bar=shot.peak_pressure_bar or 0.0,
            water_in_ml=shot.water_in_ml or 0.0,
            ratio=shot.ratio or 0.0,
            tds_pct=shot.tds_pct,
            ey_pct=shot.ey_pct,
        ),
        tastings=tuple(
            Tasting(**tasted.model_dump(exclude={"changed_at"})) for tasted in shot.tastings
        ),
    )


def _line(row: ShotRow) -> dict[str, Any]:
    return {
        "id": row.id,
        "state": row.state,
        "trouble": row.trouble,
        "started_at": row.started_at,
        "profile_id": row.version.profile_id,
        "profile_name": row.version.document["name"],
        "number": row.version.number,
        "coffee": row.coffee.name if row.coffee else None,
        "rest_days": row.rest_days,
        "dose_g": row.dose_g,
        "yield_g": row.yield_g,
        "grinder": row.grinder.name if row.grinder else None,
        "grind_setting": row.grind_setting,
        "machine": row.machine.name,
        "simulated": row.machine.address is None,
        "water_c": row.water_c,
        "shot_time_s": _rounded(row.shot_time_s, 1),
        "first_drip_s": _rounded(row.first_drip_s, 1),
        "drink_g": _rounded(row.drink_g, 1),
        "cup_at_stop_g": _rounded(row.cup_at_stop_g, 1),
        "peak_pressure_bar": _rounded(row.peak_pressure_bar, 1),
        "water_in_ml": _rounded(row.water_in_ml, 1),
        "ratio": None if row.drink_g is None else round(row.drink_g / row.dose_g, 2),
        "tds_pct": row.tds_pct,
        "ey_pct": _measured_yield(row),
        "tastings": [_tasted(tasting) for tasting in row.tastings],
    }


def _measured_yield(row: ShotRow) -> float | None:
    if row.tds_pct is None or row.drink_g is None:
        return None
    return round(extraction_yield_pct(row.tds_pct, row.drink_g, row.dose_g), 1)


def _rounded(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)


def _tasted(row: TastingRow) -> Tasted:
    scores = {attribute.field: getattr(row, attribute.field) for attribute in ATTRIBUTES}
    return Tasted.model_validate(
        {
            **scores,
            "warmth": row.warmth,
            "served": row.served,
            "notes": row.notes,
            "changed_at": row.changed_at,
        }
    )


def _whole(row: ShotRow) -> Shot:
    traces = {name: getattr(row, name) for name in CHANNELS}
    traces["commanded"] = [None if np.isnan(x) else x for x in traces["commanded"]]
    return Shot(
        **_line(row),
        profile=Plan.model_validate(row.plan).profile,
        forecast=Prediction.model_validate(row.forecast),
        traces=ShotTraces(**traces),
        events=[Event(**event) for event in row.events],
    )
