"""The table of changes that were taken."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.store.tables.base import Base


class ExpectationRow(Base):
    """A change taken after a shot, and by how many noticeable steps it was to move each line."""

    __tablename__ = "expectations"

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"), index=True)
    move: Mapped[str]
    expected: Mapped[dict[str, Any]]
