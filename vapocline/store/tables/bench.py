"""Tables of benches and people."""

from __future__ import annotations

from datetime import datetime
from typing import Any, get_args

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import (
    Mapped,
    mapped_column,
    relationship,
)

from vapocline.core.coffee.recipe import Follows
from vapocline.store.tables.base import Base, one_of
from vapocline.store.tables.shelf import (
    BasketRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    WaterRow,
)


class BenchRow(Base):
    """The setup on a bench: the sentence across the top of every view; or a shot's own puck."""

    __tablename__ = "benches"
    __table_args__ = (
        CheckConstraint("dose_g > 0 and yield_g > 0", name="recipe"),
        CheckConstraint("water_c > 0", name="water_c"),
        CheckConstraint(one_of("follows", get_args(Follows)), name="follows"),
        CheckConstraint("dose_tolerance_g >= 0", name="dose_tolerance_g"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    coffee_id: Mapped[int | None] = mapped_column(ForeignKey("coffees.id"), index=True)
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id"), index=True)
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"), index=True)
    machine_mode: Mapped[str | None]
    basket_id: Mapped[int | None] = mapped_column(ForeignKey("baskets.id"), index=True)
    water_id: Mapped[int | None] = mapped_column(ForeignKey("waters.id"), index=True)
    preparation_id: Mapped[int | None] = mapped_column(ForeignKey("preparations.id"), index=True)
    dose_g: Mapped[float]
    yield_g: Mapped[float]
    grind_setting: Mapped[float | None]
    water_c: Mapped[float]
    puck_start_c: Mapped[float] = mapped_column(server_default="45")
    follows: Mapped[str] = mapped_column(server_default="yield_g")
    dose_tolerance_g: Mapped[float] = mapped_column(server_default="0.2")
    levelled: Mapped[bool] = mapped_column(default=False, server_default="false")
    goals: Mapped[dict[str, Any] | list[Any]] = mapped_column(JSONB, server_default="[]")
    refractometer_address: Mapped[str | None]
    puck_shot_id: Mapped[int | None] = mapped_column(  # whose puck forecasts are for
        ForeignKey("shots.id", ondelete="set null"), index=True
    )
    puck: Mapped[dict[str, Any] | None]  # that puck as a plan
    coffee: Mapped[CoffeeRow | None] = relationship(lazy="raise")
    grinder: Mapped[GrinderRow | None] = relationship(lazy="raise")
    machine: Mapped[MachineRow] = relationship(lazy="raise")
    basket: Mapped[BasketRow | None] = relationship(lazy="raise")
    water: Mapped[WaterRow | None] = relationship(lazy="raise")
    preparation: Mapped[PreparationRow | None] = relationship(lazy="raise")


class PersonRow(Base):
    """Someone who uses the application, and the bench they stand at unless they say otherwise."""

    __tablename__ = "people"
    __table_args__ = (CheckConstraint("name <> ''", name="name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    bench_id: Mapped[int | None] = mapped_column(
        ForeignKey("benches.id", ondelete="set null"), index=True
    )
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
