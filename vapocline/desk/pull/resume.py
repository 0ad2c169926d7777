"""Shots whose recorder died: recorded on, or closed."""

from __future__ import annotations

import logging
from collections.abc import Container
from threading import Thread

from sqlalchemy.orm import Session

from vapocline.core.base.problems import ConflictError, DeviceError, UnavailableError
from vapocline.core.formats.registry import PLAN, PREDICTION
from vapocline.core.shot.events import (
    FirstDrip,
    RecordingResumed,
    Stopped,
    corrections_in,
    first_of,
)
from vapocline.desk.context import Resources
from vapocline.desk.pull import unsaved
from vapocline.desk.pull.keeping import ShotState, close_shot
from vapocline.desk.pull.lock import RecordingLock
from vapocline.desk.pull.recording import Recording, record
from vapocline.desk.shelf.connections import is_weighed, machine_address, scale_address_of
from vapocline.devices.adapters import open_machine
from vapocline.store import journal, shots
from vapocline.store.database import reading, transaction
from vapocline.store.journal import NumberedEvent
from vapocline.store.tables import ShotRow

log = logging.getLogger(__name__)


def without_recorder(resources: Resources) -> set[int]:
    """Running shots that nobody records at this moment. Raises UnavailableError."""
    with reading(resources.sessions) as session:
        return {
            shot_id
            for shot_id in shots.read_running(session)
            if shot_id not in resources.recordings
            and shots.backend_recording(session, shot_id) is None
        }


def resume_recordings(resources: Resources, only: Container[int] | None = None) -> list[int]:
    """Shots whose recorder died: recorded on where the machine still runs them, else closed as they
    are. Returns the numbers of those closed. Of several processes only those are taken up that were
    without a recorder for a while: one whose connection was lost takes its lock again soon.

    What was set aside in files is taken in first. A shot that cannot be taken up is ended with the
    reason; it keeps no other from being taken up. Raises UnavailableError.
    """
    taken_in = unsaved.take_in(resources)
    with reading(resources.sessions) as session:
        running = list(shots.read_running(session))
    closed = []
    for shot_id in running:
        if shot_id in resources.recordings:  # whatever became of our lock: we make it again
            continue
        if only is not None and shot_id not in only:
            continue
        try:
            if _resumed(resources, shot_id):
                continue
            closed.append(shot_id)
        except UnavailableError:
            raise
        except Exception:
            log.exception("shot %s cannot be taken up", shot_id)
            _end_unread(resources, shot_id)
            closed.append(shot_id)
    for shot_id in set(taken_in) - set(running):
        with transaction(resources.sessions) as session:
            row = shots.read_standing(session, shot_id)
            if row.state != "running":
                state: ShotState = "done" if row.state == "done" else "incomplete"
                close_shot(session, shot_id, state, row.trouble)
    return closed


def _resumed(resources: Resources, shot_id: int) -> bool:
    """Take a shot up, or close it; False if it was closed."""
    lock = RecordingLock(resources.engine)
    recording = None
    try:
        with lock.session() as session:
            if not lock.take(session, shot_id):
                return True  # its recorder lives
            row = shots.read_shot(session, shot_id)
            if row.state != "running":
                return True  # it ended meanwhile
            recording = _taken_up(resources, session, row, lock)
            if recording is None:
                trouble = "Vapocline stopped while this shot ran."
                close_shot(session, shot_id, "incomplete", trouble)
            session.commit()
    except BaseException:
        if recording is not None:
            recording.release()
        raise
    finally:
        if recording is None:
            lock.release()
    if recording is None:
        return False
    Thread(target=record, args=(recording,), name=f"shot-{shot_id}", daemon=True).start()
    return True


def end_orphan(resources: Resources, shot_id: int, trouble: str) -> None:
    """End a running shot that nobody records. Raises NotFoundError, ConflictError."""
    lock = RecordingLock(resources.engine)
    try:
        with lock.session() as session:
            held = lock.take(session, shot_id)
            if shots.read_standing(session, shot_id).state != "running":
                raise ConflictError(f"Shot {shot_id} is over.")
            if not held:
                raise ConflictError(f"Shot {shot_id} is recorded by another process.")
            close_shot(session, shot_id, "incomplete", trouble)
            session.commit()
    finally:
        lock.release()


def _end_unread(resources: Resources, shot_id: int) -> None:
    """End a shot whose record cannot be read; what was received stays in the journal."""
    with transaction(resources.sessions) as session:
        row = shots.read_standing(session, shot_id)
        row.state, row.trouble = "incomplete", "Its record cannot be read; nothing was deleted."
        shots.notify(session, {"shot": shot_id, "state": "incomplete"})


def _taken_up(
    resources: Resources, session: Session, row: ShotRow, lock: RecordingLock
) -> Recording | None:
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
        token=row.token or "",
        plan=PLAN.read(row.plan),
        prediction=PREDICTION.read(row.prediction),
        address=address,
        scale_address=scale,
        scaled=is_weighed(row.machine),
        manual=row.manual,
        lock=lock,
        machine=machine,
        heard=kept.heard,
        sampled=len(kept.columns["time_s"]),
        last_s=t if kept.columns["time_s"] else -1.0,
        events=[NumberedEvent(RecordingResumed(time_s=t))],
        corrections=corrections_in(kept.events),
        dripped=first_of(kept.events, FirstDrip) is not None,
        stop_s=None if stopped is None else stopped.time_s,
        commander=row.commander,
    )
