"""Coffees and their bags."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy.orm import Session

from vapocline.core.coffee.coffee import Bag, Coffee, rest_days
from vapocline.core.puck.freshness import Freshness, freshness_of
from vapocline.desk.context import Context
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn_again
from vapocline.store.tables import BagRow, CoffeeRow

FACTS = ("lot", "variety", "dried", "crop", "altitude_m", "score")
OF_BAG = {"roasted_on", "bag_g", "bag_price"}


class ShelvedBag(Bag):
    """A bag with its number, and what the shots pulled from it left, g; None where unknown."""

    id: int
    opened_at: datetime
    shots: int
    remaining_g: float | None


class ShelvedCoffee(Coffee):
    """A coffee with its number, the ETag of what is stored, the days since roasting, whether that
    is its best, and its bags, the one in use first."""

    id: int
    etag: str
    rest_days: float | None
    freshness: Freshness | None
    bags: list[ShelvedBag]


def coffee_of(context: Context, row: CoffeeRow) -> ShelvedCoffee:
    """A stored coffee as the user sees it."""
    coffee = plain_coffee(row)
    rested = rest_days(coffee, context.today())
    return ShelvedCoffee(
        **coffee.known(),
        id=row.id,
        etag=etag_of(coffee),
        rest_days=rested,
        freshness=None
        if rested is None
        else freshness_of(coffee.roast, rested, decaf=coffee.decaf, blend=coffee.blend),
        bags=[_bag(bag) for bag in reversed(row.bags)],
    )


def plain_coffee(row: CoffeeRow) -> Coffee:
    """A coffee and its bag in use."""
    newest = row.bags[-1] if row.bags else BagRow()
    return Coffee(
        name=row.name,
        roast=row.roast,
        roasted_on=newest.roasted_on,
        bag_g=newest.bag_g,
        bag_price=newest.bag_price,
        process=row.process,
        decaf=row.decaf,
        blend=row.blend,
        density_g_ml=row.density_g_ml,
        crema_ml_per_g=row.crema_ml_per_g,
        **{name: getattr(row, name) for name in FACTS},
        note=row.note,
    )


def _of_coffee(coffee: Coffee) -> dict[str, Any]:
    """A coffee's own columns: not its bag's."""
    return {name: value for name, value in coffee.known().items() if name not in OF_BAG}


def _bag(row: BagRow) -> ShelvedBag:
    left = None if row.bag_g is None else max(0.0, round(row.bag_g - row.used_g, 1))
    return ShelvedBag(
        id=row.id,
        roasted_on=row.roasted_on,
        bag_g=row.bag_g,
        bag_price=row.bag_price,
        opened_at=row.opened_at,
        shots=row.shots,
        remaining_g=left,
    )


def list_coffees(context: Context) -> list[ShelvedCoffee]:
    """Every coffee, by name."""
    with transaction(context.sessions) as session:
        return [coffee_of(context, row) for row in shelf.read_all(session, CoffeeRow)]


def add_coffee(context: Context, coffee: Coffee) -> ShelvedCoffee:
    """Put a coffee on the shelf with its first bag. Raises ConflictError if its name is taken."""
    with transaction(context.sessions) as session:
        return coffee_of(context, shelve_coffee(session, coffee, context.now()))


def shelve_coffee(session: Session, coffee: Coffee, opened_at: datetime) -> CoffeeRow:
    """A coffee's row with its first bag, written."""
    row = CoffeeRow(**_of_coffee(coffee))
    row.bags = [BagRow(**coffee.model_dump(include=OF_BAG), opened_at=opened_at)]
    return shelf.add(session, row)


def open_bag(context: Context, coffee_id: int, bag: Bag) -> ShelvedCoffee:
    """Open a new bag of a coffee; shots from now on are pulled from it. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, CoffeeRow, coffee_id, lock=True)
        row.bags.append(BagRow(**bag.model_dump(include=OF_BAG), opened_at=context.now()))
        session.flush()
        return coffee_of(context, row)


def change_coffee(
    context: Context, coffee_id: int, coffee: Coffee, seen: str | None = None
) -> ShelvedCoffee:
    """Rewrite a coffee and the bag in use, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, CoffeeRow, coffee_id, lock=True)
        refuse_stale(plain_coffee(row), coffee, seen)
        row.rewrite(_of_coffee(coffee))
        row.bags[-1].rewrite(coffee.model_dump(include=OF_BAG))
        ask_to_learn_again(session, row)
        session.flush()
        return coffee_of(context, row)
