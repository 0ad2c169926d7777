"""Queries on coffees, grinders, machines and benches."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session, joinedload

from vapocline.core.problems import NotFoundError
from vapocline.store.tables import BenchRow, CoffeeRow, GrinderRow, MachineRow

Row = TypeVar("Row", CoffeeRow, GrinderRow, MachineRow)
NOUNS = {CoffeeRow: "coffee", GrinderRow: "grinder", MachineRow: "machine"}


def read_all(session: Session, table: type[Row]) -> Sequence[Row]:
    """Everything of one kind, by name."""
    return session.scalars(select(table).order_by(table.name)).all()


def read_one(session: Session, table: type[Row], row_id: int) -> Row:
    """One by its number. Raises NotFoundError."""
    row = session.get(table, row_id)
    if row is None:
        raise NotFoundError(f"There is no {NOUNS[table]} {row_id}.")
    return row


def read_bench(session: Session, *, lock: bool = False) -> BenchRow | None:
    """The bench with what stands on it, or None before the first one is set up."""
    query = select(BenchRow).order_by(BenchRow.id).limit(1)
    if lock:
        query = query.with_for_update(of=BenchRow)
    return session.scalars(
        query.options(
            joinedload(BenchRow.coffee), joinedload(BenchRow.grinder), joinedload(BenchRow.machine)
        )
    ).first()
