"""Baskets."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.coffee.basket import Basket
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import BasketRow


class ShelvedBasket(Basket):
    """A basket with its number, and the ETag of what is stored."""

    id: int
    etag: str


def basket_of(row: BasketRow) -> ShelvedBasket:
    """A stored basket as the user sees it."""
    basket = _basket(row)
    return ShelvedBasket(**basket.known(), id=row.id, etag=etag_of(basket))


def _basket(row: BasketRow) -> Basket:
    return Basket(
        name=row.name,
        diameter_mm=row.diameter_mm,
        shape=row.shape,
        least_g=row.least_g,
        most_g=row.most_g,
        volume_ml=row.volume_ml,
        note=row.note,
    )


def list_baskets(context: Context) -> list[ShelvedBasket]:
    """Every basket, by name."""
    with transaction(context.sessions) as session:
        return [basket_of(row) for row in shelf.read_all(session, BasketRow)]


def add_basket(context: Context, basket: Basket) -> ShelvedBasket:
    """Put a basket on the shelf. Raises ConflictError if its name is taken."""
    with transaction(context.sessions) as session:
        return basket_of(shelve_basket(session, basket))


def shelve_basket(session: Session, basket: Basket) -> BasketRow:
    """A basket's row, written."""
    return shelf.add(session, BasketRow(**basket.known()))


def change_basket(
    context: Context, basket_id: int, basket: Basket, seen: str | None = None
) -> ShelvedBasket:
    """Rewrite a basket, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, BasketRow, basket_id, lock=True)
        refuse_stale(_basket(row), basket, seen)
        row.rewrite(basket.known())
        session.flush()
        return basket_of(row)
