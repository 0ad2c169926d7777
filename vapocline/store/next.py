"""Queries on changes that were taken."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from vapocline.store.tables import ExpectationRow


def newest_expectation(session: Session, shot_id: int) -> ExpectationRow | None:
    """What was taken last after a shot."""
    query = select(ExpectationRow).where(ExpectationRow.shot_id == shot_id)
    return session.scalars(query.order_by(ExpectationRow.id.desc()).limit(1)).first()
