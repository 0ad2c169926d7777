"""Which shot would teach most: by how much each of some narrows what forecasts leave open."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.learn.fit import STEP
from vapocline.core.learn.observed import (
    BAR,
    COARSE,
    EVERY_S,
    ML_S,
    G,
    Observed,
    ObservedTrace,
    residuals,
)
from vapocline.core.puck import columns
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.parameters import moved, parameters_for
from vapocline.core.puck.plan import Plan, knowing
from vapocline.core.puck.program import program_of
from vapocline.core.puck.ranges import run_member, side_by_side
from vapocline.core.puck.unknowns import BY_NAME, UNKNOWNS
from vapocline.core.read.record import GRID_S

P90_SDS = 1.2816
WORTH = 0.97  # a shot that narrows the ranges by less is not worth proposing


class CandidateShot(NamedTuple):
    """A shot that might be pulled next: what to do, and its plan."""

    words: str
    plan: Plan
    strength: bool = False


class NextShot(Answer):
    """The shot to pull next, and the half-widths of 8 in 10 forecasts, of time in % and of
    extraction in points: `now`, and `then`, after it."""

    words: str
    now_time_pct: float
    then_time_pct: float
    now_points: float
    then_points: float


class _Run(NamedTuple):
    """A candidate on the most likely puck: slopes along every unknown of what would be measured, of
    the logarithm of its time and of its extraction."""

    measured: Floats
    time: Floats
    extraction: Floats


def most_taught(candidates: Sequence[CandidateShot], knowledge: Knowledge) -> NextShot | None:
    """The candidate after which forecasts of all of them are surest, time and extraction alike.
    None where none narrows them. Linear in the unknowns, as Kalman's filter is. Raises Cancelled.
    """
    names, covariance = _covariance(knowledge)
    runs = [_run(one, knowledge, names) for one in candidates]
    sound = [at for at, run in enumerate(runs) if _is_sound(run)]
    if not sound:
        return None
    times = np.array([runs[at].time for at in sound])
    points = np.array([runs[at].extraction for at in sound])
    pull = np.zeros_like(covariance)
    own = names.index("permeability")
    pull[own, own] = knowledge.pull_spread**2
    now = _mean_sds(covariance, times, points)
    after_each = [
        _mean_sds(_after(covariance, pull, runs[at].measured), times, points) for at in sound
    ]
    best = min(range(len(sound)), key=lambda i: (after_each[i] / now).mean())
    then = after_each[best]
    if (then / now).mean() > WORTH:
        return None
    return NextShot(
        words=candidates[sound[best]].words,
        now_time_pct=round(100 * P90_SDS * now[0], 1),
        then_time_pct=round(100 * P90_SDS * then[0], 1),
        now_points=round(P90_SDS * now[1], 2),
        then_points=round(P90_SDS * then[1], 2),
    )


def _covariance(knowledge: Knowledge) -> tuple[list[str], Floats]:
    """All unknowns, gauges among them, and their covariance."""
    names = [one.name for one in UNKNOWNS]
    sds = np.array([knowledge.of(name).sd for name in names])
    table = np.eye(len(names))
    held = [names.index(one.name) for one in knowledge.learnt]
    if held:
        table[np.ix_(held, held)] = np.array(knowledge.correlations)
    return names, table * np.outer(sds, sds)


def _mean_sds(covariance: Floats, times: Floats, points: Floats) -> Floats:
    """Standard deviations of time, as a share, and of extraction, points: means over the shots."""
    variances = [np.einsum("ij,jk,ik->i", rows, covariance, rows) for rows in (times, points)]
    return np.maximum([float(np.sqrt(one.mean())) for one in variances], 1e-9)


def _after(covariance: Floats, pull: Floats, slopes: Floats) -> Floats:
    """The covariance once a shot with these slopes was measured; what is a pull's own blurs it."""
    noise = np.eye(slopes.shape[0]) + slopes @ pull @ slopes.T
    gain = covariance @ slopes.T
    narrowed: Floats = covariance - gain @ np.linalg.solve(slopes @ gain + noise, gain.T)
    return narrowed


def _is_sound(run: _Run) -> bool:
    return all(bool(np.isfinite(part).all()) for part in run)


def _run(candidate: CandidateShot, knowledge: Knowledge, names: Sequence[str]) -> _Run:
    plan = knowing(candidate.plan, None)
    likely = {name: knowledge.of(name).mean for name in names}
    steps = {name: STEP * BY_NAME[name].spread for name in names}
    pucks = [likely, *(likely | {name: likely[name] + steps[name]} for name in names)]
    nominal = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    stop_s = run_member(plan, moved(nominal, likely), program).figures.shot_time_s
    shot = Observed(
        "next", program, nominal, _channels(stop_s), stop_s, None,
        0.0 if candidate.strength else None,
    )  # fmt: skip

    def shown(values: dict[str, float]) -> Floats:
        figures = run_member(plan, moved(nominal, values), program).figures
        return np.array(
            [*residuals(shot, values, COARSE), np.log(figures.shot_time_s),
             figures.extraction_yield_pct]
        )  # fmt: skip

    here, *there = side_by_side(shown, pucks)
    slopes = (np.array(there) - here) / np.array(list(steps.values()))[:, None]
    return _Run(slopes[:, :-2].T, slopes[:, -2], slopes[:, -1])


def _channels(stop_s: float) -> tuple[ObservedTrace, ...]:
    """What gauges and a scale would show until the stop; only slopes are used, no levels."""
    every = round(EVERY_S / GRID_S)
    at = np.arange(every, max(every + 1, int(stop_s / GRID_S)), every)
    zero = np.zeros(at.size)
    return tuple(
        ObservedTrace(column, at, zero, unit)
        for column, unit in ((columns.S_P, BAR), (columns.S_Q_IN, ML_S), (columns.S_CUP, G))
    )
