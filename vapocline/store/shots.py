"""Queries on shots. Traces grow as they come: what was received is never lost."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import orjson
from sqlalchemy import func, literal, or_, select, text, tuple_
from sqlalchemy.orm import Session, defer, joinedload, selectinload

from vapocline.core.base.problems import NotFoundError
from vapocline.core.shot.traces import CHANNELS
from vapocline.store.tables import (
    CupRow,
    SeatRow,
    SeriesRow,
    ShotRow,
    TastingSessionRow,
    VersionRow,
)

LIVE_CHANNEL = "vapocline_live"
RECORDING = 7286222  # first key of the advisory locks that recorders hold, the second is the shot

WITH_SETUP = (
    joinedload(ShotRow.coffee),
    joinedload(ShotRow.grinder),
    joinedload(ShotRow.machine),
    joinedload(ShotRow.version).joinedload(VersionRow.profile),
    selectinload(ShotRow.cups).options(
        joinedload(CupRow.session).selectinload(TastingSessionRow.seats).joinedload(SeatRow.taster),
        selectinload(CupRow.scores),
        selectinload(CupRow.remarks),
    ),
    selectinload(ShotRow.readings),
    joinedload(ShotRow.observation),
)

# Whole pulls with coffee, pulled here, that nobody set aside.
COUNTS = (
    ShotRow.state == "done",
    ~ShotRow.dry,
    ShotRow.set_aside.is_(None),
    ShotRow.origin == "pulled",
)

WITHOUT_TRACES = tuple(defer(getattr(ShotRow, name)) for name in (*CHANNELS, "prediction"))
LIGHT = (*WITHOUT_TRACES, defer(ShotRow.plan), defer(ShotRow.conditions))


def read_shots(
    session: Session,
    *,
    limit: int,
    before: int | None = None,
    profile_id: int | None = None,
    **only: object,
) -> Sequence[ShotRow]:
    """The newest shots with their setup and tastings, without traces or forecast; of dry runs only
    those that run. `before` goes on where a list ended, with that shot's number; `only` are values
    of columns, None for any."""
    query = select(ShotRow).where(or_(~ShotRow.dry, ShotRow.state == "running"))
    for name, wanted in only.items():
        if wanted is not None:
            query = query.where(getattr(ShotRow, name) == wanted)
    if profile_id is not None:
        versions = select(VersionRow.id).where(VersionRow.profile_id == profile_id)
        query = query.where(ShotRow.version_id.in_(versions))
    if before is not None:
        last = read_standing(session, before)
        at = tuple_(ShotRow.started_at, ShotRow.id)
        query = query.where(at < tuple_(literal(last.started_at), literal(last.id)))
    return session.scalars(
        query.options(*WITH_SETUP, *LIGHT)
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_numbered(session: Session, numbers: Iterable[int]) -> dict[int, ShotRow]:
    """Shots by their numbers, without traces or forecast. Raises NotFoundError."""
    wanted = list(numbers)
    query = select(ShotRow).where(ShotRow.id.in_(wanted)).options(*WITH_SETUP, *LIGHT)
    found = {row.id: row for row in session.scalars(query)}
    if missing := [number for number in wanted if number not in found]:
        raise NotFoundError(f"There is no shot {missing[0]}.")
    return found


def newest_on(session: Session, machine_id: int) -> int | None:
    """The newest shot's number on a machine, None before its first."""
    return session.scalar(select(func.max(ShotRow.id)).where(ShotRow.machine_id == machine_id))


def newest_of_bench(session: Session, bench_id: int) -> ShotRow | None:
    """The newest shot with coffee that was pulled on a bench, without its curves."""
    return session.scalars(
        select(ShotRow)
        .where(ShotRow.bench_id == bench_id, ~ShotRow.dry, ShotRow.origin == "pulled")
        .options(*LIGHT)
        .order_by(ShotRow.id.desc())
        .limit(1)
    ).first()


def newest_ground(session: Session, grinder_id: int) -> ShotRow | None:
    """The newest pull whose dose a grinder ground at a known setting, with its coffee."""
    return session.scalars(
        select(ShotRow)
        .where(
            ShotRow.grinder_id == grinder_id,
            ShotRow.grind_setting.is_not(None),
            ~ShotRow.dry,
            ShotRow.origin == "pulled",
        )
        .options(*LIGHT, joinedload(ShotRow.coffee))
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(1)
    ).first()


def newest_together(
    session: Session, coffee_id: int, grinder_id: int, machine_id: int
) -> ShotRow | None:
    """The newest shot of a coffee by a grinder on a machine that counts, with its set-up."""
    return session.scalars(
        select(ShotRow)
        .where(
            ShotRow.coffee_id == coffee_id,
            ShotRow.grinder_id == grinder_id,
            ShotRow.machine_id == machine_id,
            *COUNTS,
        )
        .options(
            *LIGHT,
            joinedload(ShotRow.coffee),
            joinedload(ShotRow.grinder),
            joinedload(ShotRow.machine),
        )
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(1)
    ).first()


def read_of_version(session: Session, row: ShotRow, *, limit: int) -> Sequence[ShotRow]:
    """Other pulls of the same version on the same machine that count, the newest first."""
    return session.scalars(
        select(ShotRow)
        .where(
            ShotRow.version_id == row.version_id,
            ShotRow.machine_id == row.machine_id,
            *COUNTS,
            ShotRow.id != row.id,
        )
        .options(*WITH_SETUP)
        .order_by(ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_of_coffee_before(session: Session, row: ShotRow, *, limit: int) -> Sequence[ShotRow]:
    """Earlier pulls of the same coffee by the same grinder and machine, the newest first."""
    if row.coffee_id is None or row.grinder_id is None:
        return []
    return session.scalars(
        select(ShotRow)
        .where(
            ShotRow.coffee_id == row.coffee_id,
            ShotRow.grinder_id == row.grinder_id,
            ShotRow.machine_id == row.machine_id,
            *COUNTS,
            ShotRow.id < row.id,
        )
        .options(*WITH_SETUP)
        .order_by(ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_series_shots(session: Session, series_id: int) -> Sequence[ShotRow]:
    """The shots of a series, first to last, without traces or forecast."""
    return session.scalars(
        select(ShotRow)
        .where(ShotRow.series_id == series_id)
        .options(*WITH_SETUP, *LIGHT)
        .order_by(ShotRow.id)
    ).all()


def read_series(session: Session, series_id: int) -> SeriesRow:
    """A series with its version. Raises NotFoundError."""
    row = session.get(SeriesRow, series_id, options=[joinedload(SeriesRow.version)])
    if row is None:
        raise NotFoundError(f"There is no series {series_id}.")
    return row


def read_manual_before(session: Session, row: ShotRow, *, limit: int) -> Sequence[ShotRow]:
    """Earlier whole pulls by hand of the same version on the same machine, newest first."""
    return session.scalars(
        select(ShotRow)
        .where(
            ShotRow.version_id == row.version_id,
            ShotRow.machine_id == row.machine_id,
            ShotRow.manual,
            *COUNTS,
            ShotRow.id < row.id,
        )
        .order_by(ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_unseen(session: Session, *, limit: int) -> Sequence[ShotRow]:
    """Shots that were cut off and nobody has looked at since, newest first."""
    return session.scalars(
        select(ShotRow)
        .where(ShotRow.state == "incomplete", ShotRow.seen_at.is_(None))
        .options(*WITH_SETUP, *LIGHT)
        .order_by(ShotRow.id.desc())
        .limit(limit)
    ).all()


def read_shot(session: Session, shot_id: int) -> ShotRow:
    """One shot, whole. Raises NotFoundError."""
    row = session.scalars(select(ShotRow).where(ShotRow.id == shot_id).options(*WITH_SETUP)).first()
    if row is None:
        raise NotFoundError(f"There is no shot {shot_id}.")
    return row


def read_standing(session: Session, shot_id: int) -> ShotRow:
    """A shot with its machine only, to see whether it runs. Raises NotFoundError."""
    row = session.scalars(
        select(ShotRow).where(ShotRow.id == shot_id).options(joinedload(ShotRow.machine), *LIGHT)
    ).first()
    if row is None:
        raise NotFoundError(f"There is no shot {shot_id}.")
    return row


def notify(session: Session, message: dict[str, Any]) -> None:
    """Send a message to every process that listens, once the transaction is through."""
    body = orjson.dumps(message, option=orjson.OPT_SERIALIZE_NUMPY).decode()
    session.execute(
        text("select pg_notify(:channel, :body)"), {"channel": LIVE_CHANNEL, "body": body}
    )


def hold_recording(session: Session, shot_id: int) -> bool:
    """Whether this connection now holds the lock of a shot's recorder; it does until it closes."""
    held = session.execute(
        text("select pg_try_advisory_lock(:kind, :shot)"), {"kind": RECORDING, "shot": shot_id}
    )
    return bool(held.scalar())


# A process of PostgreSQL by its number and when it began: numbers are used again.
_BACKEND = "pid || ' ' || extract(epoch from backend_start)"


def own_backend(session: Session) -> str:
    """The database's process that serves this connection."""
    query = f"select {_BACKEND} from pg_stat_activity where pid = pg_backend_pid()"
    return str(session.scalar(text(query)))


def backend_recording(session: Session, shot_id: int) -> str | None:
    """The database's process whose connection holds the right to record a shot, if one does."""
    query = text(
        f"select {_BACKEND} from pg_locks join pg_stat_activity using (pid)"
        " where locktype = 'advisory' and granted and classid = :kind and objid = :shot"
        " and pg_locks.database = (select oid from pg_database where datname = current_database())"
    )
    found = session.scalar(query, {"kind": RECORDING, "shot": shot_id})
    return None if found is None else str(found)


def end_backend(session: Session, backend: str) -> None:
    """End a process of the database, and with it the locks of a connection that was lost."""
    query = text(f"select pg_terminate_backend(pid) from pg_stat_activity where {_BACKEND} = :one")
    session.execute(query, {"one": backend})


def read_running(session: Session) -> Sequence[int]:
    """Numbers of the shots that say they are running."""
    return session.scalars(select(ShotRow.id).where(ShotRow.state == "running")).all()
