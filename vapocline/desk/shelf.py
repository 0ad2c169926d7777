"""Coffees, grinders and machines: what there is, and adding to it."""

from __future__ import annotations

import json
from functools import lru_cache

from sqlalchemy.orm import Session

from vapocline.core.machine import Machine, commands_of, levels_of
from vapocline.core.shelf import Coffee, Grinder, rest_days
from vapocline.desk.context import Desk
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.shelf import Row
from vapocline.store.tables import CoffeeRow, GrinderRow, MachineRow


class ShelvedCoffee(Coffee):
    """A coffee with its number and the days since roasting, None where unknown."""

    id: int
    rest_days: float | None


class ShelvedGrinder(Grinder):
    """A grinder with its number."""

    id: int


class ShelvedMachine(Machine):
    """A machine with its number, whether it is the simulated stand-in, and what it takes.

    `levels` is the highest level of each command that has one, in that command's unit.
    """

    id: int
    simulated: bool
    commands: tuple[str, ...]
    levels: dict[str, float]


def coffee_of(desk: Desk, row: CoffeeRow) -> ShelvedCoffee:
    """A stored coffee as the user sees it."""
    coffee = Coffee(
        name=row.name,
        roast=row.roast,
        roasted_on=row.roasted_on,
        process=row.process,
        decaf=row.decaf,
        note=row.note,
    )
    return ShelvedCoffee(
        **coffee.model_dump(), id=row.id, rest_days=rest_days(coffee, desk.today())
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


def machine_of(row: MachineRow) -> ShelvedMachine:
    """A stored machine as the user sees it."""
    return _machine(row.id, row.address is None, json.dumps(row.document))


@lru_cache(maxsize=64)
def _machine(machine_id: int, simulated: bool, document: str) -> ShelvedMachine:
    """Read once: every forecast asks for the bench's machine, and reading one takes a while."""
    machine = Machine.model_validate_json(document)
    return ShelvedMachine.model_validate(
        {
            **machine.written(),
            "id": machine_id,
            "simulated": simulated,
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


def list_machines(desk: Desk) -> list[ShelvedMachine]:
    """Every machine, by name."""
    with transaction(desk.sessions) as session:
        return [machine_of(row) for row in shelf.read_all(session, MachineRow)]


def add_coffee(desk: Desk, coffee: Coffee) -> ShelvedCoffee:
    """Put a coffee on the shelf. Raises ConflictError if its name is taken."""
    with transaction(desk.sessions) as session:
        row = CoffeeRow(**coffee.model_dump(exclude={"extra"}))
        return coffee_of(desk, _added(session, row))


def add_grinder(desk: Desk, grinder: Grinder) -> ShelvedGrinder:
    """Put a grinder on the shelf. Raises ConflictError if its name is taken."""
    with transaction(desk.sessions) as session:
        row = GrinderRow(
            name=grinder.name,
            settings=list(grinder.settings),
            grind_um=list(grinder.grind_um),
            note=grinder.note,
        )
        return grinder_of(_added(session, row))


def add_machine(desk: Desk, machine: Machine) -> ShelvedMachine:
    """Put a machine on the shelf; it runs on the simulated stand-in. Raises ConflictError."""
    with transaction(desk.sessions) as session:
        row = MachineRow(name=machine.name, document=machine.written())
        return machine_of(_added(session, row))


def change_coffee(desk: Desk, coffee_id: int, coffee: Coffee) -> ShelvedCoffee:
    """Rewrite a coffee, as when a new bag is opened. Raises NotFoundError, ConflictError."""
    with transaction(desk.sessions) as session:
        row = shelf.read_one(session, CoffeeRow, coffee_id)
        for name, value in coffee.model_dump(exclude={"extra"}).items():
            setattr(row, name, value)
        session.flush()
        return coffee_of(desk, row)


def _added(session: Session, row: Row) -> Row:
    session.add(row)
    session.flush()
    return row
