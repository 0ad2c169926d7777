"""The journal of running shots: small rows as it comes, gathered into the shot when it ends."""

from __future__ import annotations

from typing import Any, NamedTuple

import orjson
from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session

from vapocline.core.shot.traces import CHANNELS
from vapocline.store.shots import notify
from vapocline.store.tables import JournalRow, ShotRow

_INSERT = text(
    "insert into shot_journal (shot_id, heard, columns, events) "
    "values (:shot, :heard, cast(:columns as jsonb), cast(:events as jsonb))"
)


class Journal(NamedTuple):
    """All that was heard of a running shot: channels with None for gaps, events, what is due."""

    columns: dict[str, list[Any]]
    events: list[dict[str, Any]]
    heard: int


def write(
    session: Session,
    shot_id: int,
    columns: dict[str, list[Any]],
    events: list[dict[str, Any]],
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
            "events": orjson.dumps(events).decode(),
        },
    )
    notify(session, {"shot": shot_id, "columns": columns, "events": events, "at": made_at})


def read(session: Session, row: ShotRow) -> Journal:
    """What is in the shot and what is still in the journal, as one."""
    columns: dict[str, list[Any]] = {name: list(getattr(row, name)) for name in CHANNELS}
    events, heard = list(row.events), 0
    rows = session.execute(
        select(JournalRow.columns, JournalRow.events, JournalRow.heard)
        .where(JournalRow.shot_id == row.id)
        .order_by(JournalRow.id)
    )
    for some, said, due in rows:
        for name, values in some.items():
            columns[name].extend(values)
        events.extend(said)
        heard = due
    return Journal(columns, events, heard)


def settle(session: Session, row: ShotRow) -> None:
    """Take the journal into the shot. Nothing is left of it."""
    whole = read(session, row)
    for name, values in whole.columns.items():
        setattr(row, name, [float("nan") if value is None else value for value in values])
    row.events = whole.events
    session.execute(delete(JournalRow).where(JournalRow.shot_id == row.id))
