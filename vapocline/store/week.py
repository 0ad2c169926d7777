"""Queries on how far somebody is with their first week."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from vapocline.store.shots import COUNTS
from vapocline.store.tables import CupRow, ProfileRow, ShotRow, TastingSessionRow, VersionRow

MOST_SHOTS = 50


def shots_of_style(session: Session, coffee_id: int, style: str) -> Sequence[int]:
    """The newest shots of a coffee by profiles that began as a style, the newest first."""
    query = (
        select(ShotRow.id)
        .join(VersionRow, VersionRow.id == ShotRow.version_id)
        .join(ProfileRow, ProfileRow.id == VersionRow.profile_id)
        .where(*COUNTS, ShotRow.coffee_id == coffee_id, ProfileRow.style == style)
        .order_by(ShotRow.id.desc())
        .limit(MOST_SHOTS)
    )
    return session.scalars(query).all()


def newest_version_of_style(session: Session, style: str) -> VersionRow | None:
    """The newest version of the newest profile that began as a style."""
    query = (
        select(VersionRow)
        .join(VersionRow.profile)
        .where(ProfileRow.style == style)
        .options(joinedload(VersionRow.profile))
        .order_by(ProfileRow.id.desc(), VersionRow.number.desc())
        .limit(1)
    )
    return session.scalars(query).first()


def newest_blind_pair(session: Session, coffee_id: int) -> int | None:
    """The newest blind tasting that is closed, with cups of two shots of a coffee."""
    query = (
        select(TastingSessionRow.id)
        .join(CupRow, CupRow.session_id == TastingSessionRow.id)
        .join(ShotRow, ShotRow.id == CupRow.shot_id)
        .where(
            TastingSessionRow.blind,
            TastingSessionRow.state == "closed",
            ShotRow.coffee_id == coffee_id,
        )
        .group_by(TastingSessionRow.id)
        .having(func.count(func.distinct(CupRow.shot_id)) >= 2)
        .order_by(TastingSessionRow.id.desc())
        .limit(1)
    )
    return session.scalar(query)
