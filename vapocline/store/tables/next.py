"""The table of changes that were taken."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.store.tables.base import Base


class ExpectationRow(Base):
    """A change taken after a shot, and by how many noticeable steps it was to move each line; with
    `regrind` the grind was to be refitted with it."""

    __tablename__ = "expectations"

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"), index=True)
    move: Mapped[str]
    regrind: Mapped[bool] = mapped_column(server_default="false")
    expected: Mapped[dict[str, Any]]


class GuidedRunRow(Base):
    """One number moved shot by shot, from a shot on; of each coffee one is under way at most."""

    __tablename__ = "guided_runs"

    coffee_id: Mapped[int] = mapped_column(
        ForeignKey("coffees.id", ondelete="cascade"), primary_key=True
    )
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"), index=True)
    wanted: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
