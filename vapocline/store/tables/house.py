"""What the house chose for itself: units, lines of the tasting form, start checks."""

from __future__ import annotations

from typing import get_args

from sqlalchemy import ARRAY, CheckConstraint, SmallInteger, Text
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.core.base.amounts import DrinkMeasure, TemperatureUnit, VolumeUnit, WeightUnit
from vapocline.core.pull.house_checks import ASKED_CHECKS, CheckWhen
from vapocline.core.pull.readiness import Check
from vapocline.store.tables.base import Base, one_of


class HouseRow(Base):
    """What the house chose for itself; one row."""

    __tablename__ = "house"
    __table_args__ = (
        CheckConstraint("id = 1", name="one"),
        CheckConstraint("cardinality(lines) >= 1", name="lines"),
        CheckConstraint(one_of("temperature", get_args(TemperatureUnit)), name="temperature"),
        CheckConstraint(one_of("weight", get_args(WeightUnit)), name="weight"),
        CheckConstraint(one_of("volume", get_args(VolumeUnit)), name="volume"),
        CheckConstraint(one_of("drink", get_args(DrinkMeasure)), name="drink"),
    )

    id: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    lines: Mapped[list[str]] = mapped_column(ARRAY(Text))
    temperature: Mapped[str] = mapped_column(server_default="C")
    weight: Mapped[str] = mapped_column(server_default="g")
    volume: Mapped[str] = mapped_column(server_default="mL")
    drink: Mapped[str] = mapped_column(server_default="weight")


class CheckLineRow(Base):
    """When one of our checks is asked, or a check of the house's own, after one of ours."""

    __tablename__ = "check_lines"
    __table_args__ = (
        CheckConstraint(one_of("ours", ASKED_CHECKS), name="ours"),
        CheckConstraint(one_of("asked", get_args(CheckWhen)), name="asked"),
        CheckConstraint(one_of("after", get_args(Check)), name="after"),
        CheckConstraint("num_nonnulls(ours, words) = 1", name="one"),
        CheckConstraint("(words is null) = (after is null)", name="placed"),
        CheckConstraint("words <> ''", name="words"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    ours: Mapped[str | None] = mapped_column(unique=True)
    words: Mapped[str | None] = mapped_column(unique=True)
    after: Mapped[str | None]
    asked: Mapped[str]
