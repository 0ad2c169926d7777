"""The puck model run with the recorded commands, on the one permeability that fits the recording.

Findings are residuals against this replay, not against the commands or against fixed numbers: a
good steady, soaked, bloomed or gentle shot then looks alike.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.base.cancellation import check_cancelled
from vapocline.core.profile.profile import Profile
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.figures import figures_of
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.parameters import record_of as numbers_of
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.program import Program, program_of
from vapocline.core.puck.ranges import MEMBER_CELLS, MEMBER_STEP_S
from vapocline.core.read.commands import FREE, along_pressure, as_commanded, says_commands
from vapocline.core.read.record import GRID_S, Record, box_mean, lagged

# How far residuals count in full (Huber 1964), and each channel's weight is one over it.
BAR, ML_S, G = 0.3, 0.25, 1.0
MOST_ERROR = 4.0
WIDEST, SCAN = 1.5, 0.6  # of ln k, either way, and the first look's step
LAGS_S = (0.0, 0.2, 0.45)  # of gauges, tried one by one


class Replay(NamedTuple):
    """The model's channels on the record's grid, lagged as its gauges are.

    `bound` are the limits that held (columns.BINDS_…), `ln_k` the permeability against the
    set-up's, `error` the fit's mean loss, `lag_s` the gauges' lag.
    """

    pressure_bar: Floats
    water_ml_s: Floats
    cup_g: Floats
    bound: Floats
    ln_k: float
    error: float
    lag_s: float
    parameters: Parameters
    of_pressure: bool  # the recorded pressure was followed, not the commands

    def explains(self) -> bool:
        """Whether it is like the record: not at the end of what is tried, and no further off than
        a head that fills at another pace makes it."""
        return abs(self.ln_k) < WIDEST - 0.15 and self.error < MOST_ERROR


class ReplayFit(NamedTuple):
    """What the fit came to: ln-permeability, the mean loss, the gauges' lag."""

    ln_k: float
    error: float
    lag_s: float


class Smooth(NamedTuple):
    """The record's channels, smoothed once for the fit."""

    pressure_bar: Floats
    water_ml_s: Floats
    cup_g: Floats


def replay_of(record: Record, setup: Setup, profile: Profile | None) -> Replay | None:
    """Fit one ln-permeability to the whole record. None where too little was measured to.

    Without a profile, or where no command was recorded, the recorded pressure is followed instead
    of the commands. Raises Cancelled.
    """
    if not record.known & {"cup", "water"}:
        return None
    parameters = parameters_for(setup)
    followed = profile is None or not says_commands(record)
    if followed and "pressure" not in record.known:
        return None
    if profile is None or followed:
        parameters = parameters._replace(**FREE)
        program = along_pressure(record, parameters)
    else:
        program = as_commanded(record, program_of(profile, setup.machine), parameters)
    smooth = _smooth(record)

    def off(ln_k: float) -> float:
        return _distance(record, smooth, _run(record, parameters, program, ln_k), followed)

    grid = np.arange(-1.2, 1.3, SCAN)
    best = float(grid[int(np.argmin([off(float(x)) for x in grid]))])
    found = scipy.optimize.minimize_scalar(
        off, bounds=(max(-WIDEST, best - SCAN), min(WIDEST, best + SCAN)), method="bounded",
        options={"xatol": 0.008, "maxiter": 12},
    )  # fmt: skip
    ln_k = float(found.x)
    samples = _run(record, parameters, program, ln_k)
    lag = min(LAGS_S, key=lambda one: _distance(record, smooth, samples, followed, one))
    return _replay(samples, parameters, ReplayFit(ln_k, float(found.fun), lag), followed=followed)


def ended_at(plan: Plan, ln_k: float) -> tuple[float, float]:
    """When the plan itself ends on a puck of this permeability, s, and its extraction, %."""
    parameters = _on(parameters_for(plan.setup), ln_k)
    program = program_of(plan.profile, plan.setup.machine)
    figures = figures_of(plan.profile, parameters, *_advanced(parameters, program))
    return figures.shot_time_s, figures.extraction_yield_pct


def _on(parameters: Parameters, ln_k: float) -> Parameters:
    return parameters._replace(permeability=parameters.permeability * float(np.exp(ln_k)))


def _advanced(parameters: Parameters, program: Program) -> tuple[columns.State, Floats]:
    check_cancelled()
    rows = int((program.stop_time_s + columns.TAIL_S) / GRID_S) + 2
    state = columns.fresh_state(parameters, program.control.size, MEMBER_CELLS)
    samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
    numbers = numbers_of(parameters)
    kernel.advance(state, program, numbers, samples, np.inf, MEMBER_STEP_S, GRID_S)
    return state, samples[: int(state.now[columns.SAMPLES])]


def _run(record: Record, parameters: Parameters, program: Program, ln_k: float) -> Floats:
    """Samples on the record's grid; past the last drip the last one stands."""
    _state, samples = _advanced(_on(parameters, ln_k), program)
    missing = record.time_s.size - samples.shape[0]
    return np.pad(samples, ((0, max(0, missing)), (0, 0)), mode="edge")[: record.time_s.size]


def _smooth(record: Record) -> Smooth:
    over = 0.4 if record.gauges == "good" else 1.0
    return Smooth(
        box_mean(record.pressure_bar, over),
        box_mean(record.water_ml_s, over),
        box_mean(record.cup_g, over),
    )


def _distance(
    record: Record, smooth: Smooth, samples: Floats, followed: bool, lag_s: float = 0.2
) -> float:
    """Mean Huber loss of what was measured, over the shot."""
    ran = record.until_stop()
    total = 0.0
    columns_of = (
        ("pressure", smooth.pressure_bar, columns.S_P, BAR),
        ("water", smooth.water_ml_s, columns.S_Q_IN, ML_S),
        ("cup", smooth.cup_g, columns.S_CUP, G),
    )
    used = ~_unusable(record)[ran]
    for name, measured, column, scale in columns_of:
        if name not in record.known or (followed and name == "pressure"):
            continue
        off = np.abs(measured[ran] - lagged(samples[ran, column], lag_s))[used] / scale
        total += float(np.where(off <= 1, 0.5 * off**2, off - 0.5).mean())
    return total


def _unusable(record: Record) -> Mask:
    """Grid points inside a gap."""
    inside = np.zeros(record.time_s.size, dtype=bool)
    for gap in record.gaps:
        inside |= (record.time_s > gap.from_s) & (record.time_s < gap.to_s)
    return inside


def _replay(samples: Floats, parameters: Parameters, fit: ReplayFit, *, followed: bool) -> Replay:
    lag_s = fit.lag_s
    cup = lagged(samples[:, columns.S_CUP], parameters.scale_lag_s + lag_s)
    return Replay(
        pressure_bar=lagged(samples[:, columns.S_P], lag_s),
        water_ml_s=lagged(samples[:, columns.S_Q_IN], lag_s),
        cup_g=cup,
        bound=samples[:, columns.S_BINDING],
        ln_k=fit.ln_k,
        error=fit.error,
        lag_s=lag_s,
        parameters=_on(parameters, fit.ln_k),
        of_pressure=followed,
    )
