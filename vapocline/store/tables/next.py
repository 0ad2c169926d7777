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
