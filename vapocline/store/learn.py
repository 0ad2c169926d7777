"""Shots to learn from, their past forecasts, and the queue of what is to be learnt."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Text, and_, cast, func, literal, or_, select, tuple_
from sqlalchemy.orm import Session, undefer

from vapocline.core.shot.events import BY_HAND
from vapocline.core.shot.traces import CHANNELS
from vapocline.store import queue
from vapocline.store.shots import COUNTS
from vapocline.store.tables import (
    CoffeeRow,
    EventRow,
    GrinderRow,
    KnowledgeRow,
    MachineRow,
    ShotRow,
    VersionRow,
)

QUEUE, TASK = "learning", "learn"


class Together(NamedTuple):
    """A coffee by a grinder on a machine: what is learnt of together."""

    coffee_id: int
    grinder_id: int
    machine_id: int


def together_in(row: ShotRow) -> Together | None:
    """What a shot teaches of; None where a part of it is unknown."""
    if row.coffee_id is None or row.grinder_id is None:
        return None
    return Together(row.coffee_id, row.grinder_id, row.machine_id)


def ask_to_learn(session: Session, row: ShotRow) -> None:
    """Queue learning from a shot's like, with this transaction: once, however often it is asked."""
    together = together_in(row)
    if together is not None and not row.dry:
        ask(session, together)


def ask_to_learn_again(session: Session, row: CoffeeRow | GrinderRow | MachineRow) -> None:
    """Queue learning of all that was learnt of a thing, after what is assumed of it changed."""
    column = {
        CoffeeRow: KnowledgeRow.coffee_id,
        GrinderRow: KnowledgeRow.grinder_id,
        MachineRow: KnowledgeRow.machine_id,
    }[type(row)]
    found = session.execute(
        select(KnowledgeRow.coffee_id, KnowledgeRow.grinder_id, KnowledgeRow.machine_id)
        .where(column == row.id)
        .distinct()
    ).all()
    for one in found:
        ask(session, Together(*one))


def ask_to_learn_first(session: Session, *, limit: int) -> None:
    """Queue learning where there are shots, the newest first, that nothing was learnt from yet."""
    learnt = select(KnowledgeRow.id).where(
        KnowledgeRow.coffee_id == ShotRow.coffee_id,
        KnowledgeRow.grinder_id == ShotRow.grinder_id,
        KnowledgeRow.machine_id == ShotRow.machine_id,
    )
    together = (ShotRow.coffee_id, ShotRow.grinder_id, ShotRow.machine_id)
    found = session.execute(
        select(*together)
        .where(
            *COUNTS,
            ShotRow.plan_known,
            ShotRow.coffee_id.is_not(None),
            ShotRow.grinder_id.is_not(None),
            ~learnt.exists(),
        )
        .group_by(*together)
        .order_by(func.max(ShotRow.id).desc())
        .limit(limit)
    ).all()
    for coffee_id, grinder_id, machine_id in found:
        if coffee_id is not None and grinder_id is not None:
            ask(session, Together(coffee_id, grinder_id, machine_id))


def _name(together: Together) -> str:
    return "learn " + "-".join(str(one) for one in together)


def read_job(session: Session, together: Together) -> queue.JobState | None:
    """Whether learning waits, runs, or failed."""
    return queue.state_of(session, _name(together))


def cancel_job(session: Session, together: Together) -> None:
    """Call off what waits, and what runs as soon as it looks."""
    queue.cancel(session, _name(together))


def ask(session: Session, together: Together) -> None:
    """Queue learning: once, however often it is asked."""
    queue.defer(session, queue=QUEUE, task=TASK, name=_name(together), args=together._asdict())


def read_to_learn_from(
    session: Session, together: Together, *, limit: int, strengths: int = 0
) -> Sequence[ShotRow]:
    """The newest shots that were pulled together and count, in order of time, with their traces;
    and as many older ones as it takes to have `strengths` of which the strength was measured."""
    query = (
        select(ShotRow)
        .where(*of_together(together), ShotRow.plan_known, *COUNTS)
        .options(*(undefer(getattr(ShotRow, name)) for name in CHANNELS))
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
    )
    newest = session.scalars(query.limit(limit)).all()
    lacks = strengths - sum(row.tds_pct is not None for row in newest)
    if lacks <= 0 or len(newest) < limit:
        return newest[::-1]
    last = newest[-1]
    before = tuple_(ShotRow.started_at, ShotRow.id) < tuple_(
        literal(last.started_at), literal(last.id)
    )
    measured = session.scalars(query.where(before, ShotRow.tds_pct.is_not(None)).limit(lacks)).all()
    return [*measured[::-1], *newest[::-1]]


class PastForecast(NamedTuple):
    """A shot that ran as planned, with its time as forecast before it, a figure's document."""

    shot_id: int
    started_at: datetime
    profile: str
    measured: float
    shot_time_s: Any
    learnt_shots: int | None


def read_past_forecasts(session: Session, together: Together, *, limit: int) -> list[PastForecast]:
    """The newest shots pulled together that no hand had a part in, with their forecasts."""
    by_hand = select(EventRow.id).where(
        EventRow.shot_id == ShotRow.id,
        or_(
            EventRow.kind.in_(("nudged", "held", "taken_over")),
            and_(EventRow.kind == "stopped", EventRow.document["reason"].astext.in_(BY_HAND)),
        ),
    )
    name = VersionRow.document["name"].astext + " v" + cast(VersionRow.number, Text)
    rows = session.execute(
        select(
            ShotRow.id,
            ShotRow.started_at,
            name,
            ShotRow.shot_time_s,
            ShotRow.prediction["shot_time_s"],
            ShotRow.prediction["learnt_shots"].as_integer(),
        )
        .join(VersionRow, VersionRow.id == ShotRow.version_id)
        .where(
            *of_together(together),
            *COUNTS,
            ShotRow.plan_known,
            ~ShotRow.manual,
            ShotRow.shot_time_s.is_not(None),
            ~by_hand.exists(),
        )
        .order_by(ShotRow.started_at.desc(), ShotRow.id.desc())
        .limit(limit)
    )
    return [PastForecast(*row) for row in rows]


def of_together(together: Together) -> tuple[ColumnElement[bool], ...]:
    """Shots that were pulled together."""
    return (
        ShotRow.coffee_id == together.coffee_id,
        ShotRow.grinder_id == together.grinder_id,
        ShotRow.machine_id == together.machine_id,
    )
