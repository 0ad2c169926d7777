"""Shots whose recorder died: recorded on, or closed."""

from __future__ import annotations

from threading import Thread

from sqlalchemy.orm import Session

from vapocline.core.base.problems import DeviceError
from vapocline.core.formats.registry import PLAN, PREDICTION
from vapocline.core.shot.events import (
    FirstDrip,
    RecordingResumed,
    Stopped,
    corrections_in,
    first_of,
)
from vapocline.desk.context import Resources
from vapocline.desk.pull.recording import Recording, close_shot, record, release
from vapocline.desk.shelf.connections import is_weighed, machine_address, scale_address_of
from vapocline.devices.adapters import open_machine
from vapocline.store import journal, shots
from vapocline.store.database import hold_connection, session_on
from vapocline.store.tables import ShotRow


def resume_recordings(resources: Resources) -> list[int]:
    """Shots whose recorder died: recorded on where the machine still runs them, else closed as they
    are. Returns the numbers of those closed."""
    closed = []
    with resources.sessions() as session:
        running = list(shots.read_running(session))
    for shot_id in running:
        lock_connection = hold_connection(resources.engine)
        with session_on(lock_connection) as session:
            if not shots.hold_recording(session, shot_id):
                release(lock_connection)
                continue  # its recorder lives
            row = shots.read_shot(session, shot_id)
            taken_up = _taken_up(resources, session, row)
            session.commit()
        if taken_up is None:
            close_shot(resources, shot_id, "incomplete", "Vapocline stopped while this shot ran.")
            release(lock_connection)
            closed.append(shot_id)
        else:
            taken_up.lock_connection = lock_connection
            Thread(target=record, args=(taken_up,), name=f"shot-{shot_id}", daemon=True).start()
    return closed


def _taken_up(resources: Resources, session: Session, row: ShotRow) -> Recording | None:
    """The recording of a shot that its machine still remembers, ready to go on; else None."""
    try:
        address, scale = (
            machine_address(resources, row.machine),
            scale_address_of(resources, row.machine),
        )
        machine = open_machine(address)
    except DeviceError:
        return None
    try:
        known = row.token is not None and machine.status().shot == row.token
    except DeviceError:
        known = False
    if not known:
        machine.close()
        return None
    kept = journal.read(session, row)
    stopped = first_of(kept.events, Stopped)
    t = kept.columns["time_s"][-1] if kept.columns["time_s"] else 0.0
    return Recording(
        resources=resources,
        shot_id=row.id,
        plan=PLAN.read(row.plan),
        prediction=PREDICTION.read(row.prediction),
        address=address,
        scale_address=scale,
        scaled=is_weighed(row.machine),
        manual=row.manual,
        lock_connection=None,
        machine=machine,
        heard=kept.heard,
        events=[RecordingResumed(time_s=t)],
        corrections=corrections_in(kept.events),
        dripped=first_of(kept.events, FirstDrip) is not None,
        stop_s=None if stopped is None else stopped.time_s,
        commander=row.commander,
    )
