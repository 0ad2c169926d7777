"""What was done to machines and grinders, and how often each thing is wanted."""

from __future__ import annotations

from datetime import datetime
from typing import get_args

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, func
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.core.machine.care import CARE_TASKS, CareUnit
from vapocline.store.tables.base import Base, one_of


class CareDoneRow(Base):
    """One thing done to a machine or a grinder."""

    __tablename__ = "care_done"
    __table_args__ = (
        CheckConstraint(one_of("task", CARE_TASKS), name="task"),
        CheckConstraint("num_nonnulls(machine_id, grinder_id) = 1", name="thing"),
        Index("ix_care_done_machine", "machine_id", "task", "done_at"),
        Index("ix_care_done_grinder", "grinder_id", "task", "done_at"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    machine_id: Mapped[int | None] = mapped_column(ForeignKey("machines.id", ondelete="cascade"))
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id", ondelete="cascade"))
    task: Mapped[str]
    done_at: Mapped[datetime] = mapped_column(server_default=func.now())


class CareIntervalRow(Base):
    """How often a thing is wanted here; without `every` it is not asked for."""

    __tablename__ = "care_intervals"
    __table_args__ = (
        CheckConstraint(one_of("task", CARE_TASKS), name="task"),
        CheckConstraint(one_of("unit", get_args(CareUnit)), name="unit"),
        CheckConstraint("every > 0", name="every"),
        CheckConstraint("(every is null) = (unit is null)", name="whole"),
        CheckConstraint("num_nonnulls(machine_id, grinder_id) = 1", name="thing"),
        UniqueConstraint("machine_id", "task"),
        UniqueConstraint("grinder_id", "task"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    machine_id: Mapped[int | None] = mapped_column(ForeignKey("machines.id", ondelete="cascade"))
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id", ondelete="cascade"))
    task: Mapped[str]
    every: Mapped[float | None]
    unit: Mapped[str | None]
