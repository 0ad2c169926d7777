"""Tables of profiles, their versions and translations under way."""

from __future__ import annotations

from datetime import datetime
from typing import Any, get_args

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    UniqueConstraint,
    func,
)
from sqlalchemy.orm import (
    Mapped,
    mapped_column,
    relationship,
)

from vapocline.core.profile.purpose import Purpose
from vapocline.store.tables.base import Base, one_of


class ProfileRow(Base):
    """A profile's name; what it is stands in its versions."""

    __tablename__ = "profiles"
    __table_args__ = (CheckConstraint("name <> ''", name="name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    style: Mapped[str | None]  # that it began as
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    versions: Mapped[list[VersionRow]] = relationship(
        back_populates="profile", order_by="VersionRow.number", lazy="raise"
    )


class VersionRow(Base):
    """One saved state of a profile. A trigger refuses any change to it but its label and
    its purpose."""

    __tablename__ = "profile_versions"
    __table_args__ = (
        UniqueConstraint("profile_id", "number"),
        CheckConstraint("number >= 1", name="number"),
        CheckConstraint("based_on < number", name="based_on"),
        CheckConstraint(one_of("purpose", get_args(Purpose)), name="purpose"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    profile_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"))
    number: Mapped[int]
    based_on: Mapped[int | None]
    label: Mapped[str | None]
    purpose: Mapped[str | None]  # what drink it is for
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    profile: Mapped[ProfileRow] = relationship(back_populates="versions", lazy="raise")


class TranslationRow(Base):
    """A translation that somebody waits for: what was asked, and its latest result."""

    __tablename__ = "translations"

    id: Mapped[int] = mapped_column(primary_key=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    asked: Mapped[dict[str, Any]]
    came: Mapped[dict[str, Any] | None]
