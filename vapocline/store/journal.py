"""The journal of running shots: small rows as it comes, gathered into the shot when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
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
    "insert into shot_journal (shot_id, batch, heard, columns, events, made_at) values "
    "(:shot, :batch, :heard, cast(:columns as jsonb), cast(:events as jsonb), :made_at) "
    "on conflict (shot_id, batch) do nothing returning id"
)


class Batch(NamedTuple):
    """What was heard at once: by its number, its channels, and the sequence number due next."""

    number: int
    columns: dict[str, list[float]]
    events: Sequence[Event]
    heard: int
    made_at: float | None = None


class Journal(NamedTuple):
    """All that was heard of a running shot: channels with None for gaps, events, what is due, and
    the number of the next batch."""

    columns: dict[str, list[Any]]
    events: list[Event]
    heard: int
    next_batch: int


def write(session: Session, shot_id: int, batch: Batch) -> None:
    """Store a batch, once, and notify watchers, in the caller's transaction.

    The notification carries only the row's number: its payload is limited to 8,000 bytes.
    """
    events = [event.written() for event in batch.events]
    row_id = session.scalar(
        _INSERT,
        {
            "shot": shot_id,
            "batch": batch.number,
            "heard": batch.heard,
            "columns": orjson.dumps(batch.columns).decode(),  # what is not a number becomes null
            "events": orjson.dumps(events).decode(),
            "made_at": batch.made_at,
        },
    )
    if row_id is None:
        return  # it was kept when the database's answer was lost
    if batch.events:
        session.execute(insert(EventRow), [_row(shot_id, event) for event in batch.events])
    notify(session, {"shot": shot_id, "row": row_id})


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
    heard, next_batch = 0, 0
    rows = session.execute(
        select(JournalRow.columns, JournalRow.heard, JournalRow.batch)
        .where(JournalRow.shot_id == row.id)
        .order_by(JournalRow.batch)
    )
    for some, due, number in rows:
        for name, values in some.items():
            columns[name].extend(values)
        heard, next_batch = due, number + 1
    return Journal(_in_order(columns), read_events(session, row.id), heard, next_batch)


def _in_order(columns: dict[str, list[Any]]) -> dict[str, list[Any]]:
    """Channels by time: a batch that was set aside may be taken in after those that follow it."""
    times = columns["time_s"]
    if all(a <= b for a, b in pairwise(times)):
        return columns
    order = sorted(range(len(times)), key=times.__getitem__)
    return {name: [values[i] for i in order] for name, values in columns.items()}


def settle(session: Session, row: ShotRow) -> None:
    """Take the journal into the shot. Nothing is left of it."""
    whole = read(session, row)
    for name, values in whole.columns.items():
        setattr(row, name, [float("nan") if value is None else value for value in values])
    session.execute(delete(JournalRow).where(JournalRow.shot_id == row.id))
