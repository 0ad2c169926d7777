"""Calibrate: work out what was measured, keep it dated, and put its numbers to use."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Note
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.formats.registry import CALIBRATION, MACHINE
from vapocline.core.machine.calibration import apply
from vapocline.core.machine.calibration.drift import Drift, drift
from vapocline.core.machine.calibration.fit import CalibrationFit, fitted
from vapocline.core.machine.calibration.measured import (
    SUBJECT_OF,
    Calibration,
    MeasurementKind,
    Subject,
)
from vapocline.core.machine.machine import ValveAhead
from vapocline.desk.context import Context
from vapocline.desk.shelf.coffees import coffee_of
from vapocline.desk.shelf.grinders import grinder_of
from vapocline.desk.shelf.machines import machine_of
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import ask_to_learn_again
from vapocline.store.tables import CalibrationRow, CoffeeRow, GrinderRow, MachineRow


class Measurement(BaseModel):
    """What was measured, and a word on how."""

    model_config = ConfigDict(extra="forbid")

    measured: Calibration
    note: Note = ""


class Kept(Answer):
    """A kept calibration with its fit; `drift` is against the one before it, None for the first."""

    id: int
    what: MeasurementKind
    measured_at: datetime
    in_use: bool
    note: str
    measured: Calibration
    fitted: CalibrationFit
    drift: Drift | None


class Worked(Answer):
    """A measurement worked out before it is kept, and whether it differs from the one in use."""

    fitted: CalibrationFit
    drift: Drift | None


def list_calibrations(context: Context, subject: Subject, subject_id: int) -> list[Kept]:
    """Every calibration of one thing, newest first. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        _subject_row(session, subject, subject_id)
        return _kept(shelf.read_calibrations(session, subject, subject_id))


def _kept(rows: object) -> list[Kept]:
    found: list[Kept] = []
    before: dict[str, CalibrationFit] = {}
    for row in reversed(list(rows)):  # type: ignore[call-overload]
        measured = CALIBRATION.read(row.document)
        now = fitted(measured)
        older = before.get(row.what)
        found.append(
            Kept(
                id=row.id,
                what=row.what,
                measured_at=row.measured_at,
                in_use=row.in_use,
                note=row.note,
                measured=measured,
                fitted=now,
                drift=None if older is None else drift(older, now),
            )
        )
        before[row.what] = now
    return found[::-1]


def work_out(context: Context, subject: Subject, subject_id: int, measured: Calibration) -> Worked:
    """Fit a measurement and compare it with the one in use; nothing is kept. Raises Refused."""
    with transaction(context.sessions) as session:
        _refuse_misplaced(session, subject, subject_id, measured)
        rows = shelf.read_calibrations(session, subject, subject_id)
    found = fitted(measured)
    used = [row for row in rows if row.what == measured.what and row.in_use]
    if not used:
        return Worked(fitted=found, drift=None)
    before = fitted(CALIBRATION.read(used[0].document))
    return Worked(fitted=found, drift=drift(before, found))


def keep(context: Context, subject: Subject, subject_id: int, made: Measurement) -> list[Kept]:
    """Keep a calibration and put it to use; older ones stay. Raises Refused, NotFoundError."""
    with transaction(context.sessions) as session:
        _subject_row(session, subject, subject_id, lock=True)
        _refuse_misplaced(session, subject, subject_id, made.measured)
        fitted(made.measured)  # refused before anything is written
        row = CalibrationRow(
            what=made.measured.what,
            document=CALIBRATION.write(made.measured),
            note=made.note,
            measured_at=context.now(),
            **{f"{subject}_id": subject_id},
        )
        session.add(row)
        session.flush()
        _put_to_use(context, session, subject, subject_id, row)
        return _kept(shelf.read_calibrations(session, subject, subject_id))


def use(context: Context, calibration_id: int) -> list[Kept]:
    """Go back to an older calibration. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_calibration(session, calibration_id)
        subject = SUBJECT_OF[row.what]  # type: ignore[index]
        subject_id = getattr(row, f"{subject}_id")
        _put_to_use(context, session, subject, subject_id, row)
        return _kept(shelf.read_calibrations(session, subject, subject_id))


def _put_to_use(
    context: Context, session: Session, subject: Subject, subject_id: int, row: CalibrationRow
) -> None:
    for other in shelf.read_calibrations(session, subject, subject_id):
        if other.what == row.what and other.id != row.id:
            other.in_use = False
    session.flush()  # the one in use before gives way first: the database allows but one
    row.in_use = True
    measured = CALIBRATION.read(row.document)
    found = fitted(measured)
    owner = _subject_row(session, subject, subject_id, lock=True)
    if isinstance(owner, MachineRow):
        machine = apply.on_machine(MACHINE.read(owner.document), measured.what, found)
        owner.document = MACHINE.write(machine)
    elif isinstance(owner, CoffeeRow):
        coffee = apply.on_coffee(coffee_of(context, owner), found)
        owner.crema_ml_per_g = coffee.crema_ml_per_g
    else:
        grinder = apply.on_grinder(grinder_of(owner), found)
        owner.settings, owner.grind_um = list(grinder.settings), list(grinder.grind_um)
    ask_to_learn_again(session, owner)
    session.flush()


def _subject_row(
    session: Session, subject: Subject, subject_id: int, *, lock: bool = False
) -> MachineRow | CoffeeRow | GrinderRow:
    if subject == "machine":
        return shelf.read_one(session, MachineRow, subject_id, lock=lock)
    if subject == "coffee":
        return shelf.read_one(session, CoffeeRow, subject_id, lock=lock)
    return shelf.read_one(session, GrinderRow, subject_id, lock=lock)


def _refuse_misplaced(
    session: Session, subject: Subject, subject_id: int, measured: Calibration
) -> None:
    """A calibration belongs to one kind of thing, a valve's to a machine that has one."""
    row = _subject_row(session, subject, subject_id)
    if SUBJECT_OF[measured.what] != subject:
        taken = f"what a {subject} is calibrated for"
        raise Refused([Problem("measured.what", f"'{measured.what}'", taken)])
    if measured.what == "valve" and isinstance(row, MachineRow):
        machine = machine_of(row)
        if not isinstance(machine.control, ValveAhead):
            taken = f"what {machine.name} has: it has no needle valve"
            raise Refused([Problem("measured.what", "'valve'", taken)])
