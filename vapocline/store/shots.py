"""Queries on shots and tastings. Traces grow as they come: what was received is never lost."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import orjson
from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session, defer, joinedload, selectinload

from vapocline.core.problems import NotFoundError
from vapocline.core.shot import CHANNELS
from vapocline.store.tables import ShotRow, TastingRow, VersionRow

LIVE_CHANNEL = "vapocline_live"
RECORDING = 7286222  # first key of the advisory locks that recorders hold, the second is the shot

_WITH_SETUP = (
    joinedload(ShotRow.coffee),
    joinedload(ShotRow.grinder),
    joinedload(ShotRow.machine),
    joinedload(ShotRow.version).joinedload(VersionRow.profile),
    selectinload(ShotRow.tastings),
)


def read_shots(session: Session, *, limit: int) -> Sequence[ShotRow]:
    """The newest shots with their setup and tastings, without traces or forecast."""
    heavy = [defer(getattr(ShotRow, name)) for name in (*CHANNELS, "forecast", "plan", "events")]
    return session.scalars(
        select(ShotRow)
        .options(*_WITH_SETUP, *heavy)
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_shot(session: Session, shot_id: int) -> ShotRow:
    """One shot, whole. Raises NotFoundError."""
    row = session.scalars(
        select(ShotRow).where(ShotRow.id == shot_id).options(*_WITH_SETUP)
    ).first()
    if row is None:
        raise NotFoundError(f"There is no shot {shot_id}.")
    return row


def append(
    session: Session, shot_id: int, columns: dict[str, list[float]], events: list[dict[str, Any]]
) -> None:
    """Lengthen a shot's traces and tell whoever watches, in the caller's transaction."""
    longer: dict[Any, Any] = {
        name: func.array_cat(getattr(ShotRow, name), values) for name, values in columns.items()
    }
    if events:
        longer["events"] = ShotRow.events.op("||")(events)
    if longer:
        session.execute(update(ShotRow).where(ShotRow.id == shot_id).values(longer))
    notify(session, {"shot": shot_id, "columns": columns, "events": events})


def notify(session: Session, message: dict[str, Any]) -> None:
    """Send a message to every process that listens, once the transaction is through."""
    body = orjson.dumps(message, option=orjson.OPT_SERIALIZE_NUMPY).decode()
    session.execute(
        text("select pg_notify(:channel, :body)"), {"channel": LIVE_CHANNEL, "body": body}
    )


def hold_recording(session: Session, shot_id: int) -> bool:
    """Try to be the one who records a shot, for as long as the connection lives."""
    held = session.execute(
        text("select pg_try_advisory_lock(:kind, :shot)"), {"kind": RECORDING, "shot": shot_id}
    )
    return bool(held.scalar())


def release_recording(session: Session, shot_id: int) -> None:
    """Give a held recording up."""
    session.execute(
        text("select pg_advisory_unlock(:kind, :shot)"), {"kind": RECORDING, "shot": shot_id}
    )


def read_running(session: Session) -> Sequence[int]:
    """Numbers of the shots that say they are running."""
    return session.scalars(select(ShotRow.id).where(ShotRow.state == "running")).all()


def read_tasting(session: Session, shot_id: int, warmth: str, served: str) -> TastingRow | None:
    """The tasting of one cup at one warmth, served one way."""
    return session.scalars(
        select(TastingRow).where(
            TastingRow.shot_id == shot_id,
            TastingRow.warmth == warmth,
            TastingRow.served == served,
        )
    ).first()
