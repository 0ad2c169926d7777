"""Shots: list and read."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.formats.registry import CONDITIONS, PLAN, PREDICTION
from vapocline.core.machine.cautions import drains
from vapocline.core.machine.commands import bar_per_unit, levels_of, steered_by, top_of
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import Profile
from vapocline.core.profile.purpose import Purpose
from vapocline.core.puck.answer import Prediction
from vapocline.core.pull.conditions import Conditions
from vapocline.core.pull.cues import Cue, cue_sheet
from vapocline.core.pull.steering import NUDGES, nudge_of
from vapocline.core.shot.events import Event
from vapocline.core.shot.traces import CHANNELS, Traces
from vapocline.core.taste.extraction import Extraction, extraction_of
from vapocline.core.taste.observations import Observation
from vapocline.core.taste.tasting import Tasting, extraction_yield_pct
from vapocline.desk.context import Context
from vapocline.desk.shelf.overshoot import expected_drip_g, overshoot_on
from vapocline.store import journal, shots
from vapocline.store.database import transaction
from vapocline.store.tables import CupRow, RemarkRow, ScoreRow, ShotRow

ShotState = Literal["running", "done", "incomplete"]


class Tasted(Tasting):
    """A tasting as stored: whose, of which session; `quick` a taster's own form of a shot. `age_s`
    is the cup's age, on average over its scores."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    session_id: int
    taster: str
    quick: bool
    blind: bool
    age_s: float | None
    stirred: bool
    changed_at: datetime


class ShotLine(Answer):
    """A shot in a list: its recipe, its figures, its tastings.

    Person and bench are None once removed. `target_yield_g` is what was wanted, `yield_g` the
    result; extraction needs a measured TDS. A `dry` run had a drilled disc in the puck's place.
    Shot time is given on three clocks. `set_aside` says why it counts nowhere, None if it counts.
    """

    id: int
    state: ShotState
    trouble: str | None
    started_at: datetime
    person_id: int | None
    bench_id: int | None
    profile_id: int
    profile_name: str
    number: int
    purpose: Purpose | None
    coffee: str | None
    bag_id: int | None
    rest_days: float | None
    dose_g: float
    target_yield_g: float
    grinder: str | None
    grind_setting: float | None
    machine: str
    simulated: bool
    wired: bool
    manual: bool
    dry: bool
    series_id: int | None
    set_aside: str | None
    origin: Literal["pulled", "csv", "picture"]
    water_c: float
    shot_time_s: float | None
    shot_time_from_first_drip_s: float | None
    shot_time_from_full_pressure_s: float | None
    first_drip_s: float | None
    full_pressure_s: float | None
    yield_g: float | None
    cup_at_stop_g: float | None
    peak_pressure_bar: float | None
    water_in_ml: float | None
    ratio: float | None
    tds_pct: float | None
    extraction_yield_pct: float | None
    readings_pct: list[float]
    extraction_error_pct: float | None
    observation: Observation | None
    tastings: list[Tasted]


class ShotTraces(Answer):
    """Measured channels on one clock; `commanded` is None with the pump off, `by_hand` while no
    hand held a level, and a measured channel where no device measures it."""

    time_s: list[float]
    pressure_bar: list[float | None]
    water_in_ml_s: list[float | None]
    cup_out_ml_s: list[float | None]
    cup_g: list[float | None]
    group_c: list[float | None]
    commanded: list[float | None]
    phase: list[float]
    by_hand: list[float | None]


class DialCorrection(Answer):
    """How a machine's own dial reads: the puck's pressure plus `zero_bar` plus `drop` times the
    flow squared."""

    zero_bar: float
    drop: float


class Shot(ShotLine):
    """A shot, whole: profile as run, the prediction made before it, traces and events.

    `cues` are those of a machine worked by hand. Of each variable a hand can steer, in its unit:
    `dial` is None where the machine's dial is not calibrated.
    `nudges` is one nudge, `tops` the highest level; one unit is commanded as `shown_per_unit`.
    `drains` says that hot water is dumped when the pump stops.
    """

    profile: Profile
    dial: DialCorrection | None
    commander: str | None
    cues: list[Cue]
    nudges: dict[str, float]
    tops: dict[str, float]
    shown_per_unit: dict[str, float]
    after_drip_g: float | None
    drains: bool
    prediction: Prediction
    conditions: Conditions
    traces: ShotTraces
    events: list[Event]


class ShotPage(BaseModel):
    """Which shots to list: at most so many, of one thing or all, from the newest back or from
    `before`, the last shot of the page before."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    limit: Annotated[int, Field(ge=1, le=500)] = 100
    before: int | None = None
    coffee_id: int | None = None
    machine_id: int | None = None
    profile_id: int | None = None
    state: ShotState | None = None


def list_shots(
    context: Context, page: ShotPage | None = None, *, limit: int = 100
) -> list[ShotLine]:
    """The newest shots first, a page or so many. Raises NotFoundError for no shot `before`."""
    wanted = {"limit": limit} if page is None else page.model_dump()
    with transaction(context.sessions) as session:
        rows = shots.read_shots(session, **wanted)
        return [line_of(row) for row in rows]


def read_shot(context: Context, shot_id: int) -> Shot:
    """One shot, whole. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return whole_of(session, shots.read_shot(session, shot_id))


def line_of(row: ShotRow) -> ShotLine:
    """A stored shot as it stands in a list."""
    return ShotLine(**_line(row))


def _line(row: ShotRow) -> dict[str, Any]:
    extraction = extraction_in(row)
    error = None if extraction is None else extraction.error_pct
    return {
        "id": row.id,
        "state": row.state,
        "trouble": row.trouble,
        "started_at": row.started_at,
        "person_id": row.person_id,
        "bench_id": row.bench_id,
        "profile_id": row.version.profile_id,
        "profile_name": row.version.document["name"],
        "number": row.version.number,
        "purpose": row.version.purpose,
        "coffee": row.coffee.name if row.coffee else None,
        "bag_id": row.bag_id,
        "rest_days": row.rest_days,
        "dose_g": row.dose_g,
        "target_yield_g": row.target_yield_g,
        "grinder": row.grinder.name if row.grinder else None,
        "grind_setting": row.grind_setting,
        "machine": row.machine.name,
        "simulated": row.simulated,
        "wired": row.wired,
        "manual": row.manual,
        "dry": row.dry,
        "series_id": row.series_id,
        "set_aside": row.set_aside,
        "origin": row.origin,
        "water_c": row.water_c,
        "shot_time_s": _rounded(row.shot_time_s, 1),
        "shot_time_from_first_drip_s": _since(row.shot_time_s, row.first_drip_s),
        "shot_time_from_full_pressure_s": _since(row.shot_time_s, row.full_pressure_s),
        "first_drip_s": _rounded(row.first_drip_s, 1),
        "full_pressure_s": _rounded(row.full_pressure_s, 1),
        "yield_g": _rounded(row.yield_g, 1),
        "cup_at_stop_g": _rounded(row.cup_at_stop_g, 1),
        "peak_pressure_bar": _rounded(row.peak_pressure_bar, 1),
        "water_in_ml": _rounded(row.water_in_ml, 1),
        "ratio": None if row.yield_g is None else round(row.yield_g / row.dose_g, 2),
        "tds_pct": row.tds_pct,
        "extraction_yield_pct": measured_yield(row),
        "readings_pct": [one.tds_pct for one in row.readings],
        "extraction_error_pct": _rounded(error, 2),
        "observation": observation_of(row),
        "tastings": tastings_of(row),
    }


def measured_yield(row: ShotRow) -> float | None:
    """Extraction yield, %, from a measured strength; None without one."""
    if row.tds_pct is None or row.yield_g is None:
        return None
    return round(extraction_yield_pct(row.tds_pct, row.yield_g, row.dose_g), 1)


def extraction_in(row: ShotRow) -> Extraction | None:
    """Extraction with its error, from every reading of the strength."""
    return extraction_of([one.tds_pct for one in row.readings], row.yield_g, row.dose_g)


def observation_of(row: ShotRow) -> Observation | None:
    """What crema and puck looked like; None where nobody looked."""
    if row.observation is None:
        return None
    return Observation(
        **{name: getattr(row.observation, name) for name in Observation.model_fields}
    )


def _since(stop_s: float | None, moment_s: float | None) -> float | None:
    if stop_s is None or moment_s is None or moment_s > stop_s:
        return None
    return round(stop_s - moment_s, 1)


def _rounded(value: float | None, digits: int) -> float | None:
    return None if value is None else round(value, digits)


def tastings_of(row: ShotRow) -> list[Tasted]:
    """What is known of a shot's taste, the oldest first: an open session keeps what it has."""
    found = [
        _tasted(cup, *key)
        for cup in row.cups
        if cup.session.state == "closed" and cup.withdrawn is None
        for key in dict.fromkeys(_way(one) for one in _said_of(cup))
    ]
    return sorted(found, key=lambda one: one.session_id)


def _tasted(cup: CupRow, taster_id: int, warmth: str, served: str) -> Tasted:
    key = (taster_id, warmth, served)
    scores = [one for one in cup.scores if _way(one) == key]
    remarks = [one for one in cup.remarks if _way(one) == key]
    names = {seat.taster_id: seat.taster.name for seat in cup.session.seats}
    ages = [one.since_stop_s for one in scores if one.since_stop_s is not None]
    return Tasted.model_validate(
        {one.line: one.points for one in scores}
        | {
            "warmth": warmth,
            "served": served,
            "notes": " ".join(one.notes for one in remarks if one.notes),
            "words": [word for one in remarks for word in one.words],
            "session_id": cup.session_id,
            "taster": names[taster_id],
            "quick": cup.session.quick_shot_id is not None,
            "blind": cup.session.blind,
            "age_s": round(sum(ages) / len(ages), 1) if ages else None,
            "stirred": any(one.stirred for one in scores),
            "changed_at": max(one.changed_at for one in _said_of(cup) if _way(one) == key),
        }
    )


def _said_of(cup: CupRow) -> list[ScoreRow | RemarkRow]:
    return [*cup.remarks, *cup.scores]


def _way(said: ScoreRow | RemarkRow) -> tuple[int, str, str]:
    return said.taster_id, said.warmth, said.served


GAPPED = tuple(name for name in CHANNELS if name not in ("time_s", "phase"))


def whole_of(session: Session, row: ShotRow) -> Shot:
    """A shot with what is still in its journal."""
    kept = journal.read(session, row)
    plan = PLAN.read(row.plan)
    machine = plan.setup.machine
    wired = row.wired
    steered = [c for c in NUDGES if wired and c in levels_of(machine) and steered_by(machine)]
    prediction = PREDICTION.read(row.prediction)
    return Shot(
        **_line(row),
        profile=plan.profile,
        dial=_dial(machine),
        commander=row.commander,
        cues=cue_sheet(plan.profile, machine) if row.manual else [],
        nudges={control: nudge_of(control, machine) for control in steered},
        tops={control: top_of(control, machine) for control in steered},
        shown_per_unit={control: bar_per_unit(control, machine) for control in steered},
        after_drip_g=_after_drip(session, row, prediction, machine),
        drains=drains(machine),
        prediction=prediction,
        conditions=CONDITIONS.read(row.conditions),
        traces=_with_gaps(kept.columns),
        events=kept.events,
    )


def _dial(machine: Machine) -> DialCorrection | None:
    if machine.dial_zero_bar == 0 and machine.dial_drop == 0:
        return None
    return DialCorrection(zero_bar=machine.dial_zero_bar, drop=machine.dial_drop)


def drawn(traces: Traces) -> ShotTraces:
    """Channels as they go to a page."""
    return _with_gaps({name: getattr(traces, name).tolist() for name in CHANNELS})


def _with_gaps(columns: dict[str, list[Any]]) -> ShotTraces:
    gapped = {}
    for name in GAPPED:
        values = np.array(columns[name], dtype=float)
        gapped[name] = np.where(np.isnan(values), None, values).tolist()  # type: ignore[call-overload]
    return ShotTraces.model_construct(**columns | gapped)


def _after_drip(
    session: Session, row: ShotRow, prediction: Prediction, machine: Machine
) -> float | None:
    """The drips expected after the stop; for a manual shot, as stored when it began."""
    goal = PLAN.read(row.plan).profile.stop.cup_g
    if row.manual and row.stop_cue_g is not None and goal is not None:
        return round(goal - row.stop_cue_g, 2)
    return expected_drip_g(prediction, machine, overshoot_on(session, row.machine_id, machine))


def stored_traces(row: ShotRow) -> Traces:
    """A whole shot's channels as they are stored."""
    return Traces(**{name: np.array(getattr(row, name), dtype=float) for name in CHANNELS})


def finished(row: ShotRow) -> ShotRow:
    if row.state == "running":
        raise ConflictError(f"Shot {row.id} still runs.")
    return row
