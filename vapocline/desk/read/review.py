"""A finished shot against its plan."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Refused
from vapocline.core.formats.registry import CONDITIONS, PLAN, PREDICTION
from vapocline.core.machine.check import machine_problems
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.corrections import corrected, was_corrected
from vapocline.core.read.following import Followed, followed
from vapocline.core.read.review import PlannedActual, phases_done, recipe_done
from vapocline.core.shot.events import Event, Span, Stopped, first_of, phase_spans
from vapocline.desk.context import Context
from vapocline.desk.read.shots import finished, stored_traces
from vapocline.desk.read.strength import scale_weight_g
from vapocline.desk.shelf.connections import refractometer_address
from vapocline.store import journal, profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

BY_HAND_BEFORE = 8  # earlier pulls by hand that tell how repeatable the hand is


class Correction(Answer):
    """The corrections made during the shot as the next version; `newest` is what it follows."""

    profile: Profile
    differences: list[str]
    newest: int
    runs: bool


class Review(Answer):
    """What a pull came to besides its figures; `weighed` where a scale followed it to its end.

    `too_much` says why what was done during the shot cannot be written as a version.
    """

    recipe: list[PlannedActual]
    phases: list[PlannedActual]
    flagged: int
    correction: Correction | None
    too_much: str | None
    followed: Followed | None
    refractometer: bool
    weighed: bool
    can_tidy: bool


def review_shot(context: Context, shot_id: int) -> Review:
    """A pull that is over, against its plan. Raises NotFoundError, ConflictError while it runs."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        events = journal.read_events(session, shot_id)
        newest = profiles.newest_number(session, row.version.profile_id)
        before = []
        if row.manual:
            before = [
                stored_traces(one)
                for one in shots.read_manual_before(session, row, limit=BY_HAND_BEFORE)
            ]
        bench = shelf.read_bench(session, context.bench_id)
        measured_by = refractometer_address(context.resources, bench, row.machine)
    plan, prediction = PLAN.read(row.plan), PREDICTION.read(row.prediction)
    intended = CONDITIONS.read(row.conditions).intended
    traces = stored_traces(row)
    spans = phase_spans(events, row.time_s[-1] if row.time_s else 0.0)
    recipe = recipe_done(
        plan,
        asked_dose_g=intended.dose_g,
        dose_g=row.dose_g,
        tolerance_g=intended.dose_tolerance_g,
        asked_grind=intended.grind_setting,
        grind=row.grind_setting,
        traces=traces,
    )
    # Of a recording from elsewhere nobody knows which phase ran when.
    pulled = row.origin == "pulled"
    phases = phases_done(plan, prediction.phases, spans) if pulled else []
    correction, too_much = None, None
    try:
        correction = None if row.manual else _correction(row, plan, events, spans, newest)
    except Refused as error:
        too_much = str(error)
    return Review(
        recipe=recipe,
        phases=phases,
        flagged=sum(line.flagged for line in (*recipe, *phases)),
        correction=correction,
        too_much=too_much,
        followed=followed(plan.profile, traces, row.shot_time_s, before) if row.manual else None,
        refractometer=measured_by is not None,
        weighed=scale_weight_g(row) is not None,
        can_tidy=not np.isnan(traces.pressure_bar).all() and row.time_s[-1] > 3,
    )


def _correction(
    row: ShotRow, plan: Plan, events: list[Event], spans: list[Span], newest: int
) -> Correction | None:
    """The corrections as a profile, where there were any that change it. Raises Refused."""
    stop = first_of(events, Stopped)
    stopped = stop is not None and stop.reason == "hand"
    skipped = any(span.ended_on == "skip" for span in spans)
    if not spans or not (was_corrected(events, stopped) or skipped):
        return None
    made = corrected(
        plan.profile,
        plan.setup.machine,
        spans,
        events,
        stored_traces(row),
        stopped_by_hand_g=row.cup_at_stop_g if stopped else None,
    )
    differences = profile_differences(plan.profile, made)
    if not differences:
        return None
    problems = profile_problems(made) + machine_problems(made, plan.setup.machine)
    return Correction(profile=made, differences=differences, newest=newest, runs=not problems)
