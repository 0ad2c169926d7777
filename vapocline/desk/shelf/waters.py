"""Waters."""

from __future__ import annotations

from vapocline.core.coffee.water import Salts, Water, WaterFacts, facts_of
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import WaterRow


class ShelvedWater(Water):
    """A water with its number, the ETag of what is stored, and what its numbers mean."""

    id: int
    etag: str
    facts: WaterFacts


def water_of(row: WaterRow) -> ShelvedWater:
    """A stored water as the user sees it."""
    water = plain_water(row)
    return ShelvedWater(**water.known(), id=row.id, etag=etag_of(water), facts=facts_of(water))


def plain_water(row: WaterRow) -> Water:
    """A stored water as its document."""
    salts = {salt: getattr(row, salt) for salt in Salts.model_fields}
    return Water.model_validate(
        {
            "name": row.name,
            "hardness_mg_l": row.hardness_mg_l,
            "alkalinity_mg_l": row.alkalinity_mg_l,
            "salts": salts if None not in salts.values() else None,
            "note": row.note,
        }
    )


def _columns(water: Water) -> dict[str, object]:
    whole = water.known()
    del whole["salts"]
    none = dict.fromkeys(Salts.model_fields)
    return whole | (none if water.salts is None else water.salts.known())


def list_waters(context: Context) -> list[ShelvedWater]:
    """Every water, by name."""
    with transaction(context.sessions) as session:
        return [water_of(row) for row in shelf.read_all(session, WaterRow)]


def add_water(context: Context, water: Water) -> ShelvedWater:
    """Put a water on the shelf. Raises ConflictError if its name is taken."""
    with transaction(context.sessions) as session:
        return water_of(shelf.add(session, WaterRow(**_columns(water))))


def change_water(
    context: Context, water_id: int, water: Water, seen: str | None = None
) -> ShelvedWater:
    """Rewrite a water, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, WaterRow, water_id, lock=True)
        refuse_stale(plain_water(row), water, seen)
        row.rewrite(_columns(water))
        session.flush()
        return water_of(row)
