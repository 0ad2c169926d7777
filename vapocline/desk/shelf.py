"""Coffees, grinders, baskets and machines: what there is, adding to it, changing it."""

from __future__ import annotations

import json
from datetime import datetime
from functools import lru_cache

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from vapocline.core.calibration.apply import boiler_c
from vapocline.core.machine import Machine, commands_of, levels_of
from vapocline.core.shelf import Bag, Basket, Coffee, Grinder, rest_days
from vapocline.desk.context import Desk
from vapocline.desk.reaching import is_simulated
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.shelf import Row
from vapocline.store.tables import BagRow, BasketRow, CoffeeRow, GrinderRow, MachineRow

OF_BAG = {"roasted_on", "bag_g"}


class ShelvedBag(Bag):
    """A bag with its number, and what the shots pulled from it left, g; None where unknown."""

    id: int
    opened_at: datetime
    shots: int
    remaining_g: float | None


class ShelvedCoffee(Coffee):
    """A coffee with its number, the days since roasting, and its bags, the one in use first."""

    id: int
    rest_days: float | None
    bags: list[ShelvedBag]


class ShelvedGrinder(Grinder):
    """A grinder with its number."""

    id: int


class ShelvedBasket(Basket):
    """A basket with its number."""

    id: int


class ShelvedMachine(Machine):
    """A machine with its number, whether a stand-in or a wire reaches it, and what it takes.

    `levels` is the highest level of each command that has one, in that command's unit.
    """

    id: int
    simulated: bool
    wired: bool
    commands: tuple[str, ...]
    levels: dict[str, float]


class BoilerFor(BaseModel):
    """What to set a boiler to, °C, for a temperature at the group; None before it is measured."""

    model_config = ConfigDict(frozen=True)

    group_c: float
    boiler_c: float | None


def coffee_of(desk: Desk, row: CoffeeRow) -> ShelvedCoffee:
    """A stored coffee as the user sees it."""
    bags = [_bag(bag) for bag in reversed(row.bags)]
    newest = bags[0] if bags else Bag()
    coffee = Coffee(
        name=row.name,
        roast=row.roast,
        roasted_on=newest.roasted_on,
        bag_g=newest.bag_g,
        process=row.process,
        decaf=row.decaf,
        blend=row.blend,
        density_g_ml=row.density_g_ml,
        crema_ml_per_g=row.crema_ml_per_g,
        note=row.note,
    )
    rest = rest_days(coffee, desk.today())
    return ShelvedCoffee(**coffee.model_dump(), id=row.id, rest_days=rest, bags=bags)


def _bag(row: BagRow) -> ShelvedBag:
    used_g, shots = row.used_g or 0.0, row.shots or 0  # None of a bag opened just now
    left = None if row.bag_g is None else max(0.0, round(row.bag_g - used_g, 1))
    return ShelvedBag(
        id=row.id,
        roasted_on=row.roasted_on,
        bag_g=row.bag_g,
        opened_at=row.opened_at,
        shots=shots,
        remaining_g=left,
    )


def grinder_of(row: GrinderRow) -> ShelvedGrinder:
    """A stored grinder as the user sees it."""
    return ShelvedGrinder(
        id=row.id,
        name=row.name,
        settings=tuple(row.settings),
        grind_um=tuple(row.grind_um),
        note=row.note,
    )


def basket_of(row: BasketRow) -> ShelvedBasket:
    """A stored basket as the user sees it."""
    return ShelvedBasket(
        id=row.id,
        name=row.name,
        diameter_mm=row.diameter_mm,
        shape=row.shape,
        least_g=row.least_g,
        most_g=row.most_g,
        note=row.note,
    )


def machine_of(row: MachineRow) -> ShelvedMachine:
    """A stored machine as the user sees it."""
    return _machine(row.id, is_simulated(row), row.wired, json.dumps(row.document))


@lru_cache(maxsize=64)
def _machine(machine_id: int, simulated: bool, wired: bool, document: str) -> ShelvedMachine:
    """Read once: every forecast asks for the bench's machine, and reading one takes a while."""
    machine = Machine.model_validate_json(document)
    return ShelvedMachine.model_validate(
        {
            **machine.written(),
            "id": machine_id,
            "simulated": simulated,
            "wired": wired,
            "commands": commands_of(machine),
            "levels": levels_of(machine),
        }
    )


def list_coffees(desk: Desk) -> list[ShelvedCoffee]:
    """Every coffee, by name."""
    with transaction(desk.sessions) as session:
        return [coffee_of(desk, row) for row in shelf.read_all(session, CoffeeRow)]


def list_grinders(desk: Desk) -> list[ShelvedGrinder]:
    """Every grinder, by name."""
    with transaction(desk.sessions) as session:
        return [grinder_of(row) for row in shelf.read_all(session, GrinderRow)]


def list_baskets(desk: Desk) -> list[ShelvedBasket]:
    """Every basket, by name."""
    with transaction(desk.sessions) as session:
        return [basket_of(row) for row in shelf.read_all(session, BasketRow)]


def list_machines(desk: Desk) -> list[ShelvedMachine]:
    """Every machine, by name."""
    with transaction(desk.sessions) as session:
        return [machine_of(row) for row in shelf.read_all(session, MachineRow)]


def read_machine(desk: Desk, machine_id: int) -> ShelvedMachine:
    """One machine. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        return machine_of(shelf.read_one(session, MachineRow, machine_id))


def boiler_for(desk: Desk, machine_id: int, group_c: float) -> BoilerFor:
    """What to set a machine's boiler to for a temperature at the group. Raises NotFoundError."""
    machine = read_machine(desk, machine_id)
    return BoilerFor(group_c=group_c, boiler_c=boiler_c(machine, group_c))


def add_coffee(desk: Desk, coffee: Coffee) -> ShelvedCoffee:
    """Put a coffee on the shelf with its first bag. Raises ConflictError if its name is taken."""
    with transaction(desk.sessions) as session:
        row = CoffeeRow(**coffee.model_dump(exclude={"extra"} | OF_BAG))
        row.bags = [BagRow(**coffee.model_dump(include=OF_BAG), opened_at=desk.now())]
        return coffee_of(desk, _added(session, row))


def add_grinder(desk: Desk, grinder: Grinder) -> ShelvedGrinder:
    """Put a grinder on the shelf. Raises ConflictError if its name is taken."""
    with transaction(desk.sessions) as session:
        return grinder_of(_added(session, GrinderRow(**_grinder_columns(grinder))))


def _grinder_columns(grinder: Grinder) -> dict[str, object]:
    return {
        "name": grinder.name,
        "settings": list(grinder.settings),
        "grind_um": list(grinder.grind_um),
        "note": grinder.note,
    }


def add_basket(desk: Desk, basket: Basket) -> ShelvedBasket:
    """Put a basket on the shelf. Raises ConflictError if its name is taken."""
    with transaction(desk.sessions) as session:
        row = BasketRow(**basket.model_dump(exclude={"extra"}))
        return basket_of(_added(session, row))


def add_machine(desk: Desk, machine: Machine) -> ShelvedMachine:
    """Put a machine on the shelf; it runs on the simulated stand-in. Raises ConflictError."""
    with transaction(desk.sessions) as session:
        row = MachineRow(name=machine.name, document=machine.written())
        return machine_of(_added(session, row))


def open_bag(desk: Desk, coffee_id: int, bag: Bag) -> ShelvedCoffee:
    """Open a new bag of a coffee; shots from now on are pulled from it. Raises NotFoundError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, CoffeeRow, coffee_id, lock=True)
        row.bags.append(BagRow(**bag.model_dump(include=OF_BAG), opened_at=desk.now()))
        session.flush()
        return coffee_of(desk, row)


def change_coffee(desk: Desk, coffee_id: int, coffee: Coffee) -> ShelvedCoffee:
    """Rewrite a coffee and the bag in use. Raises NotFoundError, ConflictError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, CoffeeRow, coffee_id, lock=True)
        for name, value in coffee.model_dump(exclude={"extra"} | OF_BAG).items():
            setattr(row, name, value)
        for name, value in coffee.model_dump(include=OF_BAG).items():
            setattr(row.bags[-1], name, value)
        session.flush()
        return coffee_of(desk, row)


def change_grinder(desk: Desk, grinder_id: int, grinder: Grinder) -> ShelvedGrinder:
    """Rewrite a grinder. Raises NotFoundError, ConflictError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, GrinderRow, grinder_id, lock=True)
        for name, value in _grinder_columns(grinder).items():
            setattr(row, name, value)
        session.flush()
        return grinder_of(row)


def change_basket(desk: Desk, basket_id: int, basket: Basket) -> ShelvedBasket:
    """Rewrite a basket. Raises NotFoundError, ConflictError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, BasketRow, basket_id, lock=True)
        for name, value in basket.model_dump(exclude={"extra"}).items():
            setattr(row, name, value)
        session.flush()
        return basket_of(row)


def change_machine(desk: Desk, machine_id: int, machine: Machine) -> ShelvedMachine:
    """Rewrite a machine. Raises NotFoundError, ConflictError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id, lock=True)
        row.name, row.document = machine.name, machine.written()
        session.flush()
        return machine_of(row)


TABLES = {"coffee": CoffeeRow, "grinder": GrinderRow, "basket": BasketRow, "machine": MachineRow}


def remove(desk: Desk, kind: str, row_id: int) -> None:
    """Take something off the shelf. Raises NotFoundError, ConflictError where it is needed."""
    with transaction(desk.sessions) as session:
        session.delete(shelf.read_one(session, TABLES[kind], row_id))  # type: ignore[type-var]
        session.flush()


def _added(session: Session, row: Row) -> Row:
    session.add(row)
    session.flush()
    return row
