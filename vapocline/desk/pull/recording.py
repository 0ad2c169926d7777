"""Record a running shot: listen, keep what comes as it comes, notice what goes wrong.

A line that breaks is made again and a database that is gone is waited for; what was heard stays in
memory until it is kept.
"""

from __future__ import annotations

import logging
import secrets
import time
from dataclasses import dataclass, field
from queue import SimpleQueue
from threading import Event as Signal
from threading import Thread

import numpy as np

from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
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
)
from vapocline.core.shot.limits import LONGEST_S, MOST_SAMPLES
from vapocline.core.shot.result import FIRST_DRIP_G
from vapocline.core.shot.traces import Sample
from vapocline.desk.context import Resources
from vapocline.desk.pull.device_events import event_of
from vapocline.desk.pull.keeping import FLUSH_SAMPLES, Sending, close, flush, flush_all
from vapocline.desk.pull.lanes import Lanes
from vapocline.desk.pull.lock import RecordingLock, TakenUpElsewhereError
from vapocline.desk.pull.weights import OurClock, Weights
from vapocline.devices.adapters import open_machine
from vapocline.devices.machine import MachinePort
from vapocline.devices.messages import EndLine, EventLine, SampleLine
from vapocline.store.journal import NumberedEvent

log = logging.getLogger(__name__)
FLUSH_S = 0.045  # what is heard is kept and passed on at least this often: every sample, at 20 Hz
RECONNECT_S = 60.0  # a machine that says nothing new for longer ends the record
RECONNECT_WAIT_S = 0.3
BEGIN_S = 10.0  # in which a machine that did not answer the start may still begin
ALARM_MEMBERS = 60  # behind the ranges that a running shot is compared with
RECOVERY_AFTER = 60  # samples before the puck can be identified


@dataclass
class Recording:
    """A shot being recorded, the lock that says so, and what is heard but not kept yet. Its lines
    for orders are open from the first: a stop never waits for the record to begin."""

    resources: Resources
    shot_id: int
    token: str  # what the machine calls the shot
    plan: Plan
    prediction: Prediction
    address: str
    scale_address: str | None
    scaled: bool  # whether some scale should weigh the cup
    manual: bool
    lock: RecordingLock
    machine: MachinePort | None = None
    recorder: str = field(default_factory=lambda: secrets.token_hex(6))
    weights: Weights | None = None
    clock: OurClock = field(default_factory=OurClock)  # of the machine
    heard: int = 0
    pending: list[Sample] = field(default_factory=list)
    numbers: list[int] = field(default_factory=list)  # of the pending samples
    sending: Sending | None = None
    next_batch: int = 0
    events: list[NumberedEvent] = field(default_factory=list)
    recent: list[Sample] = field(default_factory=list)
    samples: list[Sample] = field(default_factory=list)
    corrections: list[Event] = field(default_factory=list)
    offers: SimpleQueue[RecoveryOffered] = field(default_factory=SimpleQueue)
    lanes: Lanes = field(init=False)
    over: Signal = field(default_factory=Signal)
    closed_by_hand: bool = False
    commander: str | None = None
    watch: AlarmMonitor | None = None
    stop_s: float | None = None
    dripped: bool = False
    sampled: int = 0  # samples of the shot so far, of earlier recorders too
    last_s: float = -1.0  # the time of the last sample, by the machine's clock
    began_at: float = field(default_factory=time.monotonic)
    taken: bool = False
    start_unanswered: bool = False
    recovering: bool = False
    lost_at: float | None = None  # since when the machine says nothing new
    made_at: float | None = None
    flushed_at: float = 0.0
    failed_at: float = 0.0

    def __post_init__(self) -> None:
        """Open the lines for orders and to the scale, and let whoever gives an order find us."""
        self.lanes = Lanes(self.address)
        if self.scale_address is not None:
            self.weights = Weights(self.scale_address)
        self.resources.recordings[self.shot_id] = self

    def note(self, event: Event, number: int | None = None) -> None:
        """Keep an event with the next batch; `number` is the device's, where it said it."""
        self.events.append(NumberedEvent(event, number))

    def close_by_hand(self) -> None:
        """End the record though the machine does not end the shot."""
        self.closed_by_hand = True
        if (machine := self.machine) is not None:
            machine.close()  # whoever listens there wakes

    def release(self) -> None:
        """Close the connections, give up the lock, and stop being the shot's recorder here."""
        if self.resources.recordings.get(self.shot_id) is self:
            del self.resources.recordings[self.shot_id]
        self.lanes.close()
        if self.weights is not None:
            self.weights.close()
        if self.machine is not None:
            self.machine.close()
        self.lock.release()
        self.over.set()


def _alarm_forecast(plan: Plan, prediction: Prediction) -> Prediction:
    """The forecast whose ranges decide whether a running shot raises an alarm.

    For a new coffee its own ranges are too wide for that: a gushing shot would stay within them.
    """
    if plan.setup.dialled_in:
        return prediction
    known = plan.setup.model_copy(update={"dialled_in": True})
    members = min(plan.members, ALARM_MEMBERS)
    return predict(plan.model_copy(update={"setup": known, "members": members}))


def record(recording: Recording) -> None:
    """Listen until the machine says the shot is over; keep what came whatever happens."""
    try:
        trouble = _heard_out(recording)
        saved = flush_all(recording)
        if saved:  # else whoever takes in what was set aside ends it
            close(recording, "done" if trouble is None else "incomplete", trouble)
    except TakenUpElsewhereError as error:
        log.warning("%s What was not kept here is heard again there.", error)
    finally:
        recording.release()


def _heard_out(recording: Recording) -> str | None:
    """Hear the shot out, whatever goes wrong in doing so. Returns what kept it from its end."""
    try:
        _begin_watching(recording)
        return _listen(recording)
    except TakenUpElsewhereError:
        raise
    except Exception:
        log.exception("recording shot %s failed", recording.shot_id)
        return "Recording failed; everything received until then is kept."


def _begin_watching(recording: Recording) -> None:
    recording.watch = AlarmMonitor(
        _alarm_forecast(recording.plan, recording.prediction),
        scaled=recording.scaled,
        relief_bar=recording.plan.setup.machine.relief_bar,
    )


def _listen(recording: Recording) -> str | None:
    """Hear the shot out; a broken line is made again. Returns what kept it from its end."""
    while True:
        try:
            return _hear_on(recording)
        except OrderError as error:
            log.warning("shot %s: %s", recording.shot_id, error)
            if _may_begin(recording):
                time.sleep(RECONNECT_WAIT_S)
                continue
            return "The machine does not have this shot: it was restarted, or pulls another one."
        except DeviceError as error:
            if (trouble := _lost(recording, error)) is not None:
                return trouble
            time.sleep(RECONNECT_WAIT_S)


def _may_begin(recording: Recording) -> bool:
    """Whether a machine that knows nothing of the shot may not have come to its start yet."""
    waited = time.monotonic() - recording.began_at
    return recording.start_unanswered and recording.heard == 0 and waited < BEGIN_S


def _hear_on(recording: Recording) -> str | None:
    """Hear what is not heard yet, to the end. Returns why it stopped before; raises DeviceError."""
    if recording.machine is None:
        recording.machine = open_machine(recording.address)
    if (trouble := _cut_short(recording)) is not None:
        return trouble
    for message in recording.machine.said(recording.heard, recording.token):
        if message is None:
            flush(recording)
            continue
        if recording.lost_at is not None:  # not before it says something new: it may only connect
            recording.note(ConnectionRestored(time_s=_last_s(recording)))
            recording.lost_at = None
        _hear(recording, message)
        if (trouble := _cut_short(recording)) is not None:
            return trouble
    return None


def _lost(recording: Recording, error: DeviceError) -> str | None:
    """Note that the line broke. Returns why it is not made again, if so."""
    if recording.machine is not None:
        recording.machine.close()
        recording.machine = None
    if recording.lost_at is None:
        recording.lost_at = time.monotonic()
        recording.note(ConnectionLost(time_s=_last_s(recording), message=str(error)))
    flush(recording)
    if (trouble := _cut_short(recording)) is not None:
        return trouble
    return str(error) if time.monotonic() - recording.lost_at > RECONNECT_S else None


def _cut_short(recording: Recording) -> str | None:
    """Why a record ends before its machine ends the shot, if it does."""
    if recording.closed_by_hand:
        return "The record was closed by hand."
    ran_s = time.monotonic() - recording.began_at
    if recording.last_s > LONGEST_S or ran_s > LONGEST_S + RECONNECT_S:
        return f"The machine did not end the shot within {LONGEST_S:.0f} s."
    if recording.sampled >= MOST_SAMPLES:
        return f"The machine sent more than {MOST_SAMPLES} samples."
    return None


def _last_s(recording: Recording) -> float:
    """The time of the last sample, for events of the recorder's own."""
    return max(0.0, recording.last_s)


def _hear(recording: Recording, message: SampleLine | EventLine | EndLine) -> None:
    if isinstance(message, SampleLine):
        _sample(recording, message)
    elif isinstance(message, EventLine):
        _event(recording, message)
    if not isinstance(message, EndLine):  # who takes the shot up must hear its end again
        recording.heard = message.seq + 1
    waited = time.monotonic() - recording.flushed_at
    if waited >= FLUSH_S or len(recording.pending) >= FLUSH_SAMPLES:
        flush(recording)


def _sample(recording: Recording, line: SampleLine) -> None:
    if line.t <= recording.last_s:
        log.warning("shot %s: a sample at %g s after one at %g s is left out",
                    recording.shot_id, line.t, recording.last_s)  # fmt: skip
        return
    recording.last_s = line.t
    if line.t > LONGEST_S:
        return  # the record ends here: nothing of ours takes a longer one
    recording.sampled += 1
    sample = Sample(
        time_s=line.t,
        pressure_bar=_or_nan(line.pressure_bar),
        water_in_ml_s=_or_nan(line.water_ml_s),
        cup_g=_weighed(recording, line),
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
        recording.note(FirstDrip(time_s=line.t))
    if recording.watch is not None and recording.stop_s is None:
        for alarm in recording.watch.look(sample):
            _alarm(recording, alarm)


def _weighed(recording: Recording, line: SampleLine) -> float:
    """The weight as the sample was taken, g: by a scale of its own, or the machine's."""
    if recording.weights is None:
        return _or_nan(line.weight_g)
    return recording.weights.at(recording.clock.when(line.at, time.monotonic()))


def _or_nan(value: float | None) -> float:
    return float("nan") if value is None else value


def _event(recording: Recording, line: EventLine) -> None:
    """Take in what the machine reported."""
    event = event_of(line) if line.t <= LONGEST_S else None
    if event is None:
        log.warning("shot %s: the machine reported '%s'", recording.shot_id, line.what)
        return
    recording.note(event, line.seq)
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
        recording.note(FirstDrip(time_s=t, seen_by="hand"))


def _alarm(recording: Recording, alarm: Alarm) -> None:
    """Report an alarm; where the shot has only left its band, look for a correction instead."""
    if alarm != "off_band":
        raised = AlarmRaised(time_s=_last_s(recording), alarm=alarm, message=ALARM_WORDS[alarm])
        recording.note(raised)
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
