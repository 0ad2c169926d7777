"""The house's start checks."""

from __future__ import annotations

from typing import get_args

from sqlalchemy import CheckConstraint
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.core.pull.house_checks import ASKED_CHECKS, CheckWhen
from vapocline.core.pull.readiness import Check
from vapocline.store.tables.base import Base, one_of


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
