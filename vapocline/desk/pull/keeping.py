"""Keep what is heard of a running shot: batch by batch in the database, or in a file of the data
folder while it is away."""

from __future__ import annotations

import logging
import time
from contextlib import suppress
from queue import Empty
from typing import TYPE_CHECKING, Literal, NamedTuple

from sqlalchemy.orm import Session

from vapocline.core.base.problems import UnavailableError
from vapocline.core.shot.events import FirstDrip, RecoveryOffered, Stopped, first_of
from vapocline.core.shot.result import result_of
from vapocline.core.shot.traces import FLOW_WINDOW_S, Sample, traces_of
from vapocline.desk.pull import unsaved
from vapocline.desk.pull.lock import TakenUpElsewhereError
from vapocline.desk.read.shots import stored_traces
from vapocline.store import journal, shots
from vapocline.store.journal import Batch, NumberedEvent
from vapocline.store.learn import ask_to_learn
from vapocline.store.unread import ask_to_read

if TYPE_CHECKING:
    from vapocline.desk.pull.recording import Recording

ShotState = Literal["done", "incomplete"]

log = logging.getLogger(__name__)
FLUSH_SAMPLES = 40  # in one batch
DATABASE_RETRY_S = 0.5
DATABASE_WAIT_S = 10.0  # at the end of a shot: then what is left goes into a file


class Sending(NamedTuple):
    """A batch as first sent, with the pending samples and events it contains. A retry sends the
    same batch: the first may have been stored although the reply was lost."""

    batch: Batch
    samples: list[Sample]
    events: int


def flush(recording: Recording) -> bool:
    """Keep what was heard since the last time; False while the database is away.

    Raises TakenUpElsewhereError.
    """
    recording.events += [NumberedEvent(offer) for offer in _open_offers(recording)]
    if time.monotonic() - recording.failed_at < DATABASE_RETRY_S:
        return not recording.pending and not recording.events
    try:
        while recording.pending or recording.events:
            _send(recording)
    except UnavailableError:
        if not recording.failed_at:
            log.warning("the database is away: shot %s is kept in memory", recording.shot_id)
        recording.failed_at = time.monotonic()
        return False
    recording.failed_at, recording.flushed_at = 0.0, time.monotonic()
    return True


def flush_all(recording: Recording) -> bool:
    """Keep what is left, in a file where the database stays away; False if it went there."""
    gives_up_at = time.monotonic() + DATABASE_WAIT_S
    folder = recording.resources.unsaved
    while not flush(recording):
        if folder is not None and time.monotonic() > gives_up_at:
            while recording.pending or recording.events:
                _set_aside(recording)
            log.warning("the rest of shot %s is kept in %s", recording.shot_id, folder)
            return False
        time.sleep(DATABASE_RETRY_S)
    return True


def _send(recording: Recording) -> None:
    """Keep the next batch. Raises UnavailableError; what the database refuses goes into a file."""
    sending = _next(recording)
    try:
        with recording.lock.transaction() as session:
            journal.write(session, recording.shot_id, sending.batch)
    except (UnavailableError, TakenUpElsewhereError):
        raise
    except Exception:
        log.exception("shot %s: the database refuses a batch", recording.shot_id)
        if recording.resources.unsaved is None:
            raise
        _set_aside(recording)
        return
    _kept(recording, sending)


def _set_aside(recording: Recording) -> None:
    folder = recording.resources.unsaved
    assert folder is not None
    sending = _next(recording)
    unsaved.set_aside(folder, recording.shot_id, sending.batch)
    _kept(recording, sending)


def _next(recording: Recording) -> Sending:
    """The batch that is due: the one that was tried, or the next of what is pending."""
    if recording.sending is None:
        samples = recording.pending[:FLUSH_SAMPLES]
        known = recording.recent + samples
        batch = Batch(
            recorder=recording.recorder,
            number=recording.next_batch,
            columns=_columns(known, len(recording.recent)) if samples else {},
            events=tuple(recording.events),
            heard=_due(recording, len(samples)),
            made_at=recording.made_at,
        )
        recording.sending = Sending(batch, samples, len(recording.events))
    return recording.sending


def _kept(recording: Recording, sending: Sending) -> None:
    """Forget what is kept, but for the samples that the cup's flow is read from."""
    known = recording.recent + sending.samples
    last = known[-1].time_s if known else 0.0
    recording.recent = [sample for sample in known if sample.time_s >= last - FLOW_WINDOW_S]
    del recording.pending[: len(sending.samples)]
    del recording.numbers[: len(sending.samples)]
    del recording.events[: sending.events]
    recording.next_batch += 1
    recording.sending = None


def _due(recording: Recording, samples: int) -> int:
    """Where to listen on from, were we to die now: not past what is still only in memory."""
    left = recording.numbers[samples:]
    return left[0] if left else recording.heard


def _columns(known: list[Sample], before: int) -> dict[str, list[float]]:
    """Channels of the samples after the first few, which are there for the cup's flow only."""
    return {name: values[before:].tolist() for name, values in vars(traces_of(known)).items()}


def _open_offers(recording: Recording) -> list[RecoveryOffered]:
    """Offers computed beside the record; none once the shot was stopped or a hand took over."""
    offers: list[RecoveryOffered] = []
    with suppress(Empty):
        while True:
            offers.append(recording.offers.get_nowait())
    return [] if recording.stop_s is not None or recording.taken else offers


def close(recording: Recording, state: ShotState, trouble: str | None) -> None:
    """End the shot, however long the database stays away, or leave that to who takes it up. Raises
    TakenUpElsewhereError."""
    gives_up_at = time.monotonic() + DATABASE_WAIT_S
    while True:
        try:
            with recording.lock.transaction() as session:
                close_shot(session, recording.shot_id, state, trouble)
            return
        except UnavailableError:
            if recording.resources.unsaved is not None and time.monotonic() > gives_up_at:
                return
            time.sleep(DATABASE_RETRY_S)


def close_shot(session: Session, shot_id: int, state: ShotState, trouble: str | None) -> None:
    """Gather the journal, read the figures off what was recorded, and end the shot."""
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
    row.full_pressure_s = result.full_pressure_s
    row.cup_at_stop_g = result.cup_at_stop_g
    row.last_flow_g_s = result.last_flow_g_s
    row.peak_pressure_bar = result.peak_pressure_bar
    row.water_in_ml = result.water_in_ml
    ask_to_learn(session, row)
    ask_to_read(session)
    shots.notify(session, {"shot": shot_id, "state": state})
