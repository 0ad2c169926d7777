"""What was observed of a shot set against the model run as the shot was run: residuals over what
the gauges and the model are off anyway."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from vapocline.core.base.arrays import Floats
from vapocline.core.base.cancellation import check_cancelled
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.parameters import Parameters, moved, parameters_for
from vapocline.core.puck.parameters import record_of as numbers_of
from vapocline.core.puck.plan import Plan, knowing
from vapocline.core.puck.predict import CELLS, STEP_S
from vapocline.core.puck.program import Program, program_of
from vapocline.core.puck.ranges import MEMBER_CELLS, MEMBER_STEP_S
from vapocline.core.read.commands import FREE, along_pressure, as_commanded, says_commands
from vapocline.core.read.record import GRID_S, Record, box_mean, lagged, record_of

EVERY_S = 0.5  # a residual
# What the gauges and the model are off at a moment; and neighbours say nearly the same, as what a
# pull does unlike the model lasts for seconds: each counts for a ninth. `./vapo bench learn` was
# tried with 1.5 to 8.
CORRELATED = 3.0
BAR, ML_S, G = 0.25 * CORRELATED, 0.2 * CORRELATED, 0.5 * CORRELATED
TDS_PCT = 0.12
TIMED_G = 2.0  # of a shot of which only time and drink are known: a second's flow
GAUGE_LAG_S = 0.2
SMOOTHED_S = 0.4


class Grid(NamedTuple):
    """How finely the model is run."""

    cells: int
    step_s: float


FINE, COARSE = Grid(CELLS, STEP_S), Grid(MEMBER_CELLS, MEMBER_STEP_S)


class ObservedTrace(NamedTuple):
    """One measured channel: where on the grid, what was measured, and the residual's unit."""

    column: int
    at: NDArray[np.intp]
    measured: Floats
    unit: float


class Observed(NamedTuple):
    """A shot made ready: its program as it ran, the puck as assumed, what was measured.

    `record_s` is how long it was recorded; `yield_g` stands in where no channel was recorded.
    """

    name: str
    program: Program
    nominal: Parameters
    channels: tuple[ObservedTrace, ...]
    record_s: float
    yield_g: float | None
    tds_pct: float | None
    preparation: str = ""
    basket: str = ""

    @property
    def residuals(self) -> int:
        """How many residuals it has."""
        timed = self.yield_g is not None and not self.channels
        gauges = sum(channel.at.size for channel in self.channels)
        return gauges + timed + (self.tds_pct is not None)


def observed(shot: LoggedShot) -> Observed:
    """A shot that counts, made ready for residuals."""
    plan = knowing(shot.plan, None)
    nominal = parameters_for(plan.setup)
    record = None if shot.traces is None else record_of(shot.traces, shot.shot_time_s)
    if record is not None and record.known & {"cup", "water"}:
        if says_commands(record) and not shot.by_hand:
            return _recorded(shot, record, _asked(record, plan, nominal), nominal)
        if "pressure" in record.known:
            free = nominal._replace(**FREE)
            return _recorded(shot, record, along_pressure(record, free), free)
    return _timed(shot, nominal)


def _asked(record: Record, plan: Plan, nominal: Parameters) -> Program:
    return as_commanded(record, program_of(plan.profile, plan.setup.machine), nominal)


def _timed(shot: LoggedShot, nominal: Parameters) -> Observed:
    """Only how long it ran and what was in the cup: the plan, stopped then."""
    stop_s = shot.shot_time_s or 0.0
    program = program_of(shot.plan.profile, shot.plan.setup.machine)._replace(
        stop_cup_g=math.inf, stop_water_ml=math.inf, stop_time_s=stop_s
    )
    return Observed(
        shot.name, program, nominal, (), stop_s + columns.TAIL_S, shot.yield_g, shot.tds_pct,
        shot.preparation, shot.basket,
    )  # fmt: skip


def _recorded(shot: LoggedShot, record: Record, program: Program, nominal: Parameters) -> Observed:
    every = round(EVERY_S / GRID_S)
    at = np.arange(every, record.time_s.size, every)
    inside = np.zeros(record.time_s.size, dtype=bool)
    for gap in record.gaps:
        inside |= (record.time_s > gap.from_s) & (record.time_s < gap.to_s)
    at = at[~inside[at]]
    ran = at[record.time_s[at] < record.stop_s - EVERY_S / 2]
    dripped = at[record.time_s[at] <= record.stop_s + columns.TAIL_S]
    wanted = (
        ("pressure", record.pressure_bar, columns.S_P, BAR, ran),
        ("water", record.water_ml_s, columns.S_Q_IN, ML_S, ran),
        ("cup", record.cup_g, columns.S_CUP, G, dripped),
    )
    followed = nominal.pump_max_bar == FREE["pump_max_bar"]
    channels = []
    for name, values, column, unit, where in wanted:
        if name not in record.known or (followed and name == "pressure"):
            continue
        known = where[np.isfinite(values[where])]
        channels.append(ObservedTrace(column, known, box_mean(values, SMOOTHED_S)[known], unit))
    return Observed(
        shot.name, program, nominal, tuple(channels), float(record.time_s[-1]), None, shot.tds_pct,
        shot.preparation, shot.basket,
    )  # fmt: skip


def residuals(one: Observed, values: Mapping[str, float], grid: Grid) -> Floats:
    """What was measured less what the model shows, each over its unit. Raises Cancelled."""
    check_cancelled()
    p = moved(one.nominal, values)
    state, samples = _run(one, p, grid)
    lag_s = GAUGE_LAG_S * math.exp(values.get("gauge lag", 0.0))
    found = [_of_channel(channel, samples, p, values, lag_s) for channel in one.channels]
    solids = float(state.now[columns.CUP_0 : columns.CUP_2 + 1].sum())
    cup_g = float(state.now[columns.CUP_WATER]) + solids
    if one.yield_g is not None and not one.channels:
        found.append(np.array([(one.yield_g - cup_g) / TIMED_G]))
    if one.tds_pct is not None:
        tds = 100 * solids / cup_g if cup_g > 1 else 0.0
        found.append(np.array([(one.tds_pct - tds) / TDS_PCT]))
    return np.concatenate(found)


def _of_channel(
    channel: ObservedTrace,
    samples: Floats,
    p: Parameters,
    values: Mapping[str, float],
    lag_s: float,
) -> Floats:
    shown = samples[:, channel.column]
    if channel.column == columns.S_P:
        shown = lagged(shown, lag_s) + values.get("gauge offset", 0.0)
    elif channel.column == columns.S_Q_IN:
        shown = lagged(shown, lag_s) * math.exp(values.get("meter", 0.0))
    else:
        shown = lagged(shown, p.scale_lag_s + lag_s)
    off: Floats = (channel.measured - box_mean(shown, SMOOTHED_S)[channel.at]) / channel.unit
    return off


def _run(one: Observed, p: Parameters, grid: Grid) -> tuple[columns.State, Floats]:
    """The model run as the shot was, on the record's grid; past the last drip it stands still."""
    rows = int((one.program.stop_time_s + columns.TAIL_S) / GRID_S) + 2
    state = columns.fresh_state(p, one.program.control.size, grid.cells)
    samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
    kernel.advance(state, one.program, numbers_of(p), samples, np.inf, grid.step_s, GRID_S)
    samples = samples[: int(state.now[columns.SAMPLES])]
    missing = round(one.record_s / GRID_S) + 1 - samples.shape[0]
    return state, np.pad(samples, ((0, max(0, missing)), (0, 0)), mode="edge")
