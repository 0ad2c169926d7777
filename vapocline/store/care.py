"""What was done to machines and grinders, what is wanted, and what went by since."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import case, func, select
from sqlalchemy.orm import Session

from vapocline.store.tables import (
    CareDoneRow,
    CareIntervalRow,
    EventRow,
    GrinderRow,
    MachineRow,
    ShotRow,
)

FIRST_SAMPLES = 10  # before the draw cools it
Thing = MachineRow | GrinderRow


def _column(table: Any, thing: Thing) -> Any:
    return table.machine_id if isinstance(thing, MachineRow) else table.grinder_id


def read_done(session: Session, thing: Thing) -> dict[str, datetime]:
    """When each task was last done to a thing."""
    rows = session.execute(
        select(CareDoneRow.task, func.max(CareDoneRow.done_at).label("last"))
        .where(_column(CareDoneRow, thing) == thing.id)
        .group_by(CareDoneRow.task)
    )
    return {row.task: row.last for row in rows}


def add_done(session: Session, thing: Thing, task: str, at: datetime) -> None:
    """Note that a task was done."""
    column = _column(CareDoneRow, thing).key
    session.add(CareDoneRow(task=task, done_at=at, **{column: thing.id}))
    session.flush()


def take_back_done(session: Session, thing: Thing, task: str) -> None:
    """Remove the newest note that a task was done, if there is one."""
    newest = session.scalars(
        select(CareDoneRow)
        .where(_column(CareDoneRow, thing) == thing.id, CareDoneRow.task == task)
        .order_by(CareDoneRow.done_at.desc(), CareDoneRow.id.desc())
        .limit(1)
    ).first()
    if newest is not None:
        session.delete(newest)
        session.flush()


def read_intervals(session: Session, thing: Thing) -> dict[str, CareIntervalRow]:
    """What was said of how often tasks are wanted."""
    rows = session.scalars(
        select(CareIntervalRow).where(_column(CareIntervalRow, thing) == thing.id)
    )
    return {row.task: row for row in rows}


def write_interval(
    session: Session, thing: Thing, task: str, every: float | None, unit: str | None
) -> None:
    """Say how often a task is wanted; without `every` never."""
    row = read_intervals(session, thing).get(task)
    if row is None:
        column = _column(CareIntervalRow, thing).key
        row = CareIntervalRow(task=task, **{column: thing.id})
        session.add(row)
    row.every, row.unit = every, unit
    session.flush()


def forget_interval(session: Session, thing: Thing, task: str) -> None:
    """Let a task be wanted as usual again."""
    if (row := read_intervals(session, thing).get(task)) is not None:
        session.delete(row)
        session.flush()


def read_beginning(session: Session, thing: Thing) -> datetime:
    """Since when a thing is known: its first shot here, or when it was put on the shelf."""
    first: datetime | None = session.scalar(
        select(func.min(ShotRow.started_at)).where(_column(ShotRow, thing) == thing.id)
    )
    return thing.created_at if first is None else min(first, thing.created_at)


class PulledSince(NamedTuple):
    """Shots pulled since something, and the water they took, mL."""

    shots: int
    water_ml: float


def read_pulled_since(
    session: Session, thing: Thing, since: Mapping[str, datetime]
) -> dict[str, PulledSince]:
    """What was pulled since each moment, by its name; dry runs wear a machine too."""
    if not since:
        return {}
    columns: list[Any] = []
    for at in since.values():
        after = ShotRow.started_at >= at
        columns += [
            func.count().filter(after),
            func.coalesce(func.sum(case((after, ShotRow.water_in_ml), else_=0.0)), 0.0),
        ]
    where = [_column(ShotRow, thing) == thing.id, ShotRow.origin == "pulled"]
    row = session.execute(
        select(*columns).where(*where, ShotRow.started_at >= min(since.values()))
    ).one()
    pairs = zip(row[::2], row[1::2], strict=True)
    return {
        name: PulledSince(int(n), float(ml)) for name, (n, ml) in zip(since, pairs, strict=True)
    }


def read_marks(
    session: Session,
    machine: MachineRow,
    *,
    limit: int,
    until: datetime | None = None,
    after: datetime | None = None,
) -> list[list[EventRow]]:
    """What was marked in each of the newest shots of a machine, until or after a moment; the newest
    first."""
    where = [ShotRow.machine_id == machine.id, ~ShotRow.dry, ShotRow.state == "done",
             ShotRow.origin == "pulled"]  # fmt: skip
    if until is not None:
        where.append(ShotRow.started_at <= until)
    if after is not None:
        where.append(ShotRow.started_at > after)
    numbers = session.scalars(
        select(ShotRow.id).where(*where).order_by(ShotRow.started_at.desc()).limit(limit)
    ).all()
    found: dict[int, list[EventRow]] = {number: [] for number in numbers}
    marked = select(EventRow).where(EventRow.shot_id.in_(numbers), EventRow.kind == "marked")
    for row in session.scalars(marked.order_by(EventRow.id)):
        found[row.shot_id].append(row)
    return list(found.values())


def read_group_c(
    session: Session, machine: MachineRow, *, limit: int, after: datetime
) -> Sequence[tuple[float, list[float]]]:
    """Of the newest wired shots of a machine after a moment: what water was set, and the group as
    logged as the pump started, °C."""
    rows = session.execute(
        select(ShotRow.water_c, ShotRow.group_c[1:FIRST_SAMPLES])
        .where(
            ShotRow.machine_id == machine.id,
            ShotRow.state == "done",
            ShotRow.origin == "pulled",
            ShotRow.wired,
            ShotRow.started_at > after,
        )
        .order_by(ShotRow.started_at.desc())
        .limit(limit)
    )
    return [(water_c, list(group_c)) for water_c, group_c in rows]
