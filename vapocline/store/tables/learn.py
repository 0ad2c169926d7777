"""Tables of what shots taught, and of which of it to keep to."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import CheckConstraint, ForeignKey, Index, UniqueConstraint, func
from sqlalchemy.orm import Mapped, mapped_column

from vapocline.store.tables.base import Base, one_of

KNOWLEDGE_STATES = ("accepted", "declined")


class KnowledgeRow(Base):
    """What the shots of a coffee by a grinder on a machine taught. `basis` tells what was assumed
    of the three, `inputs` the shots and readings it rests on, so that the same is learnt once. The
    newest accepted one is used while its basis holds.

    A fit that loses to its rivals is stored declined.
    """

    __tablename__ = "knowledge"
    __table_args__ = (
        CheckConstraint(one_of("state", KNOWLEDGE_STATES), name="state"),
        UniqueConstraint("coffee_id", "grinder_id", "machine_id", "basis", "inputs"),
        Index("ix_knowledge_of", "coffee_id", "grinder_id", "machine_id", "created_at"),
        Index("ix_knowledge_grinder_id", "grinder_id"),
        Index("ix_knowledge_machine_id", "machine_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    coffee_id: Mapped[int] = mapped_column(ForeignKey("coffees.id", ondelete="cascade"))
    grinder_id: Mapped[int] = mapped_column(ForeignKey("grinders.id", ondelete="cascade"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id", ondelete="cascade"))
    basis: Mapped[str]
    inputs: Mapped[str]
    state: Mapped[str]
    learnt: Mapped[dict[str, Any]] = mapped_column(deferred=True)  # long: read where it is parsed


class KnowledgeChoiceRow(Base):
    """What forecasts keep to, whatever is learnt meanwhile: something that was learnt before, or
    nothing of it."""

    __tablename__ = "knowledge_choices"

    coffee_id: Mapped[int] = mapped_column(
        ForeignKey("coffees.id", ondelete="cascade"), primary_key=True
    )
    grinder_id: Mapped[int] = mapped_column(
        ForeignKey("grinders.id", ondelete="cascade"), primary_key=True, index=True
    )
    machine_id: Mapped[int] = mapped_column(
        ForeignKey("machines.id", ondelete="cascade"), primary_key=True, index=True
    )
    knowledge_id: Mapped[int | None] = mapped_column(
        ForeignKey("knowledge.id", ondelete="cascade"), index=True
    )
    chosen_at: Mapped[datetime] = mapped_column(server_default=func.now())
