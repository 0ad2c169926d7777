"""A finished shot read: what its curve says, and how it lies among its repeats."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from datetime import datetime
from threading import Lock
from typing import NamedTuple

import numpy as np
from sqlalchemy.orm import Session

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.coffee.grinder import setting_on
from vapocline.core.formats.registry import PLAN, PREDICTION
from vapocline.core.puck.plan import Plan
from vapocline.core.read.findings import Finding
from vapocline.core.read.pulled import Seen
from vapocline.core.read.reading import Circumstances, Earlier, Reading, earlier_of, read_curve
from vapocline.core.read.repeats import (
    Alignment,
    Band,
    Pull,
    Repeat,
    band_of,
    moment_s,
    repeatability,
    within_forecast_pct,
)
from vapocline.core.shot.events import Event, Marked, Stopped, events_of, first_of
from vapocline.core.shot.traces import Traces
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, finished, line_of, measured_yield, stored_traces
from vapocline.store import journal, shots
from vapocline.store.database import Sessions, transaction
from vapocline.store.tables import GrinderRow, ShotRow

EARLIER = 3  # pulls of the same coffee that tell what is usual for it
REPEATS = 8  # pulls of the same version that make its band
MOST_OVER = 6
KEPT = 128


class ShotReading(Answer):
    """What the curve says, how it repeats, and which earlier pulls of its version there are.

    `against` are the shots of the same coffee it was read against; `within_forecast_pct` is the
    share of its time within the forecast's ranges, None where nothing was measured. `pumped_ml`
    and `cup_risen_g` grow along the traces' clock: what else a chart can count along.
    """

    reading: Reading
    against: list[int]
    within_forecast_pct: float | None
    repeats: list[Repeat]
    of_version: list[ShotLine]
    pumped_ml: list[float]
    cup_risen_g: list[float]


class Overlay(Answer):
    """A shot over the one that is read: `shift_s` moves its clock onto that one's."""

    shot: ShotLine
    shift_s: float | None


class Overlays(Answer):
    """Shots aligned on a moment; `band` of the version's other pulls where there are two."""

    alignment: Alignment
    at_s: float | None
    over: list[Overlay]
    band: Band | None


def read_reading(context: Context, shot_id: int) -> ShotReading:
    """Read a shot's curve. Raises NotFoundError, ConflictError while it runs."""
    read = curve_of(context.sessions, shot_id)
    row = read.row
    this, prediction, traces = _pull(row), PREDICTION.read(row.prediction), stored_traces(row)
    return ShotReading(
        reading=read.reading,
        against=read.against,
        within_forecast_pct=within_forecast_pct(this, prediction),
        repeats=repeatability(this, [_pull(one) for one in read.of_version]),
        of_version=[line_of(one) for one in read.of_version],
        pumped_ml=_pumped(traces).round(2).tolist(),
        cup_risen_g=_risen(traces).round(2).tolist(),
    )


class ReadCurve(NamedTuple):
    """A shot with what its curve says, shots that it was read against, and its version's others."""

    row: ShotRow
    reading: Reading
    against: list[int]
    of_version: Sequence[ShotRow]


def curve_of(sessions: Sessions, shot_id: int) -> ReadCurve:
    """Read a shot's curve. Raises NotFoundError, ConflictError while it runs."""
    with transaction(sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        known = _circumstances(row, journal.read_events(session, shot_id))
        before = shots.read_of_coffee_before(session, row, limit=EARLIER)
        earlier = [(one, _earlier(session, one, same=one.version_id == row.version_id))
                   for one in before]  # fmt: skip
        others = shots.read_of_version(session, row, limit=REPEATS)
    lent = [(one.id, found) for one, found in earlier if found is not None]
    traces, plan = stored_traces(row), _plan(row)
    if row.plan_known:
        reading = read_curve(traces, plan, known, [found for _id, found in lent])
    else:  # then no pull is known to be one of the same
        lent = []
        reading = read_curve(traces, None, known._replace(setup=plan.setup))
    if row.grinder is not None:
        findings = [_with_setting(one, row.grinder) for one in reading.findings]
        reading = reading.model_copy(update={"findings": findings})
    return ReadCurve(row, reading, [number for number, _found in lent], others)


def read_overlays(
    context: Context, shot_id: int, alignment: Alignment, over: list[int]
) -> Overlays:
    """Shots laid over one, aligned on a moment of each. Raises NotFoundError, ConflictError."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        laid = [finished(shots.read_shot(session, one)) for one in over[:MOST_OVER]]
        others = shots.read_of_version(session, row, limit=REPEATS)
    this = _pull(row)
    own = moment_s(this, alignment)
    return Overlays(
        alignment=alignment,
        at_s=own,
        over=[Overlay(shot=line_of(one), shift_s=_shift(own, _pull(one), alignment))
              for one in laid],
        band=band_of(this, [_pull(one) for one in others], alignment),
    )  # fmt: skip


def _with_setting(finding: Finding, grinder: GrinderRow) -> Finding:
    """A change of grind with the grinder's setting for it."""
    change = finding.change
    if change is None or change.number != "grind_um":
        return finding
    setting = setting_on(grinder, change.value)
    return finding.model_copy(update={"change": change.model_copy(update={"setting": setting})})


def _pumped(traces: Traces) -> Floats:
    steps = np.diff(traces.time_s, prepend=0.0)
    return np.cumsum(np.maximum(0.0, np.nan_to_num(traces.water_in_ml_s)) * steps)


def _risen(traces: Traces) -> Floats:
    return np.maximum.accumulate(np.maximum(0.0, np.nan_to_num(traces.cup_g)))


def _shift(own: float | None, other: Pull, alignment: Alignment) -> float | None:
    theirs = moment_s(other, alignment)
    return None if own is None or theirs is None else round(own - theirs, 2)


def _plan(row: ShotRow) -> Plan:
    return PLAN.read(row.plan)


def _pull(row: ShotRow) -> Pull:
    return Pull(
        traces=stored_traces(row),
        shot_time_s=row.shot_time_s,
        first_drip_s=row.first_drip_s,
        full_pressure_s=row.full_pressure_s,
        yield_g=row.yield_g,
        peak_pressure_bar=row.peak_pressure_bar,
        tds_pct=row.tds_pct,
        extraction_yield_pct=measured_yield(row),
    )


def _circumstances(row: ShotRow, events: list[Event]) -> Circumstances:
    stopped = first_of(events, Stopped)
    return Circumstances(
        stop_s=row.shot_time_s,
        stopped_by=None if stopped is None else stopped.reason,
        by_hand=row.manual,
        marks=tuple(Seen(one.time_s, one.mark) for one in events_of(events, Marked)),
        target_g=(row.stop_cue_g if row.manual else PLAN.read(row.plan).profile.stop.cup_g),
    )


# What an earlier pull lends never changes, but takes as long as reading it: the newest are kept.
_lent: OrderedDict[tuple[int, datetime], Earlier | None] = OrderedDict()
_lending = Lock()


def _earlier(session: Session, row: ShotRow, *, same: bool) -> Earlier | None:
    """What an earlier pull lends; of another version only what its puck was like."""
    key = (row.id, row.started_at)
    with _lending:
        known = key in _lent
        found = _lent.get(key)
    if not known:
        events = journal.read_events(session, row.id)
        found = earlier_of(stored_traces(row), _plan(row), _circumstances(row, events))
        with _lending:
            _lent[key] = found
            while len(_lent) > KEPT:
                _lent.popitem(last=False)
    if found is None or same:
        return found
    return found._replace(press_s=None, gap_more_ml=None)
