"""Start a shot: check, arm, start the pump, record."""

from __future__ import annotations

import logging
import secrets
from threading import Thread

from sqlalchemy.orm import Session

from vapocline.core.base.problems import DeviceError, OrderError, Problem, Refused
from vapocline.core.formats.registry import CONDITIONS, PLAN, PREDICTION
from vapocline.core.pull.readiness import missing
from vapocline.desk.context import Context
from vapocline.desk.pull.lanes import ALONE_S
from vapocline.desk.pull.lock import RecordingLock
from vapocline.desk.pull.readiness import hand_of, prepare
from vapocline.desk.pull.recording import Recording, record
from vapocline.desk.pull.request import Arranged, PullRequest, Rehearsal, arranged
from vapocline.desk.shelf.connections import machine_address, scale_address_of
from vapocline.desk.shelf.overshoot import expected_drip_g, overshoot_on
from vapocline.devices.adapters import open_machine, open_scale
from vapocline.devices.line import ANSWER_WAIT_S
from vapocline.devices.machine import MachinePort
from vapocline.devices.messages import GoWrong
from vapocline.store import profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow, ShotRow

log = logging.getLogger(__name__)


def begin_pull(context: Context, request: PullRequest) -> int:
    """Start a shot on the bench's machine and record it in the background; returns its number.

    Raises Refused with everything that is missing and was not waived, DeviceError.
    """
    prepared = prepare(context, request, ANSWER_WAIT_S)
    lacking = [item for item in missing(prepared.items) if item.check not in request.despite]
    if lacking:
        raise Refused(
            [
                Problem(f"checks.{item.check}", item.words, "confirmed or corrected first")
                for item in lacking
            ]
        )
    recording = _begin(context, request)
    Thread(target=record, args=(recording,), name=f"shot-{recording.shot_id}", daemon=True).start()
    return recording.shot_id


def pull(context: Context, request: PullRequest) -> int:
    """Pull a whole shot, unchecked, and return its number once the last drip is in."""
    recording = _begin(context, request)
    record(recording)
    return recording.shot_id


def _begin(context: Context, request: PullRequest) -> Recording:
    """Everything that can refuse comes before the pump: the plan, the line, the machine's word."""
    set_up = arranged(context, request)
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, set_up.bench.machine.id)
        if request.dry and not row.wired:
            raise DeviceError(
                f"{row.name} is not connected: nothing reports when its stages begin."
            )
        address, scale_address = (
            machine_address(context.resources, row),
            scale_address_of(context.resources, row),
        )
        manual, scaled = hand_of(row, set_up.bench.machine) is not None, set_up.conditions.weighed
        _refuse_other_series(session, request)
    machine = open_machine(address)
    recording, lock = None, None
    try:
        lock = RecordingLock(context.resources.engine)
        coffee, grinder = set_up.bench.coffee, set_up.bench.grinder
        prepared = set_up.conditions.preparation
        machine.basket(
            set_up.conditions.tamped,
            coffee="" if coffee is None else coffee.name,
            grinder="" if grinder is None else grinder.name,
            preparation="" if prepared is None else prepared.name,
        )
        machine.load(set_up.plan.profile)
        _rehearse(machine, request.rehearse)
        if scale_address is not None:
            _tare(scale_address)
        with lock.session() as session:
            shot = _row(session, context, request, set_up)
            shot.manual, shot.token = manual, secrets.token_hex(8)
            shot.stop_cue_g = _stop_cue(session, set_up, manual=manual)
            session.add(shot)
            session.flush()
            lock.take(session, shot.id)
            session.commit()
            recording = Recording(
                resources=context.resources,
                shot_id=shot.id,
                token=shot.token,
                plan=set_up.plan,
                prediction=set_up.prediction,
                address=address,
                scale_address=scale_address,
                scaled=scaled,
                manual=manual,
                lock=lock,
                machine=machine,
                commander=request.page or None,
            )
            try:
                machine.start(shot.token, by_hand=manual, alone_s=ALONE_S if row.wired else None)
            except OrderError:
                session.delete(shot)
                session.commit()
                raise
            except DeviceError:
                # It may run all the same: the recorder asks it by the shot's name.
                recording.start_unanswered = True
                log.warning("shot %s: the machine did not answer the start", shot.id)
    except BaseException:
        if recording is not None:
            recording.release()
        else:
            machine.close()
            if lock is not None:
                lock.release()
        raise
    return recording


def _refuse_other_series(session: Session, request: PullRequest) -> None:
    """A series is of one version. Raises NotFoundError, Refused for a pull of another."""
    if request.series_id is None:
        return
    of = shots.read_series(session, request.series_id).version
    if (of.profile_id, of.number) != (request.profile_id, request.number):
        got = f"{request.series_id}, a series of version {of.number} of profile {of.profile_id}"
        raise Refused([Problem("series_id", got, "a series of the version that is pulled")])


def _rehearse(machine: MachinePort, rehearse: Rehearsal | None) -> None:
    if rehearse is not None:
        machine.order(GoWrong(fault=rehearse.fault, at_s=rehearse.at_s, share=rehearse.share))


def _tare(address: str) -> None:
    """Set the scale to zero; one that does not answer is no reason not to pull: that was asked."""
    try:
        scale = open_scale(address)
    except DeviceError:
        return
    try:
        scale.tare()
    except DeviceError:
        pass
    finally:
        scale.close()


def _row(session: Session, context: Context, request: PullRequest, set_up: Arranged) -> ShotRow:
    bench = set_up.bench
    version = profiles.read_version(session, request.profile_id, request.number)
    coffee = None if request.dry else bench.coffee
    grinder = None if request.dry else bench.grinder
    return ShotRow(
        state="running",
        dry=request.dry,
        started_at=context.now(),
        person_id=context.person_id,
        bench_id=context.bench_id,
        version_id=version.id,
        coffee_id=coffee.id if coffee else None,
        bag_id=coffee.bags[0].id if coffee and coffee.bags else None,
        grinder_id=grinder.id if grinder else None,
        machine_id=bench.machine.id,
        preparation_id=bench.preparation.id if bench.preparation and not request.dry else None,
        basket_id=bench.basket.id if bench.basket and not request.dry else None,
        dose_g=set_up.dose_g,
        target_yield_g=bench.yield_g,
        grind_setting=None if request.dry else set_up.grind_setting,
        rest_days=coffee.rest_days if coffee else None,
        water_c=bench.water_c,
        plan=PLAN.write(set_up.plan),
        prediction=PREDICTION.write(set_up.prediction),
        conditions=CONDITIONS.write(set_up.conditions),
        simulated=set_up.conditions.simulated,
        wired=set_up.conditions.wired,
        commander=request.page or None,
        series_id=request.series_id,
        knowledge_id=None if request.dry else bench.knowledge_id,
    )


def _stop_cue(session: Session, set_up: Arranged, *, manual: bool) -> float | None:
    """The weight at which the shot is to be stopped: by hand early, so that what still drips lands
    on the goal. None where the plan names no weight."""
    goal, machine = set_up.plan.profile.stop.cup_g, set_up.plan.setup.machine
    if goal is None or not manual:
        return goal
    overshoot = overshoot_on(session, set_up.bench.machine.id, machine)
    drip = expected_drip_g(set_up.prediction, machine, overshoot, by_hand=True)
    return max(0.0, round(goal - (drip or 0.0), 2))
