"""What lies in which slot of a machine: nothing there is overwritten unseen."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Name
from vapocline.core.base.problems import ConflictError, NotFoundError, Problem, Refused
from vapocline.core.formats.registry import PROFILE
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import Machine
from vapocline.core.machine.slots import fits, short_name
from vapocline.desk.context import Context
from vapocline.desk.shelf.machines import machine_of
from vapocline.store import profiles, shelf
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow, SlotRow


class Slot(Answer):
    """One slot of a machine; the rest is None while nothing lies in it."""

    number: int
    name: str | None = None
    profile_id: int | None = None
    profile_name: str | None = None
    version: int | None = None
    newest: int | None = None
    stored_at: datetime | None = None


class SlotPlan(Answer):
    """A machine's slots, and a short name for a profile where one was asked for."""

    machine_id: int
    machine_name: str
    slots: list[Slot]
    name_length: int | None
    offered_name: str | None


class Storing(BaseModel):
    """A saved version to put in a slot, and what the user has seen lying there, None for nothing.

    `name` is what the display will show; without one a short name is made.
    """

    model_config = ConfigDict(extra="forbid")

    profile_id: int
    version: int
    name: Name | None = None
    over: str | None = None


def read_slots(context: Context, machine_id: int, profile_id: int | None = None) -> SlotPlan:
    """A machine's slots. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        machine = machine_of(shelf.read_one(session, MachineRow, machine_id))
        offered = None
        if profile_id is not None and machine.program.slots:
            profile = profiles.read_profile(session, profile_id)
            taken = [
                row.name
                for row in shelf.read_slots(session, machine_id)
                if row.version.profile_id != profile_id
            ]
            offered = short_name(profile.name, machine, taken)
        return _plan(session, machine_id, machine, offered)


def _plan(session: Session, machine_id: int, machine: Machine, offered: str | None) -> SlotPlan:
    lying = {row.number: row for row in shelf.read_slots(session, machine_id)}
    heads = {row.profile_id: row.number for row in profiles.read_heads(session)}
    return SlotPlan(
        machine_id=machine_id,
        machine_name=machine.name,
        slots=[
            _slot(number, lying.get(number), heads)
            for number in range(1, max([machine.program.slots, *lying]) + 1)
        ],
        name_length=machine.program.name_length,
        offered_name=offered,
    )


def _slot(number: int, row: SlotRow | None, heads: dict[int, int]) -> Slot:
    if row is None:
        return Slot(number=number)
    return Slot(
        number=number,
        name=row.name,
        profile_id=row.version.profile_id,
        profile_name=row.version.profile.name,
        version=row.version.number,
        newest=heads.get(row.version.profile_id),
        stored_at=row.stored_at,
    )


def store(context: Context, machine_id: int, number: int, storing: Storing) -> SlotPlan:
    """Put a version in a slot.

    Raises ConflictError where something other than what the user saw lies there, Refused for a
    name the display cannot show, a slot there is none of or a profile the machine cannot run.
    """
    with transaction(context.sessions) as session:
        machine = machine_of(shelf.read_one(session, MachineRow, machine_id, lock=True))
        if not 1 <= number <= machine.program.slots:
            taken = (
                f"1 to {machine.program.slots}" if machine.program.slots else "no slot: it has none"
            )
            raise Refused([Problem("slot", str(number), taken)])
        rows = {row.number: row for row in shelf.read_slots(session, machine_id)}
        there = rows.get(number)
        _refuse_unseen(there, storing, number)
        version = profiles.read_version(session, storing.profile_id, storing.version)
        profile = PROFILE.read(version.document)
        problems = machine_problems(profile, machine, under="profile")
        if problems:
            raise Refused(problems)
        others = [row.name for row in rows.values() if row.number != number]
        name = storing.name or short_name(profile.name, machine, others)
        _refuse_name(name, machine, others)
        if there is not None:
            session.delete(there)
            session.flush()
        session.add(
            SlotRow(
                machine_id=machine_id,
                number=number,
                name=name,
                version_id=version.id,
                stored_at=context.now(),
            )
        )
        session.flush()
        session.expire_all()
        return _plan(session, machine_id, machine, None)


def _refuse_unseen(there: SlotRow | None, storing: Storing, number: int) -> None:
    seen = None if there is None else there.name
    if seen == storing.over:
        return
    if there is None:
        raise ConflictError(f"Slot {number} was emptied in the meantime; look again.")
    raise ConflictError(
        f"Slot {number} holds {there.name} ({there.version.profile.name}, version "
        f"{there.version.number}). Confirm to overwrite it."
    )


def _refuse_name(name: str, machine: Machine, others: list[str]) -> None:
    if not fits(name, machine):
        length, signs = machine.program.name_length or 60, machine.program.characters
        kinds = {
            "any": "",
            "plain": ", plain letters and digits",
            "capitals": ", A to Z and digits",
        }
        taken = f"1 to {length} characters{kinds[signs]}"
        raise Refused([Problem("name", f"'{name}'", taken)])
    if name.casefold() in {one.casefold() for one in others}:
        raise Refused([Problem("name", f"'{name}'", "a name that no other slot has")])


def clear(context: Context, machine_id: int, number: int, over: str) -> SlotPlan:
    """Empty a slot that holds what the user saw. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        machine = machine_of(shelf.read_one(session, MachineRow, machine_id, lock=True))
        rows = {row.number: row for row in shelf.read_slots(session, machine_id)}
        if number not in rows:
            raise NotFoundError(f"Slot {number} is empty.")
        if rows[number].name != over:
            raise ConflictError(f"Slot {number} holds {rows[number].name} now; look again.")
        session.delete(rows[number])
        session.flush()
        return _plan(session, machine_id, machine, None)
