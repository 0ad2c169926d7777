"""What the house chose for itself: units, lines of the tasting form, start checks."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from vapocline.core.taste.tasting import DEFAULT_LINES
from vapocline.store.tables import CheckLineRow, HouseRow


def read_house(session: Session) -> HouseRow | None:
    """What the house chose; None before it chose anything."""
    return session.get(HouseRow, 1)


def write_house(session: Session, chosen: Mapping[str, Any]) -> None:
    """Choose these; what else was chosen stays."""
    session.execute(
        insert(HouseRow)
        .values(id=1, **{"lines": list(DEFAULT_LINES), **chosen})
        .on_conflict_do_update(index_elements=["id"], set_=chosen)
    )


def lines_of_house(session: Session) -> list[str]:
    """Which lines of the tasting form the house scores."""
    row = read_house(session)
    return list(DEFAULT_LINES) if row is None else list(row.lines)


def read_checks(session: Session) -> list[CheckLineRow]:
    """What the house asks before a pull, in its order."""
    return list(session.scalars(select(CheckLineRow).order_by(CheckLineRow.id)))


def write_checks(session: Session, rows: Iterable[CheckLineRow]) -> None:
    """Put these in the place of all that were there."""
    session.execute(delete(CheckLineRow))
    for row in rows:
        session.add(row)
        session.flush()
