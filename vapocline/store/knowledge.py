"""Queries on what shots taught, and on which of it forecasts take."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal, NamedTuple

from sqlalchemy import ColumnElement, RowMapping, delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, undefer

from vapocline.store.learn import Together
from vapocline.store.shots import COUNTS
from vapocline.store.tables import (
    CoffeeRow,
    GrinderRow,
    KnowledgeChoiceRow,
    KnowledgeRow,
    MachineRow,
    ShotRow,
)


def basis_of(coffee: CoffeeRow, grinder: GrinderRow, machine: MachineRow) -> str:
    """What is assumed of the three before any shot, short: what was learnt is against that."""
    said = [
        [coffee.roast, coffee.process, coffee.decaf, coffee.density_g_ml],
        [grinder.settings, grinder.grind_um, grinder.fines_pct],
        machine.document,
    ]
    return hashlib.sha256(json.dumps(said, sort_keys=True).encode()).hexdigest()


class InForce(NamedTuple):
    """What forecasts take: the newest that may be used, one that was kept to, or nothing; `own`
    where a fit or a choice of the three's own says so, used or not."""

    row: KnowledgeRow | None
    how: Literal["newest", "kept", "nothing"]
    own: bool


def read_in_force(session: Session, together: Together, basis: str) -> InForce:
    """What forecasts take of what was learnt together, while `basis` is what is assumed."""
    choice = session.get(KnowledgeChoiceRow, tuple(together))
    if choice is not None:
        if choice.knowledge_id is None:
            return InForce(None, "nothing", own=True)
        kept = session.get(KnowledgeRow, choice.knowledge_id)
        if kept is not None and kept.basis == basis:
            return InForce(kept, "kept", own=True)
    newest = newest_knowledge(session, together)
    own = newest is not None
    if newest is not None and newest.state != "accepted":
        newest = newest_knowledge(session, together, KnowledgeRow.state == "accepted")
    # One against what was assumed then, not now, is learnt again.
    row = newest if newest is not None and newest.basis == basis else None
    return InForce(row, "newest", own)


def newest_knowledge(
    session: Session, together: Together, *where: ColumnElement[bool]
) -> KnowledgeRow | None:
    """The newest that was learnt together."""
    query = select(KnowledgeRow).where(*_of(together), *where)
    newest = query.order_by(KnowledgeRow.created_at.desc(), KnowledgeRow.id.desc())
    return session.scalars(newest.limit(1)).first()


def read_fits(session: Session, together: Together, *, limit: int) -> Sequence[KnowledgeRow]:
    """All that was learnt together, the newest first."""
    query = select(KnowledgeRow).where(*_of(together)).options(undefer(KnowledgeRow.learnt))
    newest = query.order_by(KnowledgeRow.created_at.desc(), KnowledgeRow.id.desc())
    return session.scalars(newest.limit(limit)).all()


def write_knowledge(session: Session, together: Together, **values: Any) -> None:
    """Keep what was learnt; what was learnt from the same before becomes the newest again."""
    made = insert(KnowledgeRow).values(**together._asdict(), **values)
    again = {"created_at": func.clock_timestamp(), "learnt": made.excluded.learnt,
             "state": made.excluded.state}  # fmt: skip
    same = (*Together._fields, "basis", "inputs")
    session.execute(made.on_conflict_do_update(index_elements=same, set_=again))


def keep_to(session: Session, together: Together, knowledge_id: int | None) -> None:
    """Let forecasts take this, or nothing, whatever is learnt meanwhile."""
    made = insert(KnowledgeChoiceRow).values(**together._asdict(), knowledge_id=knowledge_id)
    again = {"knowledge_id": made.excluded.knowledge_id, "chosen_at": func.now()}
    session.execute(made.on_conflict_do_update(index_elements=Together._fields, set_=again))


def follow_newest(session: Session, together: Together) -> None:
    """Let forecasts take the newest again."""
    session.execute(
        delete(KnowledgeChoiceRow).where(
            *(getattr(KnowledgeChoiceRow, name) == one for name, one in together._asdict().items())
        )
    )


def read_pulled_together(
    session: Session, *where: ColumnElement[bool], limit: int
) -> Sequence[RowMapping]:
    """What was pulled together, the newest first: numbers and names of the three, `shots` and
    `last_at`; `where` speaks of `ShotRow`."""
    last_at = func.max(ShotRow.started_at)
    numbers = [
        CoffeeRow.id.label("coffee_id"),
        GrinderRow.id.label("grinder_id"),
        MachineRow.id.label("machine_id"),
    ]
    names = [
        CoffeeRow.name.label("coffee"),
        GrinderRow.name.label("grinder"),
        MachineRow.name.label("machine"),
    ]
    rows = session.execute(
        select(*numbers, *names, func.count().label("shots"), last_at.label("last_at"))
        .join(CoffeeRow, CoffeeRow.id == ShotRow.coffee_id)
        .join(GrinderRow, GrinderRow.id == ShotRow.grinder_id)
        .join(MachineRow, MachineRow.id == ShotRow.machine_id)
        .where(*COUNTS, ShotRow.plan_known, *where)
        .group_by(*numbers, *names)
        .order_by(last_at.desc())
        .limit(limit)
    )
    return rows.mappings().all()


class LearntElsewhere(NamedTuple):
    """Something learnt in the house: what it is of, and its version."""

    id: int
    created_at: datetime
    coffee_id: int
    grinder_id: int
    machine_id: int
    roast: str
    process: str


def read_learnt_elsewhere(
    session: Session, together: Together, *, limit: int
) -> list[LearntElsewhere]:
    """The newest that may be used of every other coffee, grinder and machine."""
    rows = session.execute(
        select(
            KnowledgeRow.id,
            KnowledgeRow.created_at,
            KnowledgeRow.coffee_id,
            KnowledgeRow.grinder_id,
            KnowledgeRow.machine_id,
            CoffeeRow.roast,
            CoffeeRow.process,
        )
        .join(CoffeeRow, CoffeeRow.id == KnowledgeRow.coffee_id)
        .where(
            KnowledgeRow.state == "accepted",
            or_(*(getattr(KnowledgeRow, name) != one for name, one in together._asdict().items())),
        )
        .distinct(KnowledgeRow.coffee_id, KnowledgeRow.grinder_id, KnowledgeRow.machine_id)
        .order_by(
            KnowledgeRow.coffee_id,
            KnowledgeRow.grinder_id,
            KnowledgeRow.machine_id,
            KnowledgeRow.created_at.desc(),
        )
    ).all()
    newest = sorted((LearntElsewhere(*row) for row in rows), key=lambda one: one.created_at)
    return newest[-limit:]


def _of(together: Together) -> tuple[ColumnElement[bool], ...]:
    """What was learnt together."""
    return tuple(getattr(KnowledgeRow, name) == one for name, one in together._asdict().items())
