"""Queries on profiles and their versions."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session, contains_eager, selectinload

from vapocline.core.base.problems import NotFoundError
from vapocline.store.tables import ProfileRow, VersionRow


def read_heads(session: Session) -> Sequence[VersionRow]:
    """The newest version of every profile, by the profile's name."""
    newest = (
        select(VersionRow.profile_id, func.max(VersionRow.number).label("number"))
        .group_by(VersionRow.profile_id)
        .subquery()
    )
    return session.scalars(
        select(VersionRow)
        .join(
            newest,
            (VersionRow.profile_id == newest.c.profile_id) & (VersionRow.number == newest.c.number),
        )
        .join(VersionRow.profile)
        .options(contains_eager(VersionRow.profile))
        .order_by(ProfileRow.name)
    ).all()


def read_profile(session: Session, profile_id: int) -> ProfileRow:
    """A profile with all its versions, oldest first. Raises NotFoundError."""
    row = session.get(ProfileRow, profile_id, options=[selectinload(ProfileRow.versions)])
    if row is None:
        raise NotFoundError(f"There is no profile {profile_id}.")
    return row


def read_version(session: Session, profile_id: int, number: int) -> VersionRow:
    """One version of a profile. Raises NotFoundError."""
    row = session.scalars(
        select(VersionRow).where(VersionRow.profile_id == profile_id, VersionRow.number == number)
    ).first()
    if row is None:
        raise NotFoundError(f"There is no version {number} of profile {profile_id}.")
    return row


def newest_number(session: Session, profile_id: int) -> int:
    """The number of a profile's newest version, 0 where there is none."""
    query = select(func.max(VersionRow.number)).where(VersionRow.profile_id == profile_id)
    return session.scalar(query) or 0
