"""After a pull: planned against done, corrections as a version, strength, repeats, cut-offs."""

from __future__ import annotations

from contextlib import closing
from typing import Annotated, Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.check import machine_problems, profile_problems
from vapocline.core.differences import profile_differences
from vapocline.core.plan import Plan
from vapocline.core.problems import ConflictError, DeviceError, Refused
from vapocline.core.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.pull.corrections import Span, corrected, was_corrected
from vapocline.core.pull.done import Done, phases_done, recipe_done
from vapocline.core.pull.following import Followed, followed
from vapocline.core.pull.salvage import Action
from vapocline.core.pull.spread import Spread, Tolerance, spread, verdict
from vapocline.core.quantities import CupG
from vapocline.core.shot import result_of
from vapocline.core.trace_csv import traces_to_csv
from vapocline.desk.context import Desk
from vapocline.desk.reaching import is_simulated, refractometer_address
from vapocline.desk.recording import stored_traces
from vapocline.desk.shots import ShotLine, Strength, line_of, measure
from vapocline.devices.adapters import open_refractometer
from vapocline.store import profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import SeriesRow, ShotRow

BY_HAND_BEFORE = 8  # earlier pulls by hand that tell how repeatable the hand is


class Correction(BaseModel):
    """What was done in flight as the next version, and in words; `newest` is what it follows."""

    model_config = ConfigDict(frozen=True)

    profile: Profile
    differences: list[str]
    newest: int
    runs: bool


class After(BaseModel):
    """What a pull came to besides its figures; `weighed` where a scale followed it to its end.

    `too_much` says why what was done in flight cannot be written as a version.
    """

    model_config = ConfigDict(frozen=True)

    recipe: list[Done]
    phases: list[Done]
    flagged: int
    correction: Correction | None
    too_much: str | None
    followed: Followed | None
    refractometer: bool
    weighed: bool
    can_tidy: bool


class Drink(BaseModel):
    """What the cup was weighed to by hand, g, or None to take it back."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    drink_g: CupG | None


class NewSeries(BaseModel):
    """How often to pull a version, and how far the pulls may lie apart."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    profile_id: int
    number: int
    wanted: Annotated[int, Field(ge=2, le=50)] = 3
    tolerance: Tolerance | None = None


class PullSeries(BaseModel):
    """A series with its pulls so far and what their spread says."""

    model_config = ConfigDict(frozen=True)

    id: int
    profile_id: int
    number: int
    wanted: int
    tolerance: Tolerance
    shots: list[ShotLine]
    rows: list[Spread]
    verdict: str


def look_back(desk: Desk, shot_id: int) -> After:
    """A pull that is over, against its plan. Raises NotFoundError, ConflictError while it runs."""
    with transaction(desk.sessions) as session:
        row = _over(shots.read_shot(session, shot_id))
        newest = profiles.newest_number(session, row.version.profile_id)
        before = []
        if row.hand_run:
            before = [
                stored_traces(one)
                for one in shots.read_by_hand_before(session, row, limit=BY_HAND_BEFORE)
            ]
        bench = shelf.read_bench(session)
        measured_by = None if bench is None else refractometer_address(desk, bench, row.machine)
    plan, forecast = Plan.model_validate(row.plan), Prediction.model_validate(row.forecast)
    traces, spans = stored_traces(row), spans_of(row)
    asked = row.asked or {"dose_g": plan.setup.dose_g, "grind_setting": row.grind_setting}
    recipe = recipe_done(
        plan,
        asked_dose_g=asked["dose_g"],
        dose_g=row.dose_g,
        tolerance_g=asked.get("dose_tolerance_g", 0.2),
        asked_grind=asked["grind_setting"],
        grind=row.grind_setting,
        traces=traces,
    )
    phases = phases_done(plan, forecast.phases, spans)
    correction, too_much = None, None
    try:
        correction = None if row.hand_run else _correction(row, plan, spans, newest)
    except Refused as error:
        too_much = str(error)
    return After(
        recipe=recipe,
        phases=phases,
        flagged=sum(line.flagged for line in (*recipe, *phases)),
        correction=correction,
        too_much=too_much,
        followed=followed(plan.profile, traces, row.shot_time_s, before) if row.hand_run else None,
        refractometer=measured_by is not None,
        weighed=_weighed_g(row) is not None,
        can_tidy=not np.isnan(traces.pressure_bar).all() and float(traces.time_s[-1]) > 3,
    )


def _over(row: ShotRow) -> ShotRow:
    if row.state == "running":
        raise ConflictError(f"Shot {row.id} still runs.")
    return row


def spans_of(row: ShotRow) -> list[Span]:
    """Each phase as it ran, from the events; one that was cut off ends with the record."""
    began = [event for event in row.events if event["what"] == "phase"]
    stop = next((event for event in row.events if event["what"] == "stop"), None)
    last = row.time_s[-1] if row.time_s else 0.0
    found = []
    for event, then in zip(began, [*began[1:], stop], strict=True):
        end_s = last if then is None else then["t"]
        because = None if then is None else then.get("because")
        found.append(Span(event["phase"], event["t"], end_s, because))
    return found


def actions_of(row: ShotRow) -> list[Action]:
    """What hands did, from the events."""
    return [
        Action(t=event["t"], what=event["what"], value=event.get("value"))
        for event in row.events
        if event["what"] in ("nudge", "hold", "go_on", "take", "give_back")
    ]


def _correction(row: ShotRow, plan: Plan, spans: list[Span], newest: int) -> Correction | None:
    """The corrections as a profile, where there were any that change it. Raises Refused."""
    actions = actions_of(row)
    stopped = any(e["what"] == "stop" and e.get("because") == "hand" for e in row.events)
    skipped = any(span.ended_on == "skip" for span in spans)
    if not spans or not (was_corrected(actions, stopped) or skipped):
        return None
    made = corrected(
        plan.profile,
        plan.setup.machine,
        spans,
        actions,
        stored_traces(row),
        stopped_by_hand_g=row.cup_at_stop_g if stopped else None,
    )
    differences = profile_differences(plan.profile, made)
    if not differences:
        return None
    problems = profile_problems(made) + machine_problems(made, plan.setup.machine)
    return Correction(profile=made, differences=differences, newest=newest, runs=not problems)


def weigh(desk: Desk, shot_id: int, drink: Drink) -> ShotLine:
    """Note what the cup was weighed to by hand, where no scale told it.

    Raises NotFoundError, ConflictError while it runs or where a scale weighed it.
    """
    with transaction(desk.sessions) as session:
        row = _over(shots.read_shot(session, shot_id))
        if (told := _weighed_g(row)) is not None:
            raise ConflictError(f"The scale weighed this shot: {told:.1f} g.")
        row.drink_g = drink.drink_g
        session.flush()
        return line_of(row)


def _weighed_g(row: ShotRow) -> float | None:
    """What a scale that followed the shot to its end said last."""
    return result_of(stored_traces(row), stop_s=row.shot_time_s, dose_g=row.dose_g).cup_g


def read_strength(desk: Desk, shot_id: int) -> ShotLine:
    """Ask the refractometer and note what it read. Raises NotFoundError, DeviceError."""
    with transaction(desk.sessions) as session:
        row = shots.read_shot(session, shot_id)
        bench = shelf.read_bench(session)
        newest = shots.read_shots(session, limit=1)[0]
        address = None if bench is None else refractometer_address(desk, bench, row.machine)
    if address is None:
        raise DeviceError("No refractometer is set up for this bench.")
    if is_simulated(row.machine) and newest.id != shot_id:
        raise DeviceError("The cup of this shot is gone: the refractometer has the newest one's.")
    with closing(open_refractometer(address)) as refractometer:
        reading = refractometer.read()
    return measure(desk, shot_id, Strength(tds_pct=reading.tds_pct))


def start_series(desk: Desk, new: NewSeries) -> PullSeries:
    """Begin a series of repeats. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        version = profiles.read_version(session, new.profile_id, new.number)
        row = SeriesRow(
            version_id=version.id,
            wanted=new.wanted,
            tolerance=(new.tolerance or Tolerance()).model_dump(),
        )
        session.add(row)
        session.flush()
        series_id = row.id
    return read_series(desk, series_id)


def change_tolerance(desk: Desk, series_id: int, tolerance: Tolerance) -> PullSeries:
    """Judge a series by another tolerance. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        shots.read_series(session, series_id).tolerance = tolerance.model_dump()
    return read_series(desk, series_id)


def read_series(desk: Desk, series_id: int) -> PullSeries:
    """A series with its spread. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        row = shots.read_series(session, series_id)
        lines = [line_of(shot) for shot in shots.read_series_shots(session, series_id)]
    tolerance = Tolerance.model_validate(row.tolerance)
    pulls: list[dict[str, Any]] = [line.model_dump() for line in lines if line.state == "done"]
    rows = spread(pulls, tolerance)
    return PullSeries(
        id=row.id,
        profile_id=row.version.profile_id,
        number=row.version.number,
        wanted=row.wanted,
        tolerance=tolerance,
        shots=lines,
        rows=rows,
        verdict=verdict(rows, row.wanted),
    )


def list_cut_off(desk: Desk) -> list[ShotLine]:
    """Shots that were cut off and nobody has looked at since."""
    with transaction(desk.sessions) as session:
        return [line_of(row) for row in shots.read_unseen(session)]


def mark_seen(desk: Desk, shot_id: int) -> None:
    """A cut-off shot was looked at: it is not offered again. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        shots.read_standing(session, shot_id).seen_at = desk.now()


def write_traces(desk: Desk, shot_id: int) -> str:
    """A shot's traces as CSV. Raises NotFoundError, ConflictError while it runs."""
    with transaction(desk.sessions) as session:
        return traces_to_csv(stored_traces(_over(shots.read_shot(session, shot_id))))
