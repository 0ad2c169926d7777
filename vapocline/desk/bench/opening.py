"""The first person and the first bench, so that there is somewhere to begin."""

from __future__ import annotations

from sqlalchemy.orm import Session

from vapocline.core.formats.registry import MACHINE
from vapocline.core.machine.machine import REFERENCE, Machine
from vapocline.desk.context import Context, Resources
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import BenchRow, MachineRow, PersonRow

FIRST_PERSON = "Barista"
FIRST_DOSE_G, FIRST_YIELD_G, FIRST_WATER_C = 18.0, 36.0, 93.0


def open_bench(
    resources: Resources, name: str = "Bench 1", machine: Machine = REFERENCE
) -> Context:
    """The first person at their bench; both are made where there is none yet, with a machine."""
    with transaction(resources.sessions) as session:
        person = shelf.read_first_person(session)
        if person is None:
            person = PersonRow(name=FIRST_PERSON)
            session.add(person)
        if person.bench_id is None:
            person.bench_id = _first_bench(session, name, machine).id
        session.flush()
        return Context(resources, person.id, person.bench_id)


def _first_bench(session: Session, name: str, machine: Machine) -> BenchRow:
    """The bench that is there, or a new one with the machine that is there, or with a new one."""
    row = session.query(BenchRow).order_by(BenchRow.id).first()
    if row is None:
        there = session.query(MachineRow).order_by(MachineRow.id).first()
        row = BenchRow(
            name=name,
            machine=there or MachineRow(name=machine.name, document=MACHINE.write(machine)),
            dose_g=FIRST_DOSE_G,
            yield_g=FIRST_YIELD_G,
            water_c=FIRST_WATER_C,
        )
        session.add(row)
        session.flush()
    return row
