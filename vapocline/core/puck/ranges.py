"""Ranges of a prediction: an ensemble over what is not known, side by side in threads.

The members run on a coarser grid than the nominal shot; how they deviate from a nominal run on that
same grid is added to the fine one, so that the grid's own error drops out.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from functools import cache
from typing import NamedTuple, TypeVar

import numba
import numpy as np
from numpy.typing import NDArray

from vapocline.core.base.arrays import Floats
from vapocline.core.base.cancellation import check_cancelled
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.answer import LimitKind
from vapocline.core.puck.binding import bound_in
from vapocline.core.puck.figures import Figures, figures_of
from vapocline.core.puck.parameters import Parameters, record_of
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.priors import members_of
from vapocline.core.puck.program import Program, program_of

MEMBER_CELLS = 16
MEMBER_STEP_S = 0.1
SAMPLE_S = 0.1
SPIKE_SAMPLES, SOFT_SAMPLES = 7, 3
LEAST_SHARE = 0.2  # of the members must still run where a trace's range is given
TRACES = {
    "pressure_bar": columns.S_P,
    "water_in_ml_s": columns.S_Q_IN,
    "cup_out_ml_s": columns.S_Q_CUP,
    "cup_g": columns.S_CUP,
}
ItemT = TypeVar("ItemT")
ResultT = TypeVar("ResultT")


class DrawnShot(NamedTuple):
    """One shot as it may turn out: its plan, and its puck on its machine."""

    plan: Plan
    parameters: Parameters


class Member(NamedTuple):
    """One run on the coarse grid."""

    figures: Figures
    samples: Floats


class Ranges(NamedTuple):
    """p10, p50, p90 of each figure; p10 and p90 of each trace at the nominal run's samples."""

    figures: dict[str, tuple[float, float, float]]
    traces: dict[str, Floats]
    bound: dict[tuple[LimitKind, int], float]


def ranges_of(
    plan: Plan,
    nominal: Parameters,
    program: Program,
    fine: Figures,
    samples: Floats,
    *,
    shots: Sequence[DrawnShot] | None = None,
) -> Ranges:
    """Run the members and gather them. Deterministic for a seed, whatever the machine does.

    They are drawn of what is not known of the plan's puck, unless `shots` differ in more.
    """
    runs = [(plan, nominal, program)]
    if shots is None:
        runs += [(plan, p, program) for p in _members(plan, nominal)]
    else:
        runs += [
            (shot.plan, shot.parameters, program_of(shot.plan.profile, shot.plan.setup.machine))
            for shot in shots
        ]
    coarse, *ensemble = side_by_side(lambda run: run_member(*run), runs)
    return Ranges(
        figures=_figures(fine, coarse.figures, [one.figures for one in ensemble]),
        traces=_traces(samples, coarse, ensemble),
        bound=_bound(ensemble),
    )


def _members(plan: Plan, nominal: Parameters) -> list[Parameters]:
    setup = plan.setup
    return members_of(
        nominal,
        plan.members,
        plan.seed,
        known=setup.dialled_in,
        knowledge=setup.knowledge,
        grind_spread=setup.grind_spread,
        dose_spread=setup.dose_spread,
        mix_spread=setup.mix_spread,
    )


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(numba.get_num_threads(), thread_name_prefix="ensemble")


def side_by_side(work: Callable[[ItemT], ResultT], items: Iterable[ItemT]) -> list[ResultT]:
    """Work on every item in threads, in order; the kernel runs without the interpreter's lock."""
    # Each in a copy of our context, so that cancelling reaches it.
    asked = [_threads().submit(copy_context().run, work, item) for item in items]
    try:
        return [one.result() for one in asked]
    finally:
        for one in asked:
            one.cancel()


def run_member(plan: Plan, p: Parameters, program: Program) -> Member:
    """One run on the coarse grid. Raises Cancelled."""
    check_cancelled()
    rows = int((program.stop_time_s + columns.TAIL_S) / SAMPLE_S) + 2
    state = columns.fresh_state(p, program.control.size, MEMBER_CELLS)
    samples = np.zeros((rows, columns.SAMPLE_COLUMNS))
    kernel.advance(state, program, record_of(p), samples, np.inf, MEMBER_STEP_S, SAMPLE_S)
    samples = samples[: int(state.now[columns.SAMPLES])]
    return Member(figures_of(plan.profile, p, state, samples), samples)


def _figures(
    fine: Figures, coarse: Figures, ensemble: list[Figures]
) -> dict[str, tuple[float, float, float]]:
    found = {}
    for name, value, rough, column in zip(
        Figures._fields, fine, coarse, np.array(ensemble).T, strict=True
    ):
        known = column[~np.isnan(column)]
        if known.size < len(ensemble) / 2 or np.isnan(value) or np.isnan(rough):
            found[name] = (value, value, value)
            continue
        low, middle, high = np.percentile(known, (10, 50, 90)) + (value - rough)
        found[name] = (max(0.0, low), max(0.0, middle), max(0.0, high))
    return found


def _traces(samples: Floats, coarse: Member, ensemble: list[Member]) -> dict[str, Floats]:
    time = samples[:, columns.S_TIME]
    running = np.array([time <= one.figures.shot_time_s for one in ensemble])
    count = running.sum(axis=0)
    enough = count >= LEAST_SHARE * len(ensemble)
    found = {}
    for name, column in TRACES.items():
        every = np.array([_at(time, one.samples, column) for one in ensemble])
        every[~running] = np.nan
        shift = samples[:, column] - _at(time, coarse.samples, column)
        shift[time > coarse.figures.shot_time_s] = 0.0  # the stops differ a little: not the traces
        every.sort(axis=0)  # what is not a number comes last
        for end, share in (("p10", 0.1), ("p90", 0.9)):
            edge = np.full(time.size, np.nan)
            edge[enough] = _quantile(every[:, enough], count[enough], share) + shift[enough]
            found[f"{name}_{end}"] = np.maximum(_steadied(edge), 0.0)
    return found


def _steadied(edge: Floats) -> Floats:
    """An edge without spikes shorter than half a second: members refill a head at other moments,
    and where their spikes cross a quantile the edge would be ragged. A median, then a mean."""
    known = np.flatnonzero(~np.isnan(edge))
    if known.size < SPIKE_SAMPLES:
        return edge
    steady = edge.copy()
    inside = edge[known]
    for gather, size in ((np.median, SPIKE_SAMPLES), (np.mean, SOFT_SAMPLES)):
        padded = np.pad(inside, size // 2, mode="edge")
        inside = gather(np.lib.stride_tricks.sliding_window_view(padded, size), axis=1)
    steady[known] = inside
    return steady


def _quantile(ordered: Floats, count: NDArray[np.int64], share: float) -> Floats:
    """A quantile of the first `count` rows of each column, straight between ranks."""
    rank = share * (count - 1)
    low = np.floor(rank).astype(np.int64)
    high = np.minimum(low + 1, count - 1)
    below, above = (np.take_along_axis(ordered, at[None], axis=0)[0] for at in (low, high))
    middle: Floats = below + (above - below) * (rank - low)
    return middle


def _at(time: Floats, samples: Floats, column: int) -> Floats:
    return np.interp(time, samples[:, columns.S_TIME], samples[:, column])


def _bound(ensemble: list[Member]) -> dict[tuple[LimitKind, int], float]:
    counts = Counter(key for one in ensemble for key in bound_in(one.samples))
    return {key: count / len(ensemble) for key, count in counts.items()}
