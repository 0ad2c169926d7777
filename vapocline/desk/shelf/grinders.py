"""Grinders."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.coffee.grinder import (
    DIAL_SIZE_SPREAD,
    UNKNOWN_SIZE_SPREAD,
    Grinder,
    within_pct,
)
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn_again
from vapocline.store.tables import GrinderRow


class SizesKnown(Answer):
    """How well sizes may be known: their spread, and to how many per cent 8 in 10 then lie."""

    spread: float
    within_pct: float


class ShelvedGrinder(Grinder):
    """A grinder with its number, the ETag of what is stored, and how well sizes may be known."""

    id: int
    etag: str
    known_to: list[SizesKnown]


def grinder_of(row: GrinderRow) -> ShelvedGrinder:
    """A stored grinder as the user sees it."""
    grinder = _grinder(row)
    return ShelvedGrinder(
        **grinder.known(), id=row.id, etag=etag_of(grinder), known_to=_known_to(grinder)
    )


def _known_to(grinder: Grinder) -> list[SizesKnown]:
    """What there is to choose besides measured sizes: what the answers take, and what stands."""
    spreads = {DIAL_SIZE_SPREAD, UNKNOWN_SIZE_SPREAD, grinder.size_spread} - {0}
    return [SizesKnown(spread=one, within_pct=round(within_pct(one), 1)) for one in sorted(spreads)]


def _grinder(row: GrinderRow) -> Grinder:
    return Grinder(
        name=row.name,
        settings=tuple(row.settings),
        grind_um=tuple(row.grind_um),
        fines_pct=row.fines_pct,
        size_spread=row.size_spread,
        retention_g=row.retention_g,
        step=row.step,
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
        "retention_g": grinder.retention_g,
        "step": grinder.step,
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
