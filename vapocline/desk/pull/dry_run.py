"""A run without coffee, a drilled disc in the puck's place: its stages timed against the plan."""

from __future__ import annotations

from vapocline.core.base.problems import ConflictError, Problem, Refused
from vapocline.core.formats.registry import PREDICTION
from vapocline.core.machine.calibration.measured import DryRun, StageTiming
from vapocline.core.shot.events import PhaseBegan, events_of
from vapocline.desk.context import Context
from vapocline.desk.read.shots import finished
from vapocline.store import journal, shots
from vapocline.store.database import transaction


def time_stages(context: Context, shot_id: int) -> DryRun:
    """When each stage of a dry run began, against its plan.

    Raises NotFoundError, ConflictError while it runs or when it ran no stage, Refused for a shot
    with coffee.
    """
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        events = journal.read_events(session, shot_id)
    if not row.dry:
        raise Refused([Problem("shot_id", f"{shot_id}, a shot with coffee", "a dry run")])
    began = {event.phase: event.time_s for event in events_of(events, PhaseBegan)}
    names = [phase["name"] for phase in row.version.document["phases"]]
    planned = [run.start_s for run in PREDICTION.read(row.prediction).phases]
    rows = [
        StageTiming(stage=name, planned_s=round(at, 2), began_s=round(began[index], 2))
        for index, (name, at) in enumerate(zip(names, planned, strict=True))
        if at is not None and index in began
    ]
    if not rows:
        raise ConflictError("The machine ran none of the stages.")
    return DryRun(rows=tuple(rows))
