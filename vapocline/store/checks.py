"""The house's start checks."""

from __future__ import annotations

from collections.abc import Iterable

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from vapocline.store.tables import CheckLineRow


def read_lines(session: Session) -> list[CheckLineRow]:
    """What the house asks, in its order."""
    return list(session.scalars(select(CheckLineRow).order_by(CheckLineRow.id)))


def write_lines(session: Session, rows: Iterable[CheckLineRow]) -> None:
    """Put these in the place of all that were there."""
    session.execute(delete(CheckLineRow))
    for row in rows:
        session.add(row)
        session.flush()
