"""A recording made ready for reading: on an even grid, with its noise, gaps and knocks known."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.columns import compiled
from vapocline.core.read.thresholds import Gauges, threshold
from vapocline.core.shot.result import FIRST_DRIP_G
from vapocline.core.shot.scale import drift_g_s, is_tare
from vapocline.core.shot.traces import Traces

GRID_S = 0.1
LEAST_S = 3.0  # a shorter recording says nothing
LEAST_POINTS = 20
# Above these a gauge counts as poor.
POOR_BAR, POOR_ML_S, POOR_STEP_S = 0.09, 0.12, 0.16
LEAST_NOISE_G = 0.03
FASTEST_G_S = 8.5  # a cup fills no faster: beyond it somebody leant on the scale
KNOCK_WITHIN_S, PACE_S = 0.3, 1.0
STILL_S = 3.0  # no flowing cup weighs the same to the last digit for so long
BEFORE_DROPS_S = 2.5  # no puck lets water through sooner
KNOCK_NOISES = 7.0  # times the scale's noise: of hundreds of readings none strays so far
PUMPING_ML_S = 0.2
LATE_S, BLOCKED_ML_S = 3.0, 0.5
WET_SHARE = 0.06  # of the cup, from which resistance means something

MeasuredTrace = Literal["pressure", "water", "cup", "temperature"]


class Gap(NamedTuple):
    """A part of the recording that cannot be used, s: nothing came, the cup was knocked, the scale
    was tared, or it stood still while water flowed."""

    from_s: float
    to_s: float
    kind: Literal["gap", "knock", "tare", "still"]
    size: float  # s without a sample, or g


class Record(NamedTuple):
    """Channels on an even grid from pump on, nan where not measured; `asked` and `phase` as sent.

    `stop_s` is when the pump stopped for good. `known` are the channels that tell something. The
    scale drifted by `drift_g_s`, which is taken out. `drained_ml` left by the relief valve: then
    the flow meter tells nothing of the puck.
    """

    time_s: Floats
    pressure_bar: Floats
    water_ml_s: Floats
    cup_g: Floats
    group_c: Floats
    asked: Floats
    phase: Floats
    by_hand: Floats
    stop_s: float
    known: frozenset[MeasuredTrace]
    gaps: tuple[Gap, ...]
    noise_g: float
    gauges: Gauges
    drained_ml: float = 0.0
    drift_g_s: float = 0.0

    def until_stop(self) -> slice:
        """The part before the pump stopped."""
        return slice(0, int(np.searchsorted(self.time_s, self.stop_s + 1e-9)))

    def without_water(self, drained_ml: float) -> Record:
        """The record without its flow meter, which counted what the relief valve let go."""
        return self._replace(
            water_ml_s=np.full_like(self.water_ml_s, np.nan),
            known=self.known - {"water"},
            drained_ml=drained_ml,
        )

    def broken_within(self, from_s: float, to_s: float) -> bool:
        """Whether a gap or a knock falls into a span."""
        return any(gap.from_s < to_s and gap.to_s > from_s for gap in self.gaps)


def record_of(traces: Traces, stop_s: float | None) -> Record | None:
    """A recording on the grid; None where it is too short to say anything.

    Where no stop of the pump is recorded, the last water or pressure marks it.
    """
    time_s = traces.time_s
    if time_s.size < LEAST_POINTS or time_s[-1] - time_s[0] < LEAST_S:
        return None
    stop = _stop(traces) if stop_s is None else float(stop_s)
    grid = np.arange(0.0, float(time_s[-1]) + 1e-9, GRID_S)
    if stop < LEAST_S:
        return None
    noise_g = max(LEAST_NOISE_G, _noise(traces.cup_g))
    gauges = _gauges(traces)
    stills = _stills(traces, stop)
    knocks = _knocks(traces, noise_g, stills)
    gaps = (*_gaps(time_s, stop, gauges), *stills, *knocks)
    known = _known(traces, stop)
    early = (time_s <= BEFORE_DROPS_S) & np.isfinite(traces.cup_g)
    drift = drift_g_s(time_s[early], traces.cup_g[early])
    cup = _without_knocks(traces, knocks) - drift * time_s
    last = np.clip(np.searchsorted(time_s, grid + 1e-9, side="right") - 1, 0, time_s.size - 1)
    return Record(
        time_s=grid,
        pressure_bar=_on(grid, time_s, traces.pressure_bar),
        water_ml_s=_on(grid, time_s, traces.water_in_ml_s),
        cup_g=_on(grid, time_s, cup),
        group_c=_on(grid, time_s, traces.group_c),
        asked=traces.commanded[last],
        phase=traces.phase[last],
        by_hand=traces.by_hand[last],
        stop_s=min(stop, float(grid[-1])),
        known=known,
        gaps=tuple(sorted(gaps)),
        noise_g=noise_g,
        gauges=gauges,
        drift_g_s=drift,
    )


def _stop(traces: Traces) -> float:
    """When the pump stopped, by the traces alone: the last command, water, or high pressure."""
    commanded = np.flatnonzero(np.nan_to_num(traces.commanded) > 0)
    if commanded.size:
        return float(traces.time_s[min(commanded[-1] + 1, traces.time_s.size - 1)])
    for values, least in ((traces.water_in_ml_s, PUMPING_ML_S), (traces.pressure_bar, 0.0)):
        known = np.nan_to_num(values)
        if known.max() > 0.5:
            high = known > max(least, 0.3 * float(np.percentile(known, 90)))
            return float(traces.time_s[np.flatnonzero(high)[-1]])
    return float(traces.time_s[-1])


def _on(grid: Floats, time_s: Floats, values: Floats) -> Floats:
    measured = ~np.isnan(values)
    if not measured.any():
        return np.full(grid.size, np.nan)
    on = np.interp(grid, time_s[measured], values[measured])
    on[(grid < time_s[measured][0] - GRID_S) | (grid > time_s[measured][-1] + GRID_S)] = np.nan
    return on


def _noise(values: Floats) -> float:
    """Standard deviation of what is not signal: the robust one of second differences."""
    measured = values[~np.isnan(values)]
    if measured.size < LEAST_POINTS:
        return 0.0
    bend = np.diff(measured, n=2)
    return float(np.median(np.abs(bend)) * 1.4826 / math.sqrt(6))


def _gauges(traces: Traces) -> Gauges:
    step = float(np.median(np.diff(traces.time_s)))
    poor = (
        _noise(traces.pressure_bar) > POOR_BAR
        or _noise(traces.water_in_ml_s) > POOR_ML_S
        or step > POOR_STEP_S
    )
    return "poor" if poor else "good"


def _gaps(time_s: Floats, stop_s: float, gauges: Gauges) -> list[Gap]:
    steps = np.diff(time_s)
    longest = max(3 * float(np.median(steps)), threshold("gap_s", gauges))
    return [
        Gap(float(time_s[i]), float(time_s[i + 1]), "gap", float(steps[i]))
        for i in np.flatnonzero(steps > longest * (1 + 1e-6))
        if time_s[i] < stop_s
    ]


def _stills(traces: Traces, stop_s: float) -> list[Gap]:
    """Where the scale said the same all the while as water flowed and before it flowed: it stood
    still. Without a flow meter a puck that chokes looks the same."""
    cup, water, time_s = traces.cup_g, traces.water_in_ml_s, traces.time_s
    begins = np.flatnonzero(np.diff(cup, prepend=np.nan) != 0)
    found = []
    for first, after in pairwise([*begins.tolist(), cup.size]):
        last = min(after, cup.size - 1)
        start, end = float(time_s[first]), min(float(time_s[last]), stop_s)
        if end - start < STILL_S or not cup[first] > FIRST_DRIP_G * 5:
            continue
        flowed = water[first:last][time_s[first:last] < stop_s]
        if np.isfinite(flowed).any() and float(np.nanmean(flowed)) > BLOCKED_ML_S:
            found.append(Gap(start, end, "still", end - start))
    return found


def _knocks(traces: Traces, noise_g: float, stills: Sequence[Gap]) -> list[Gap]:
    """Where the weight changed as no drink changes it, noticed within a moment, or was tared; what
    a scale that stood still makes up for at once is neither."""
    measured = ~np.isnan(traces.cup_g)
    time_s, weight = traces.time_s[measured], traces.cup_g[measured]
    if time_s.size < LEAST_POINTS:
        return []
    least = max(threshold("knock_g", "good"), KNOCK_NOISES * noise_g)
    before = np.searchsorted(time_s, time_s - KNOCK_WITHIN_S)
    before = np.minimum(before, np.maximum(np.arange(time_s.size) - 1, 0))  # over a gap as well
    change, passed = weight - weight[before], time_s - time_s[before]
    knocked = (change < -least) | (change > FASTEST_G_S * passed + least)
    found: list[Gap] = []
    for i in np.flatnonzero(knocked):
        start, end = float(time_s[before[i]]), float(time_s[i])
        if found and start <= found[-1].to_s + KNOCK_WITHIN_S:
            larger = max(found[-1].size, float(change[i]), key=abs)
            found[-1] = found[-1]._replace(to_s=end, size=larger)
        else:
            found.append(Gap(start, end, "knock", float(change[i])))
    caught_up = [still.to_s for still in stills]
    return [
        gap._replace(kind="tare") if is_tare(time_s, weight, gap.from_s, gap.to_s) else gap
        for gap in found
        if not any(abs(gap.to_s - at) < 1.0 and gap.size > 0 for at in caught_up)
    ]


def _without_knocks(traces: Traces, knocks: Sequence[Gap]) -> Floats:
    """The weight with each knock's step taken out again; meanwhile it rises as just before."""
    cup, time_s = traces.cup_g.copy(), traces.time_s
    for knock in knocks:
        inside = (time_s > knock.from_s) & (time_s < knock.to_s)
        at = int(np.searchsorted(time_s, knock.to_s))
        start = int(np.searchsorted(time_s, knock.from_s))
        just_before = (time_s > knock.from_s - PACE_S) & (time_s <= knock.from_s)
        just_before &= np.isfinite(cup)
        rose = 0.0
        if just_before.sum() >= 4:
            pace = float(np.polyfit(time_s[just_before], cup[just_before], 1)[0])
            rose = max(0.0, pace) * (knock.to_s - knock.from_s)
        cup[at:] -= cup[at] - cup[start] - rose
        cup[inside] = np.nan
    return cup


def _known(traces: Traces, stop_s: float) -> frozenset[MeasuredTrace]:
    """Channels that were recorded and move: one that stands still measures nothing."""
    ran = traces.time_s <= stop_s
    found: set[MeasuredTrace] = set()
    channels: tuple[tuple[MeasuredTrace, Floats, float], ...] = (
        ("pressure", traces.pressure_bar, 0.5),
        ("water", traces.water_in_ml_s, PUMPING_ML_S),
        ("temperature", traces.group_c, 0.0),
    )
    for name, values, least in channels:
        measured = values[ran & ~np.isnan(values)]
        if measured.size >= max(LEAST_POINTS, 0.5 * ran.sum()) and np.ptp(measured) > least:
            found.add(name)
    measured = traces.cup_g[~np.isnan(traces.cup_g)]
    if measured.size >= LEAST_POINTS and (
        np.ptp(measured) > FIRST_DRIP_G or _blocked(traces, stop_s)
    ):
        found.add("cup")
    return frozenset(found)


def _blocked(traces: Traces, stop_s: float) -> bool:
    """Whether hardly any water went in at the end: then an empty cup is no dead scale."""
    late = (traces.time_s > stop_s - LATE_S) & (traces.time_s < stop_s)
    water = traces.water_in_ml_s[late]
    measured = water[~np.isnan(water)]
    return bool(measured.size) and float(measured.mean()) < BLOCKED_ML_S


def box_mean(values: Floats, window_s: float) -> Floats:
    """A running mean over a centred window; gaps are bridged by a line."""
    return np.convolve(_padded(values, window_s), _flat(window_s), mode="valid")


def slope(values: Floats, window_s: float) -> Floats:
    """Least-squares slope over a centred window, per second."""
    half = _half(window_s)
    lever = np.arange(-half, half + 1) * GRID_S
    return np.convolve(_padded(values, window_s), (lever / (lever @ lever))[::-1], mode="valid")


def lagged(values: Floats, lag_s: float) -> Floats:
    """Through a first-order lag, sample by sample of the grid."""
    if lag_s <= 0:
        return values
    return _lagged(np.ascontiguousarray(values), 1 - math.exp(-GRID_S / lag_s))


@compiled
def _lagged(values: Floats, follows: float) -> Floats:
    out, now = np.empty_like(values), values[0]
    for i in range(values.size):
        now += (values[i] - now) * follows
        out[i] = now
    return out


def _half(window_s: float) -> int:
    return max(1, round(window_s / GRID_S / 2))


def _flat(window_s: float) -> Floats:
    size = 2 * _half(window_s) + 1
    return np.full(size, 1.0 / size)


def bridged(values: Floats) -> Floats:
    """Values with their gaps filled by straight lines; zeros where nothing was measured at all."""
    known = np.isfinite(values)
    if not known.any():
        return np.zeros_like(values)
    at = np.arange(values.size)
    filled: Floats = np.interp(at, at[known], values[known])
    return filled


def _padded(values: Floats, window_s: float) -> Floats:
    return np.pad(bridged(values), _half(window_s), mode="edge")
