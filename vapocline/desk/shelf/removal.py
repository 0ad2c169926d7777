"""Taking something off the shelf."""

from __future__ import annotations

from vapocline.desk.context import Context
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import (
    BasketRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    WaterRow,
)

TABLES = {
    "coffee": CoffeeRow, "grinder": GrinderRow, "basket": BasketRow, "machine": MachineRow,
    "water": WaterRow, "preparation": PreparationRow,
}  # fmt: skip


def remove(context: Context, kind: str, row_id: int) -> None:
    """Take something off the shelf. Raises NotFoundError, ConflictError where it is needed."""
    with transaction(context.sessions) as session:
        session.delete(shelf.read_one(session, TABLES[kind], row_id))  # type: ignore[type-var]
        session.flush()
