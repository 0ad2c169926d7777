"""A shot as a document, to take it elsewhere or to learn from."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vapocline.core.formats.registry import CONDITIONS, PLAN, PREDICTION
from vapocline.core.formats.shot import Channels, Measured, ShotDocument
from vapocline.core.puck.plan import knowing
from vapocline.core.shot.events import Event
from vapocline.desk.context import Context
from vapocline.desk.read.shots import finished
from vapocline.store import journal, shots
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

DIGITS = 4


def read_document(context: Context, shot_id: int) -> ShotDocument:
    """A finished shot as a document. Raises NotFoundError, ConflictError while it runs."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        return document_of(row, journal.read_events(session, shot_id))


def document_of(row: ShotRow, events: Sequence[Event]) -> ShotDocument:
    """A stored shot: its plan with the set-up as tamped, its forecast and its measurements."""
    plan, conditions = PLAN.read(row.plan), CONDITIONS.read(row.conditions)
    tamped = plan.model_copy(update={"setup": conditions.tamped})
    return ShotDocument(
        name=str(row.id),
        started_at=row.started_at,
        plan=knowing(tamped, plan.setup.knowledge),
        forecast=PREDICTION.read(row.prediction),
        conditions=conditions,
        by_hand=row.manual,
        profile_version=str(row.version_id),
        bag=None if row.bag_id is None else str(row.bag_id),
        traces=_channels(row),
        events=tuple(events),
        result=Measured(**{name: getattr(row, name) for name in Measured.model_fields}),
        set_aside=row.set_aside,
    )


def _channels(row: ShotRow) -> Channels | None:
    if len(row.time_s) < 2:
        return None
    time_s = np.round(np.array(row.time_s), DIGITS)
    risen = np.diff(time_s, prepend=-1.0) > 0  # a sample that came twice is one
    found = {}
    for name in Channels.model_fields:
        values = np.round(np.array(getattr(row, name), dtype=float)[risen], DIGITS)
        missing = np.isnan(values)
        if not missing.all():
            found[name] = np.where(missing, None, values).tolist()  # type: ignore[call-overload]
    return Channels(**found)
