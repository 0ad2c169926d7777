"""Machines."""

from __future__ import annotations

import json
from functools import lru_cache

from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.formats.registry import MACHINE
from vapocline.core.machine.calibration.apply import boiler_c
from vapocline.core.machine.care import outdates_calibrations
from vapocline.core.machine.commands import commands_of, levels_of
from vapocline.core.machine.machine import Machine
from vapocline.desk.context import Context
from vapocline.desk.shelf.connections import is_simulated
from vapocline.desk.shelf.etags import etag_of, refuse_stale
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn_again
from vapocline.store.tables import MachineRow


class ShelvedMachine(Machine):
    """A machine with its number, the ETag of what is stored, whether it is simulated or connected,
    and what it takes. On a bench it is as in the mode that is chosen there.

    `levels` is the highest level of each command that has one, in that command's unit.
    """

    id: int
    etag: str
    simulated: bool
    wired: bool
    commands: tuple[str, ...]
    levels: dict[str, float]


class BoilerFor(Answer):
    """What to set a boiler to, °C, for a temperature at the group; None before it is measured."""

    group_c: float
    boiler_c: float | None


def machine_of(row: MachineRow) -> ShelvedMachine:
    """A stored machine as the user sees it."""
    return _machine(row.id, is_simulated(row), row.wired, json.dumps(row.document), None)


def machine_in_mode(row: MachineRow, mode: str | None) -> ShelvedMachine:
    """A stored machine as it is in a mode; in its first where there is none of that name."""
    return _machine(row.id, is_simulated(row), row.wired, json.dumps(row.document), mode or "")


@lru_cache(maxsize=64)
def _machine(
    machine_id: int, simulated: bool, wired: bool, document: str, mode: str | None
) -> ShelvedMachine:
    """Read once: every forecast asks for the bench's machine, and reading one takes a while."""
    stored = MACHINE.read(json.loads(document))
    machine = stored if mode is None else stored.in_mode(mode)
    return ShelvedMachine.model_validate(
        {
            **machine.written(),
            "id": machine_id,
            "etag": etag_of(stored),
            "simulated": simulated,
            "wired": wired,
            "commands": commands_of(machine),
            "levels": levels_of(machine),
        }
    )


def plain_machine(machine: Machine) -> Machine:
    """A machine without what only the shelf says of it, as plans and shots keep it."""
    fields = {name: getattr(machine, name) for name in Machine.model_fields}
    return Machine.model_construct(**fields, **(machine.model_extra or {}))


def list_machines(context: Context) -> list[ShelvedMachine]:
    """Every machine, by name."""
    with transaction(context.sessions) as session:
        return [machine_of(row) for row in shelf.read_all(session, MachineRow)]


def read_machine(context: Context, machine_id: int) -> ShelvedMachine:
    """One machine. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return machine_of(shelf.read_one(session, MachineRow, machine_id))


def boiler_for(context: Context, machine_id: int, group_c: float) -> BoilerFor:
    """What to set a machine's boiler to for a temperature at the group. Raises NotFoundError."""
    machine = read_machine(context, machine_id)
    return BoilerFor(group_c=group_c, boiler_c=boiler_c(machine, group_c))


def add_machine(context: Context, machine: Machine) -> ShelvedMachine:
    """Put a machine on the shelf; it is simulated until connected. Raises ConflictError."""
    with transaction(context.sessions) as session:
        return machine_of(shelve_machine(session, machine))


def shelve_machine(session: Session, machine: Machine) -> MachineRow:
    """A machine's row, written."""
    return shelf.add(session, MachineRow(name=machine.name, document=MACHINE.write(machine)))


def change_machine(
    context: Context, machine_id: int, machine: Machine, seen: str | None = None
) -> ShelvedMachine:
    """Rewrite a machine, as `seen`. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id, lock=True)
        before = MACHINE.read(row.document)
        refuse_stale(before, machine, seen)
        if outdates_calibrations(before, machine):
            row.changed_at = context.now()
        row.name, row.document = machine.name, MACHINE.write(machine)
        ask_to_learn_again(session, row)
        session.flush()
        return machine_of(row)
