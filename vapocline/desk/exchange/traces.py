"""Traces as CSV."""

from __future__ import annotations

from vapocline.core.formats.trace_csv import traces_to_csv
from vapocline.desk.context import Context
from vapocline.desk.read.shots import finished, stored_traces
from vapocline.store import shots
from vapocline.store.database import transaction


def write_traces(context: Context, shot_id: int) -> str:
    """A shot's traces as CSV. Raises NotFoundError, ConflictError while it runs."""
    with transaction(context.sessions) as session:
        return traces_to_csv(stored_traces(finished(shots.read_shot(session, shot_id))))
