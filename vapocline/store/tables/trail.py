"""The table of baselines."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import ForeignKey, func
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.store.tables.base import Base


class BaselineRow(Base):
    """The shot of a coffee that every other is compared with."""

    __tablename__ = "baselines"

    coffee_id: Mapped[int] = mapped_column(
        ForeignKey("coffees.id", ondelete="cascade"), primary_key=True
    )
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"), index=True)
    pinned_at: Mapped[datetime] = mapped_column(server_default=func.now())
