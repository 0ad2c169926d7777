"""Queries on coffees, grinders, machines and benches."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TypeVar

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from vapocline.core.base.problems import NotFoundError
from vapocline.store.shots import COUNTS
from vapocline.store.tables import (
    BasketRow,
    BenchRow,
    CalibrationRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PersonRow,
    PreparationRow,
    ShotRow,
    SlotRow,
    VersionRow,
    WaterRow,
)

ShelfRowT = TypeVar(
    "ShelfRowT", CoffeeRow, GrinderRow, MachineRow, BasketRow, WaterRow, PreparationRow
)
NOUNS = {
    CoffeeRow: "coffee", GrinderRow: "grinder", MachineRow: "machine", BasketRow: "basket",
    WaterRow: "water", PreparationRow: "preparation",
}  # fmt: skip


def find_basket(session: Session, name: str) -> BasketRow | None:
    """A basket by its name; None where there is none of it any more."""
    return session.scalars(select(BasketRow).where(BasketRow.name == name)).first()


def read_all(session: Session, table: type[ShelfRowT]) -> Sequence[ShelfRowT]:
    """Everything of one kind, by name."""
    return session.scalars(select(table).order_by(table.name)).all()


def read_one(
    session: Session, table: type[ShelfRowT], row_id: int, *, lock: bool = False
) -> ShelfRowT:
    """One by its number; with `lock` no one else changes it meanwhile. Raises NotFoundError."""
    row = session.get(table, row_id, with_for_update=lock or None)
    if row is None:
        raise NotFoundError(f"There is no {NOUNS[table]} {row_id}.")
    return row


def add(session: Session, row: ShelfRowT) -> ShelfRowT:
    """The row, written, with its number."""
    session.add(row)
    session.flush()
    return row


def read_bench(session: Session, bench_id: int, *, lock: bool = False) -> BenchRow:
    """A bench with what stands on it. Raises NotFoundError."""
    query = select(BenchRow).where(BenchRow.id == bench_id)
    if lock:
        query = query.with_for_update(of=BenchRow)
    row = (
        session.scalars(
            query.options(
                joinedload(BenchRow.coffee).joinedload(CoffeeRow.bags),
                joinedload(BenchRow.grinder),
                joinedload(BenchRow.machine),
                joinedload(BenchRow.basket),
                joinedload(BenchRow.water),
                joinedload(BenchRow.preparation),
            )
        )
        .unique()
        .first()
    )
    if row is None:
        raise NotFoundError(f"There is no bench {bench_id}.")
    return row


def count_shots_together(session: Session, coffee_id: int, grinder_id: int, most: int) -> int:
    """How many whole shots of a coffee were ground on a grinder, counted up to `most`."""
    together = (
        select(ShotRow.id)
        .where(
            ShotRow.coffee_id == coffee_id,
            ShotRow.grinder_id == grinder_id,
            *COUNTS,
        )
        .limit(most)
    )
    return session.scalar(select(func.count()).select_from(together.subquery())) or 0


def read_first_person(session: Session) -> PersonRow | None:
    """Whoever was there first, or None in an empty database."""
    return session.scalars(select(PersonRow).order_by(PersonRow.id).limit(1)).first()


def read_person(session: Session, person_id: int) -> PersonRow:
    """Someone who uses the application. Raises NotFoundError."""
    row = session.get(PersonRow, person_id)
    if row is None:
        raise NotFoundError(f"There is no person {person_id}.")
    return row


def read_calibrations(session: Session, subject: str, subject_id: int) -> Sequence[CalibrationRow]:
    """Every calibration of a machine, a coffee or a grinder, newest first."""
    column = getattr(CalibrationRow, f"{subject}_id")
    query = select(CalibrationRow).where(column == subject_id)
    return session.scalars(query.order_by(CalibrationRow.id.desc())).all()


def read_calibration(session: Session, row_id: int) -> CalibrationRow:
    """One calibration. Raises NotFoundError."""
    row = session.get(CalibrationRow, row_id)
    if row is None:
        raise NotFoundError(f"There is no calibration {row_id}.")
    return row


def read_slots(session: Session, machine_id: int) -> Sequence[SlotRow]:
    """What lies in a machine's slots, by number."""
    query = select(SlotRow).where(SlotRow.machine_id == machine_id).order_by(SlotRow.number)
    whole = joinedload(SlotRow.version).joinedload(VersionRow.profile)
    return session.scalars(query.options(whole)).all()
