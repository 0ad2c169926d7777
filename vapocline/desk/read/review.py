"""A finished shot against its plan."""

from __future__ import annotations

import numpy as np
from pydantic import BaseModel, ConfigDict

from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.corrections import corrected, was_corrected
from vapocline.core.read.following import Followed, followed
from vapocline.core.read.review import Done, phases_done, recipe_done
from vapocline.core.shot.events import Action, Span
from vapocline.desk.context import Context
from vapocline.desk.read.shots import finished, stored_traces
from vapocline.desk.read.strength import scale_weight_g
from vapocline.desk.shelf.connections import refractometer_address
from vapocline.store import profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

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


def look_back(context: Context, shot_id: int) -> After:
    """A pull that is over, against its plan. Raises NotFoundError, ConflictError while it runs."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        newest = profiles.newest_number(session, row.version.profile_id)
        before = []
        if row.hand_run:
            before = [
                stored_traces(one)
                for one in shots.read_by_hand_before(session, row, limit=BY_HAND_BEFORE)
            ]
        bench = shelf.read_bench(session, context.bench_id)
        measured_by = refractometer_address(context.resources, bench, row.machine)
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
        weighed=scale_weight_g(row) is not None,
        can_tidy=not np.isnan(traces.pressure_bar).all() and float(traces.time_s[-1]) > 3,
    )


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
