"""The journal of running shots: small rows as it comes, gathered into the shot when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import orjson
from sqlalchemy import delete, insert, select, text
from sqlalchemy.orm import Session

from vapocline.core.formats.registry import EVENT
from vapocline.core.shot.events import Event
from vapocline.core.shot.traces import CHANNELS
from vapocline.store.shots import notify
from vapocline.store.tables import EventRow, JournalRow, ShotRow

_INSERT = text(
    "insert into shot_journal (shot_id, heard, columns) "
    "values (:shot, :heard, cast(:columns as jsonb))"
)


class Journal(NamedTuple):
    """All that was heard of a running shot: channels with None for gaps, events, what is due."""

    columns: dict[str, list[Any]]
    events: list[Event]
    heard: int


def write(
    session: Session,
    shot_id: int,
    columns: dict[str, list[Any]],
    events: Sequence[Event],
    *,
    heard: int,
    made_at: float | None = None,
) -> None:
    """Keep what was heard at once and tell whoever watches, in the caller's transaction."""
    session.execute(
        _INSERT,
        {
            "shot": shot_id,
            "heard": heard,
            "columns": orjson.dumps(columns).decode(),  # what is not a number becomes null
        },
    )
    if events:
        session.execute(insert(EventRow), [_row(shot_id, event) for event in events])
    written = [event.written() for event in events]
    notify(session, {"shot": shot_id, "columns": columns, "events": written, "at": made_at})


def _row(shot_id: int, event: Event) -> dict[str, Any]:
    return {
        "shot_id": shot_id,
        "time_s": event.time_s,
        "kind": event.kind,
        "phase": getattr(event, "phase", None),
        "document": EVENT.write(event),
    }


def read_events(session: Session, shot_id: int) -> list[Event]:
    """What happened during a shot, in the order it was reported."""
    query = select(EventRow.document).where(EventRow.shot_id == shot_id).order_by(EventRow.id)
    return [EVENT.read(document) for document in session.scalars(query)]


def read(session: Session, row: ShotRow) -> Journal:
    """What is in the shot and what is still in the journal, as one."""
    columns: dict[str, list[Any]] = {name: list(getattr(row, name)) for name in CHANNELS}
    heard = 0
    rows = session.execute(
        select(JournalRow.columns, JournalRow.heard)
        .where(JournalRow.shot_id == row.id)
        .order_by(JournalRow.id)
    )
    for some, due in rows:
        for name, values in some.items():
            columns[name].extend(values)
        heard = due
    return Journal(columns, read_events(session, row.id), heard)


def settle(session: Session, row: ShotRow) -> None:
    """Take the journal into the shot. Nothing is left of it."""
    whole = read(session, row)
    for name, values in whole.columns.items():
        setattr(row, name, [float("nan") if value is None else value for value in values])
    session.execute(delete(JournalRow).where(JournalRow.shot_id == row.id))
