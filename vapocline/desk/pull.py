"""Pull a shot: hand the profile to the machine, record what comes, keep it as it comes."""

from __future__ import annotations

import logging
import time
from dataclasses import dataclass, field
from threading import Thread
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict
from sqlalchemy import Connection
from sqlalchemy.orm import Session

from vapocline.core.plan import Plan
from vapocline.core.problems import ConflictError, DeviceError
from vapocline.core.shot import (
    FIRST_DRIP_G,
    FLOW_WINDOW_S,
    Sample,
    Traces,
    cup_flow_ml_s,
    result_of,
    traces_of,
)
from vapocline.desk.bench import TRIES, Bench, cached_prediction, plan_for, read_bench
from vapocline.desk.context import Desk
from vapocline.desk.profiles import read_version
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import EndLine, EventLine, SampleLine
from vapocline.store import profiles, shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import MachineRow, ShotRow

log = logging.getLogger(__name__)

FLUSH_S = 0.1  # what is heard is written and passed on at least this often
FLUSH_SAMPLES = 40


class PullRequest(BaseModel):
    """Which saved version to pull on the bench."""

    model_config = ConfigDict(extra="forbid")

    profile_id: int
    number: int


@dataclass
class Recording:
    """A shot being recorded: the machine's line, the lock that says so, what is not kept yet."""

    desk: Desk
    shot_id: int
    dose_g: float
    machine: LineMachine
    keeper: Connection
    pending: list[Sample] = field(default_factory=list)
    events: list[dict[str, Any]] = field(default_factory=list)
    recent: list[Sample] = field(default_factory=list)
    stop_s: float | None = None
    dripped: bool = False
    flushed_at: float = 0.0


def begin_pull(desk: Desk, request: PullRequest) -> int:
    """Start a shot on the bench's machine and record it in the background; returns its number."""
    recording = _begin(desk, request)
    Thread(target=_record, args=(recording,), name=f"shot-{recording.shot_id}", daemon=True).start()
    return recording.shot_id


def pull(desk: Desk, request: PullRequest) -> int:
    """Pull a whole shot and return its number once the last drip is in."""
    recording = _begin(desk, request)
    _record(recording)
    return recording.shot_id


def stop_pull(desk: Desk, shot_id: int) -> None:
    """End a running shot now. Raises NotFoundError, ConflictError if it is over, DeviceError."""
    with _line_to(desk, shot_id) as machine:
        machine.stop()


def signal_pull(desk: Desk, shot_id: int) -> None:
    """Give the hand signal that a phase may wait for. Raises as `stop_pull`."""
    with _line_to(desk, shot_id) as machine:
        machine.next_phase()


def _line_to(desk: Desk, shot_id: int) -> LineMachine:
    with transaction(desk.sessions) as session:
        row = shots.read_shot(session, shot_id)
        if row.state != "running":
            raise ConflictError(f"Shot {shot_id} is over.")
        address = row.machine.address
    return connect(desk, address)


def connect(desk: Desk, address: str | None) -> LineMachine:
    """The line to a machine, the simulated one without an address. Raises DeviceError."""
    where = address or desk.simulated_machine
    if where is None:
        raise DeviceError("No simulated machine runs; start Vapocline with ./vapo start.")
    return LineMachine(where)


def _begin(desk: Desk, request: PullRequest) -> Recording:
    """Everything that can refuse comes before the pump: the plan, the line, the machine's word."""
    bench = read_bench(desk)
    version = read_version(desk, request.profile_id, request.number)
    plan, _ = plan_for(bench, version.profile, TRIES)
    forecast = cached_prediction(plan.model_dump_json(by_alias=True))
    with transaction(desk.sessions) as session:
        address = shelf.read_one(session, MachineRow, bench.machine.id).address
    machine = connect(desk, address)
    keeper = desk.engine.connect()  # one connection throughout: the lock lives and dies with it
    try:
        machine.basket(plan.setup)
        machine.load(plan.profile)
        with Session(keeper, expire_on_commit=False) as session:
            row = _row(session, bench, request, plan)
            row.started_at = desk.now()
            row.forecast = forecast.model_dump(mode="json", by_alias=True)
            session.add(row)
            session.flush()
            shots.hold_recording(session, row.id)
            session.commit()
            try:
                machine.start()
            except DeviceError:
                session.delete(row)
                session.commit()
                raise
    except BaseException:
        machine.__exit__(None, None, None)
        keeper.invalidate()
        raise
    return Recording(desk, row.id, bench.dose_g, machine, keeper)


def _row(session: Session, bench: Bench, request: PullRequest, plan: Plan) -> ShotRow:
    version = profiles.read_version(session, request.profile_id, request.number)
    return ShotRow(
        state="running",
        version_id=version.id,
        coffee_id=bench.coffee.id if bench.coffee else None,
        bag_id=bench.coffee.bags[0].id if bench.coffee and bench.coffee.bags else None,
        grinder_id=bench.grinder.id if bench.grinder else None,
        machine_id=bench.machine.id,
        dose_g=bench.dose_g,
        yield_g=bench.yield_g,
        grind_setting=bench.grind_setting,
        rest_days=bench.coffee.rest_days if bench.coffee else None,
        water_c=bench.water_c,
        plan=plan.written(),
    )


def _record(recording: Recording) -> None:
    """Listen until the machine says the shot is over; keep what came whatever happens."""
    state, trouble = "incomplete", None
    try:
        with recording.machine:
            for message in recording.machine.said():
                _hear(recording, message)
        state = "done"
    except DeviceError as error:
        trouble = str(error)
    except Exception:
        log.exception("recording shot %s failed", recording.shot_id)
        trouble = "Recording failed; what had come until then is kept."
    finally:
        _flush(recording)
        close_shot(recording.desk, recording.shot_id, state, trouble, recording.stop_s)
        recording.keeper.invalidate()  # gives the lock up with the connection
        recording.keeper.close()


def _hear(recording: Recording, message: SampleLine | EventLine | EndLine) -> None:
    if isinstance(message, SampleLine):
        recording.pending.append(
            Sample(
                time_s=message.t,
                pressure_bar=message.pressure_bar,
                water_in_ml_s=message.water_ml_s,
                cup_g=message.weight_g,
                group_c=message.group_c,
                commanded=message.commanded,
                control=message.control,
                phase=message.phase,
            )
        )
        if not recording.dripped and message.weight_g >= FIRST_DRIP_G:
            recording.dripped = True
            recording.events.append({"t": message.t, "what": "first_drip"})
    elif isinstance(message, EventLine):
        recording.events.append(
            {
                "t": message.t,
                "what": message.what,
                "phase": message.phase,
                "because": message.because,
            }
        )
        if message.what == "stop":
            recording.stop_s = message.t
    waited = time.monotonic() - recording.flushed_at
    if waited >= FLUSH_S or len(recording.pending) >= FLUSH_SAMPLES:
        _flush(recording)


def _flush(recording: Recording) -> None:
    """Write what was heard since the last time; the cup's flow needs a little of the past."""
    if not recording.pending and not recording.events:
        return
    before = len(recording.recent)
    known = recording.recent + recording.pending
    columns = (
        {name: values[before:].tolist() for name, values in vars(traces_of(known)).items()}
        if recording.pending
        else {}
    )
    with transaction(recording.desk.sessions) as session:
        shots.append(session, recording.shot_id, columns, recording.events)
    recording.flushed_at = time.monotonic()
    last = known[-1].time_s if known else 0.0
    recording.recent = [sample for sample in known if sample.time_s >= last - FLOW_WINDOW_S]
    recording.pending, recording.events = [], []


def close_shot(
    desk: Desk, shot_id: int, state: str, trouble: str | None, stop_s: float | None
) -> None:
    """Read the figures off what was recorded and end the shot."""
    with transaction(desk.sessions) as session:
        row = shots.read_shot(session, shot_id)
        traces = _stored(row)
        result = result_of(traces, stop_s=stop_s, dose_g=row.dose_g)
        row.state, row.trouble = state, trouble
        row.drink_g = result.cup_g
        row.shot_time_s = result.shot_time_s
        row.first_drip_s = result.first_drip_s
        row.cup_at_stop_g = result.cup_at_stop_g
        row.peak_pressure_bar = result.peak_pressure_bar
        row.water_in_ml = result.water_in_ml
        shots.notify(session, {"shot": shot_id, "state": state})


def _stored(row: ShotRow) -> Traces:
    time_s, cup_g = np.array(row.time_s), np.array(row.cup_g)
    return Traces(
        time_s=time_s,
        pressure_bar=np.array(row.pressure_bar),
        water_in_ml_s=np.array(row.water_in_ml_s),
        cup_out_ml_s=cup_flow_ml_s(time_s, cup_g),
        cup_g=cup_g,
        group_c=np.array(row.group_c),
        commanded=np.array(row.commanded),
        phase=np.array(row.phase),
    )


def close_orphans(desk: Desk) -> list[int]:
    """End shots whose recorder died with its process; returns their numbers."""
    closed = []
    with desk.sessions() as session:
        for shot_id in shots.read_running(session):
            if shots.hold_recording(session, shot_id):
                close_shot(
                    desk, shot_id, "incomplete", "Vapocline stopped while this shot ran.", None
                )
                shots.release_recording(session, shot_id)
                closed.append(shot_id)
    return closed
