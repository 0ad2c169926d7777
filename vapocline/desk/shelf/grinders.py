"""Grinders."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.coffee.grinder import Grinder
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn_again
from vapocline.store.tables import GrinderRow


class ShelvedGrinder(Grinder):
    """A grinder with its number, and the ETag of what is stored."""

    id: int
    etag: str


def grinder_of(row: GrinderRow) -> ShelvedGrinder:
    """A stored grinder as the user sees it."""
    grinder = _grinder(row)
    return ShelvedGrinder(**grinder.known(), id=row.id, etag=etag_of(grinder))


def _grinder(row: GrinderRow) -> Grinder:
    return Grinder(
        name=row.name,
        settings=tuple(row.settings),
        grind_um=tuple(row.grind_um),
        fines_pct=row.fines_pct,
        size_spread=row.size_spread,
        note=row.note,
    )


def list_grinders(context: Context) -> list[ShelvedGrinder]:
    """Every grinder, by name."""
    with transaction(context.sessions) as session:
        return [grinder_of(row) for row in shelf.read_all(session, GrinderRow)]


def add_grinder(context: Context, grinder: Grinder) -> ShelvedGrinder:
    """Put a grinder on the shelf. Raises ConflictError if its name is taken."""
    with transaction(context.sessions) as session:
        return grinder_of(shelve_grinder(session, grinder))


def shelve_grinder(session: Session, grinder: Grinder) -> GrinderRow:
    """A grinder's row, written."""
    return shelf.add(session, GrinderRow(**_grinder_columns(grinder)))


def _grinder_columns(grinder: Grinder) -> dict[str, object]:
    return {
        "name": grinder.name,
        "settings": list(grinder.settings),
        "grind_um": list(grinder.grind_um),
        "fines_pct": grinder.fines_pct,
        "size_spread": grinder.size_spread,
        "note": grinder.note,
    }


def change_grinder(
    context: Context, grinder_id: int, grinder: Grinder, seen: str | None = None
) -> ShelvedGrinder:
    """Rewrite a grinder, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, GrinderRow, grinder_id, lock=True)
        refuse_stale(_grinder(row), grinder, seen)
        row.rewrite(_grinder_columns(grinder))
        ask_to_learn_again(session, row)
        session.flush()
        return grinder_of(row)
