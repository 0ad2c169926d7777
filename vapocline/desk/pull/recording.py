"""Record a running shot: listen, keep what comes as it comes, notice what goes wrong.

A line that breaks is made again and a database that is gone is waited for; what was heard stays in
memory until it is kept.
"""

from __future__ import annotations

import logging
import time
from contextlib import suppress
from dataclasses import dataclass, field
from queue import Empty, SimpleQueue
from threading import Event as Signal
from threading import Lock, Thread
from typing import Any

import numpy as np
from sqlalchemy import Connection

from vapocline.core.base.problems import DeviceError, UnavailableError
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.alarms import ALARM_WORDS, AlarmMonitor
from vapocline.core.pull.recovery import find_recovery
from vapocline.core.shot.events import (
    Alarm,
    AlarmRaised,
    ConnectionLost,
    ConnectionRestored,
    Event,
    FirstDrip,
    GivenBack,
    Marked,
    RecoveryOffered,
    Stopped,
    TakenOver,
    corrections_in,
    first_of,
)
from vapocline.core.shot.result import FIRST_DRIP_G, result_of
from vapocline.core.shot.traces import FLOW_WINDOW_S, Sample, traces_of
from vapocline.desk.context import Resources
from vapocline.desk.pull.device_events import event_of
from vapocline.desk.read.shots import stored_traces
from vapocline.devices.adapters import open_machine, open_scale
from vapocline.devices.machine import MachinePort
from vapocline.devices.messages import EndLine, EventLine, SampleLine
from vapocline.store import journal, shots
from vapocline.store.database import hold_connection, session_on, transaction

log = logging.getLogger(__name__)
FLUSH_S = 0.045  # what is heard is kept and passed on at least this often: every sample, at 20 Hz
FLUSH_SAMPLES = 40  # in one row and one message
DATABASE_RETRY_S = 0.5
RECONNECT_S = 20.0  # a device that stays away longer ends the record
RECONNECT_WAIT_S = 0.3
WEIGHT_LASTS_S = 1.0  # a reading older than this is none
RECOVERY_AFTER = 60  # samples before the puck can be identified


class Weights:
    """The newest reading of a scale, followed for as long as a shot is recorded."""

    def __init__(self, address: str) -> None:
        """Follow the scale at an address; while it does not answer there is no reading."""
        self._address = address
        self._newest: tuple[float, float] | None = None
        self._over = Signal()
        self._line: Any = None
        Thread(target=self._follow, name="scale", daemon=True).start()

    def now(self) -> float:
        """The weight, g, or nan while there is none."""
        newest = self._newest
        if newest is None or time.monotonic() - newest[0] > WEIGHT_LASTS_S:
            return float("nan")
        return newest[1]

    def close(self) -> None:
        """Let the scale be."""
        self._over.set()
        if self._line is not None:
            self._line.close()

    def _follow(self) -> None:
        while not self._over.is_set():
            try:
                self._line = open_scale(self._address)
                for reading in self._line.weights():
                    self._newest = (time.monotonic(), reading.weight_g)
            except DeviceError:
                self._over.wait(RECONNECT_WAIT_S)
            finally:
                if self._line is not None:
                    self._line.close()


@dataclass
class Recording:
    """A shot being recorded, the lock that says so, and what is heard but not kept yet."""

    resources: Resources
    shot_id: int
    plan: Plan
    prediction: Prediction
    address: str
    scale_address: str | None
    scaled: bool  # whether some scale should weigh the cup
    manual: bool
    lock_connection: Connection | None
    machine: MachinePort | None = None
    weights: Weights | None = None
    heard: int = 0
    pending: list[Sample] = field(default_factory=list)
    numbers: list[int] = field(default_factory=list)  # of the pending samples
    events: list[Event] = field(default_factory=list)
    recent: list[Sample] = field(default_factory=list)
    samples: list[Sample] = field(default_factory=list)
    corrections: list[Event] = field(default_factory=list)
    offers: SimpleQueue[RecoveryOffered] = field(default_factory=SimpleQueue)
    hands: Lock = field(default_factory=Lock)  # one order at a time over the second line
    hand: MachinePort | None = None
    commander: str | None = None
    watch: AlarmMonitor | None = None
    stop_s: float | None = None
    dripped: bool = False
    taken: bool = False
    recovering: bool = False
    made_at: float | None = None
    flushed_at: float = 0.0
    failed_at: float = 0.0


def record(recording: Recording) -> None:
    """Listen until the machine says the shot is over; keep what came whatever happens."""
    resources, shot_id = recording.resources, recording.shot_id
    resources.recordings[shot_id] = recording
    recording.watch = AlarmMonitor(recording.prediction, scaled=recording.scaled)
    if recording.scale_address is not None and recording.weights is None:
        recording.weights = Weights(recording.scale_address)
    state, trouble = "incomplete", None
    try:
        trouble = _listen(recording)
        state = "done" if trouble is None else "incomplete"
    except Exception:
        log.exception("recording shot %s failed", shot_id)
        trouble = "Recording failed; everything received until then is kept."
    finally:
        if recording.weights:
            recording.weights.close()
        _flush_all(recording)
        _close(recording, state, trouble)
        for line in (recording.machine, recording.hand):
            if line is not None:
                line.close()
        release(recording.lock_connection)
        resources.recordings.pop(shot_id, None)


def release(lock_connection: Connection | None) -> None:
    """Give the lock up with its connection."""
    if lock_connection is not None:
        lock_connection.invalidate()
        lock_connection.close()


def _listen(recording: Recording) -> str | None:
    """Hear the shot out; a broken line is made again. Returns what kept it from its end."""
    lost_at: float | None = None
    while True:
        try:
            if recording.machine is None:
                recording.machine = open_machine(recording.address)
                if lost_at is not None:
                    recording.events.append(ConnectionRestored(time_s=_last_s(recording)))
                    lost_at = None
            for message in recording.machine.said(recording.heard):
                _hear(recording, message)
            return None
        except DeviceError as error:
            if recording.machine is not None:
                recording.machine.close()
                recording.machine = None
            if lost_at is None:
                lost_at = time.monotonic()
                recording.events.append(
                    ConnectionLost(time_s=_last_s(recording), message=str(error))
                )
                _flush(recording)
            if time.monotonic() - lost_at > RECONNECT_S:
                return str(error)
            time.sleep(RECONNECT_WAIT_S)


def _last_s(recording: Recording) -> float:
    """The time of the last sample, for events of the recorder's own."""
    return recording.samples[-1].time_s if recording.samples else 0.0


def _hear(recording: Recording, message: SampleLine | EventLine | EndLine) -> None:
    if isinstance(message, SampleLine):
        _sample(recording, message)
    elif isinstance(message, EventLine):
        _event(recording, message)
    recording.heard = message.seq + 1
    waited = time.monotonic() - recording.flushed_at
    if waited >= FLUSH_S or len(recording.pending) >= FLUSH_SAMPLES:
        _flush(recording)


def _sample(recording: Recording, line: SampleLine) -> None:
    sample = Sample(
        time_s=line.t,
        pressure_bar=_or_nan(line.pressure_bar),
        water_in_ml_s=_or_nan(line.water_ml_s),
        cup_g=recording.weights.now() if recording.weights else _or_nan(line.weight_g),
        group_c=_or_nan(line.group_c),
        commanded=line.commanded,
        control=line.control,
        phase=line.phase,
        by_hand=line.by_hand,
    )
    recording.pending.append(sample)
    recording.numbers.append(line.seq)
    recording.samples.append(sample)
    recording.made_at = line.at
    if not recording.dripped and sample.cup_g >= FIRST_DRIP_G:
        recording.dripped = True
        recording.events.append(FirstDrip(time_s=line.t))
    if recording.watch is not None and recording.stop_s is None:
        for alarm in recording.watch.look(sample):
            _alarm(recording, alarm)


def _or_nan(value: float | None) -> float:
    return float("nan") if value is None else value


def _event(recording: Recording, line: EventLine) -> None:
    """Take in what the machine reported."""
    event = event_of(line)
    if event is None:
        log.warning("shot %s: the machine reported '%s'", recording.shot_id, line.what)
        return
    recording.events.append(event)
    recording.corrections += corrections_in([event])
    match event:
        case Stopped(time_s=time_s):
            recording.stop_s = time_s
        case Marked(mark="first_drip", time_s=time_s):
            _seen_to_drip(recording, time_s)
        case TakenOver() | GivenBack():
            recording.taken = isinstance(event, TakenOver)


def _seen_to_drip(recording: Recording, t: float) -> None:
    """Without a scale the first drip is when a hand marked it."""
    unweighed = not recording.samples or np.isnan(recording.samples[-1].cup_g)
    if unweighed and not recording.dripped:
        recording.dripped = True
        recording.events.append(FirstDrip(time_s=t, seen_by="hand"))


def _alarm(recording: Recording, alarm: Alarm) -> None:
    """Report an alarm; where the shot has only left its band, look for a correction instead."""
    if alarm != "off_band":
        raised = AlarmRaised(time_s=_last_s(recording), alarm=alarm, message=ALARM_WORDS[alarm])
        recording.events.append(raised)
        return
    steered = not recording.manual and not recording.taken
    if steered and not recording.recovering and len(recording.samples) >= RECOVERY_AFTER:
        recording.recovering = True
        Thread(target=_find_recovery, args=(recording,), name="find_recovery", daemon=True).start()


def _find_recovery(recording: Recording) -> None:
    """Identify the puck from what it did; offer what would bring the shot back."""
    try:
        samples, corrections = list(recording.samples), list(recording.corrections)
        found = find_recovery(recording.plan, recording.prediction, corrections, samples)
        if found is not None:
            recording.offers.put(
                RecoveryOffered(
                    time_s=samples[-1].time_s,
                    message=found.words,
                    control=found.control,
                    by=found.nudge,
                )
            )
    except Exception:
        log.exception("no recovery could be computed for shot %s", recording.shot_id)
    finally:
        recording.recovering = False


def _open_offers(recording: Recording) -> list[RecoveryOffered]:
    """Offers computed beside the record; none once the shot was stopped or a hand took over."""
    offers: list[RecoveryOffered] = []
    with suppress(Empty):
        while True:
            offers.append(recording.offers.get_nowait())
    return [] if recording.stop_s is not None or recording.taken else offers


def _flush(recording: Recording) -> bool:
    """Keep what was heard since the last time; False while the database is away."""
    recording.events += _open_offers(recording)
    if not recording.pending and not recording.events:
        return True
    if time.monotonic() - recording.failed_at < DATABASE_RETRY_S:
        return False
    batch = recording.pending[:FLUSH_SAMPLES]
    known = recording.recent + batch
    columns = _columns(known, len(recording.recent)) if batch else {}
    try:
        with transaction(recording.resources.sessions) as session:
            journal.write(
                session,
                recording.shot_id,
                columns,
                recording.events,
                heard=_due(recording, batch),
                made_at=recording.made_at,
            )
    except UnavailableError:
        if not recording.failed_at:
            log.warning("the database is away: shot %s is kept in memory", recording.shot_id)
        recording.failed_at = time.monotonic()
        return False
    if recording.failed_at:
        _hold_again(recording)
    recording.failed_at, recording.flushed_at = 0.0, time.monotonic()
    last = known[-1].time_s if known else 0.0
    recording.recent = [sample for sample in known if sample.time_s >= last - FLOW_WINDOW_S]
    recording.pending, recording.events = recording.pending[len(batch) :], []
    recording.numbers = recording.numbers[len(batch) :]
    return _flush(recording) if recording.pending else True


def _due(recording: Recording, batch: list[Sample]) -> int:
    """Where to listen on from, were we to die now: not past what is still only in memory."""
    left = recording.numbers[len(batch) :]
    return left[0] if left else recording.heard


def _columns(known: list[Sample], before: int) -> dict[str, list[float]]:
    """Channels of the samples after the first few, which are there for the cup's flow only."""
    return {name: values[before:].tolist() for name, values in vars(traces_of(known)).items()}


def _hold_again(recording: Recording) -> None:
    """The lock went with the database's connection: take it again."""
    release(recording.lock_connection)
    recording.lock_connection = hold_connection(recording.resources.engine)
    with session_on(recording.lock_connection) as session:
        shots.hold_recording(session, recording.shot_id)
        session.commit()


def _flush_all(recording: Recording) -> None:
    """What is left, however long the database stays away."""
    while not _flush(recording):
        time.sleep(DATABASE_RETRY_S)


def _close(recording: Recording, state: str, trouble: str | None) -> None:
    while True:
        try:
            close_shot(recording.resources, recording.shot_id, state, trouble)
            return
        except UnavailableError:
            time.sleep(DATABASE_RETRY_S)


def close_shot(resources: Resources, shot_id: int, state: str, trouble: str | None) -> None:
    """Gather the journal, read the figures off what was recorded, and end the shot."""
    with transaction(resources.sessions) as session:
        row = shots.read_shot(session, shot_id)
        journal.settle(session, row)
        events = journal.read_events(session, shot_id)
        stopped, dripped = first_of(events, Stopped), first_of(events, FirstDrip)
        stop_s = None if stopped is None else stopped.time_s
        result = result_of(stored_traces(row), stop_s=stop_s, dose_g=row.dose_g)
        row.state, row.trouble = state, trouble
        row.yield_g = result.yield_g
        row.shot_time_s = result.shot_time_s
        row.first_drip_s = result.first_drip_s
        if row.first_drip_s is None and dripped is not None:
            row.first_drip_s = dripped.time_s
        row.cup_at_stop_g = result.cup_at_stop_g
        row.peak_pressure_bar = result.peak_pressure_bar
        row.water_in_ml = result.water_in_ml
        shots.notify(session, {"shot": shot_id, "state": state})
