"""The figures of a shot, read off its traces."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.shot.traces import Traces

# From when a shot's time is counted: three habits, each with its own figure.
Clock = Literal["pump", "drip", "full"]
TIME_FIGURES: dict[Clock, str] = {
    "pump": "shot_time_s",
    "drip": "shot_time_from_first_drip_s",
    "full": "shot_time_from_full_pressure_s",
}
FIRST_DRIP_G = 0.3  # above a scale's noise
LASTING_S = 0.5  # a peak is compared as the mean over so long
FULL_SHARE = 0.95  # of the peak, from which on pressure counts as full
WEIGHED_WITHIN_S = 1.0  # a weight further from a moment says nothing of it
LAST_FLOW_S, LEAST_WEIGHTS = 1.0, 5  # window and samples for the flow at the stop


@dataclass(frozen=True)
class Result:
    """Figures of a pull as they were measured; None where it never happened or was not measured.

    `last_flow_g_s` runs into the cup as the machine stops.
    """

    shot_time_s: float | None
    first_drip_s: float | None
    yield_g: float | None
    cup_at_stop_g: float | None
    peak_pressure_bar: float | None
    water_in_ml: float | None
    ratio: float | None
    tds_pct: float | None = None
    extraction_yield_pct: float | None = None
    full_pressure_s: float | None = None
    last_flow_g_s: float | None = None


def result_of(traces: Traces, *, stop_s: float | None, dose_g: float) -> Result:
    """Read a pull's figures off its traces; `stop_s` is when the machine stopped, if it did."""
    if traces.time_s.size == 0:
        return Result(stop_s, None, 0.0, None, 0.0, 0.0, 0.0)
    weighed = ~np.isnan(traces.cup_g)
    if not weighed.any():
        return _unweighed(traces, stop_s)
    time_s, weight_g = traces.time_s[weighed], traces.cup_g[weighed]
    dripping = weight_g >= FIRST_DRIP_G
    at_stop = None
    if stop_s is not None and np.abs(time_s - stop_s).min() <= WEIGHED_WITHIN_S:
        at_stop = float(np.interp(stop_s, time_s, weight_g))
    to_the_end = traces.time_s[-1] - time_s[-1] <= WEIGHED_WITHIN_S
    yield_g = float(np.median(weight_g[-5:])) if to_the_end else None
    return Result(
        shot_time_s=stop_s,
        first_drip_s=float(time_s[np.argmax(dripping)]) if dripping.any() else None,
        yield_g=yield_g,
        cup_at_stop_g=at_stop,
        peak_pressure_bar=_peak(traces),
        water_in_ml=_pumped(traces),
        ratio=None if yield_g is None else yield_g / dose_g,
        full_pressure_s=_full_pressure_s(traces),
        last_flow_g_s=None if stop_s is None else _last_flow(time_s, weight_g, stop_s),
    )


def _last_flow(time_s: Floats, weight_g: Floats, stop_s: float) -> float | None:
    """Slope of the weight over the last second, g/s."""
    last = (time_s > stop_s - LAST_FLOW_S) & (time_s <= stop_s)
    if last.sum() < LEAST_WEIGHTS:
        return None
    return float(np.polyfit(time_s[last], weight_g[last], 1)[0])


def _unweighed(traces: Traces, stop_s: float | None) -> Result:
    """What can be said of a pull that no scale weighed."""
    return Result(
        shot_time_s=stop_s,
        first_drip_s=None,
        yield_g=None,
        cup_at_stop_g=None,
        peak_pressure_bar=_peak(traces),
        water_in_ml=_pumped(traces),
        ratio=None,
        full_pressure_s=_full_pressure_s(traces),
    )


def _peak(traces: Traces) -> float | None:
    known = traces.pressure_bar[~np.isnan(traces.pressure_bar)]
    return float(known.max()) if known.size else None


def lasting_peak_bar(time_s: Floats, pressure_bar: Floats) -> float | None:
    """The highest mean over half a second, bar: what a gauge's noise does not raise. None without
    pressure."""
    known = ~np.isnan(pressure_bar)
    time_s, pressure_bar = time_s[known], pressure_bar[known]
    if time_s.size == 0:
        return None
    if time_s[-1] - time_s[0] < LASTING_S:
        return float(pressure_bar.mean())
    steps = np.diff(time_s) * (pressure_bar[1:] + pressure_bar[:-1]) / 2
    area = np.concatenate([[0.0], np.cumsum(steps)])
    begins = time_s[time_s <= time_s[-1] - LASTING_S]
    means = (
        np.interp(begins + LASTING_S, time_s, area) - np.interp(begins, time_s, area)
    ) / LASTING_S
    return float(means.max())


def _full_pressure_s(traces: Traces) -> float | None:
    """When pressure first came to nearly its peak."""
    peak = _peak(traces)
    if peak is None or peak <= 0:
        return None
    full = np.nan_to_num(traces.pressure_bar) >= FULL_SHARE * peak
    return float(traces.time_s[np.argmax(full)])


def _pumped(traces: Traces) -> float | None:
    known = ~np.isnan(traces.water_in_ml_s)
    if not known.any():
        return None
    return float(np.trapezoid(traces.water_in_ml_s[known], traces.time_s[known]))
