"""The journal of running shots: small rows as it comes, gathered into the shot when it ends."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any, NamedTuple

import orjson
from sqlalchemy import delete, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vapocline.core.base.problems import VapoclineError
from vapocline.core.formats.registry import EVENT
from vapocline.core.shot.events import Event
from vapocline.core.shot.traces import CHANNELS
from vapocline.store.shots import notify
from vapocline.store.tables import EventRow, JournalRow, ShotRow

_INSERT = text(
    "insert into shot_journal (shot_id, recorder, batch, heard, columns, events, made_at) values "
    "(:shot, :recorder, :batch, :heard, cast(:columns as jsonb), cast(:events as jsonb), :made_at) "
    "on conflict (shot_id, recorder, batch) do nothing returning id"
)
_SAME = text(
    "select columns = cast(:columns as jsonb) and events = cast(:events as jsonb) "
    "and heard = :heard from shot_journal "
    "where shot_id = :shot and recorder = :recorder and batch = :batch"
)


class OtherBatchError(VapoclineError):
    """A batch of a recorder under a number that it gave to another."""


class NumberedEvent(NamedTuple):
    """An event with the device's sequence number; None for what the recorder says itself."""

    event: Event
    number: int | None = None


class Batch(NamedTuple):
    """What a recorder heard at once: by its number, its channels, and the sequence number due
    next. `recorder` tells the recorders of one shot apart."""

    recorder: str
    number: int
    columns: dict[str, list[float]]
    events: Sequence[NumberedEvent]
    heard: int
    made_at: float | None = None


class Journal(NamedTuple):
    """All that was heard of a running shot: channels with None for gaps, events, what is due."""

    columns: dict[str, list[Any]]
    events: list[Event]
    heard: int


def write(session: Session, shot_id: int, batch: Batch) -> None:
    """Store a batch, once, and notify watchers, in the caller's transaction. What the device said
    is kept once, whoever heard it. Raises OtherBatchError, and keeps nothing, for one that
    contradicts what is there.

    The notification carries only the row's number: its payload is limited to 8,000 bytes.
    """
    events = [one.event.written() for one in batch.events]
    values = {
        "shot": shot_id,
        "recorder": batch.recorder,
        "batch": batch.number,
        "heard": batch.heard,
        "columns": orjson.dumps(batch.columns).decode(),  # what is not a number becomes null
        "events": orjson.dumps(events).decode(),
    }
    row_id = session.scalar(_INSERT, values | {"made_at": batch.made_at})
    if row_id is None:  # it was kept when the database's answer was lost, or this is another
        if not session.scalar(_SAME, values):
            raise OtherBatchError(f"Shot {shot_id} has another batch {batch.number}.")
        return
    if batch.events:
        rows = [_row(shot_id, one) for one in batch.events]
        once = insert(EventRow).on_conflict_do_nothing(
            index_elements=["shot_id", "number"], index_where=EventRow.number.is_not(None)
        )
        session.execute(once, rows)
    notify(session, {"shot": shot_id, "row": row_id})


def _row(shot_id: int, one: NumberedEvent) -> dict[str, Any]:
    return {
        "shot_id": shot_id,
        "time_s": one.event.time_s,
        "kind": one.event.kind,
        "phase": getattr(one.event, "phase", None),
        "document": EVENT.write(one.event),
        "number": one.number,
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
        heard = max(heard, due)
    return Journal(_in_order(columns), read_events(session, row.id), heard)


def _in_order(columns: dict[str, list[Any]]) -> dict[str, list[Any]]:
    """Channels by time, each sample once: a batch that was set aside may be taken in after those
    that follow it, and after another recorder heard the same. A device's clock tells samples apart:
    none is kept that is not later than the one before."""
    times = columns["time_s"]
    if all(a < b for a, b in pairwise(times)):
        return columns
    place = {time: at for at, time in reversed(list(enumerate(times)))}
    order = [place[time] for time in sorted(place)]
    return {name: [values[i] for i in order] for name, values in columns.items()}


def settle(session: Session, row: ShotRow) -> None:
    """Take the journal into the shot. Nothing is left of it."""
    whole = read(session, row)
    for name, values in whole.columns.items():
        setattr(row, name, [float("nan") if value is None else value for value in values])
    session.execute(delete(JournalRow).where(JournalRow.shot_id == row.id))
