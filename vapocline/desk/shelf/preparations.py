"""Ways of preparing a puck."""

from __future__ import annotations

from vapocline.core.coffee.preparation import Preparation, steps_of
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import PreparationRow


class ShelvedPreparation(Preparation):
    """A preparation with its number, the ETag of what is stored, and its steps in words."""

    id: int
    etag: str
    steps: str


def preparation_of(row: PreparationRow) -> ShelvedPreparation:
    """A stored preparation as the user sees it."""
    plain = plain_preparation(row)
    return ShelvedPreparation(
        **plain.known(), id=row.id, etag=etag_of(plain), steps=steps_of(plain)
    )


def plain_preparation(row: PreparationRow) -> Preparation:
    """A stored preparation as its document."""
    return Preparation.model_validate(
        {name: getattr(row, name) for name in Preparation.model_fields}
    )


def list_preparations(context: Context) -> list[ShelvedPreparation]:
    """Every preparation, by name."""
    with transaction(context.sessions) as session:
        return [preparation_of(row) for row in shelf.read_all(session, PreparationRow)]


def add_preparation(context: Context, preparation: Preparation) -> ShelvedPreparation:
    """Put a preparation on the shelf. Raises ConflictError if its name is taken."""
    with transaction(context.sessions) as session:
        return preparation_of(shelf.add(session, PreparationRow(**preparation.known())))


def change_preparation(
    context: Context, preparation_id: int, preparation: Preparation, seen: str | None = None
) -> ShelvedPreparation:
    """Rewrite a preparation, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, PreparationRow, preparation_id, lock=True)
        refuse_stale(plain_preparation(row), preparation, seen)
        row.rewrite(preparation.known())
        session.flush()
        return preparation_of(row)
