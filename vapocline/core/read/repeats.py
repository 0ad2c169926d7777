"""A shot among its repeats: aligned on a moment, the band they lie in, and how they repeat."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.puck.answer import Prediction
from vapocline.core.read.record import GRID_S, box_mean
from vapocline.core.shot.traces import Traces

Alignment = Literal["pump_on", "first_drip", "full_pressure", "weight"]
ALIGN_G = 10.0  # the weight shots are aligned on
LEAST_IN_BAND = 2
BANDED = ("pressure_bar", "water_in_ml_s", "cup_out_ml_s", "cup_g")
# What the gauges are off anyway when a shot is held against its forecast.
GAUGE = {"pressure_bar": 0.1, "cup_g": 0.3}
TDS_ERROR_PCT, WEIGHT_ERROR_G = 0.05, 0.1
RESISTANCE_SHARE = 1 / 3  # of the cup, where the resistance of repeats is compared


class Pull(NamedTuple):
    """One pull: its traces and its measured figures, None where unknown."""

    traces: Traces
    shot_time_s: float | None
    first_drip_s: float | None
    full_pressure_s: float | None
    yield_g: float | None
    peak_pressure_bar: float | None
    tds_pct: float | None
    extraction_yield_pct: float | None


class Band(Answer):
    """Mean and spread of earlier pulls on the clock of the shot that is read.

    `low` and `high` are one standard deviation either way, None where fewer than two pulls run.
    """

    pulls: int
    time_s: list[float]
    low: dict[str, list[float | None]]
    high: dict[str, list[float | None]]


class Repeat(Answer):
    """One figure of this pull beside the others of its version; `error` is reading it alone."""

    figure: str
    name: str
    unit: str
    this: float | None
    mean: float | None
    deviation: float | None
    pulls: int
    error: float | None


FIGURES: tuple[tuple[str, str, str], ...] = (
    ("shot_time_s", "Shot time", "s"),
    ("first_drip_s", "First drip", "s"),
    ("yield_g", "Yield", "g"),
    ("peak_pressure_bar", "Peak pressure", "bar"),
    ("resistance", "Resistance", "bar per mL/s"),
    ("tds_pct", "Strength (TDS)", "%"),
    ("extraction_yield_pct", "Extraction (EY)", "%"),
)


def moment_s(pull: Pull, alignment: Alignment) -> float | None:
    """When a pull came to the moment it is aligned on, s from pump on; None where it never did."""
    if alignment == "pump_on":
        return 0.0
    if alignment == "first_drip":
        return pull.first_drip_s
    if alignment == "full_pressure":
        return pull.full_pressure_s
    weighed = ~np.isnan(pull.traces.cup_g)
    reached = pull.traces.cup_g[weighed] >= ALIGN_G
    return float(pull.traces.time_s[weighed][np.argmax(reached)]) if reached.any() else None


def band_of(this: Pull, others: Sequence[Pull], alignment: Alignment) -> Band | None:
    """The band of earlier pulls, shifted onto this one's clock; None for fewer than two."""
    own = moment_s(this, alignment)
    shifted = [(one, moment_s(one, alignment)) for one in others]
    aligned = [(one, at) for one, at in shifted if at is not None and one.traces.time_s.size > 1]
    if own is None or len(aligned) < LEAST_IN_BAND:
        return None
    ends = [(one.shot_time_s or float(one.traces.time_s[-1])) - at + own for one, at in aligned]
    time_s = np.arange(0.0, max(ends), GRID_S)
    low: dict[str, list[float | None]] = {}
    high: dict[str, list[float | None]] = {}
    for channel in BANDED:
        rows = np.array(
            [
                _shifted(one, channel, time_s, own - at, end)
                for (one, at), end in zip(aligned, ends, strict=True)
            ]
        )
        known = (~np.isnan(rows)).sum(axis=0)
        filled = np.nan_to_num(rows)
        mean = filled.sum(axis=0) / np.maximum(known, 1)
        off = np.where(np.isnan(rows), 0.0, rows - mean)
        spread = np.sqrt((off**2).sum(axis=0) / np.maximum(known - 1, 1))
        enough = known >= LEAST_IN_BAND
        low[channel] = _listed(np.where(enough, np.maximum(0.0, mean - spread), np.nan))
        high[channel] = _listed(np.where(enough, mean + spread, np.nan))
    return Band(pulls=len(aligned), time_s=np.round(time_s, 2).tolist(), low=low, high=high)


def _shifted(pull: Pull, channel: str, time_s: Floats, by_s: float, end_s: float) -> Floats:
    values = getattr(pull.traces, channel)
    measured = ~np.isnan(values)
    if not measured.any():
        return np.full(time_s.size, np.nan)
    moved: Floats = np.interp(time_s, pull.traces.time_s[measured] + by_s, values[measured])
    moved[(time_s < pull.traces.time_s[0] + by_s) | (time_s > end_s)] = np.nan
    return moved


def _listed(values: Floats) -> list[float | None]:
    return [None if np.isnan(value) else round(value, 3) for value in values.tolist()]


def repeatability(this: Pull, others: Sequence[Pull]) -> list[Repeat]:
    """Each figure of this pull, and mean and deviation over it and the others of its version."""
    every = [this, *others]
    rows = []
    for figure, name, unit in FIGURES:
        values = [_value(one, figure) for one in every]
        known = np.array([value for value in values if value is not None])
        enough = known.size >= LEAST_IN_BAND
        rows.append(
            Repeat(
                figure=figure, name=name, unit=unit,
                this=None if values[0] is None else round(values[0], 2),
                mean=round(float(known.mean()), 2) if known.size else None,
                deviation=round(float(known.std(ddof=1)), 2) if enough else None,
                pulls=int(known.size), error=_error(this, figure),
            )
        )  # fmt: skip
    return rows


def _value(pull: Pull, figure: str) -> float | None:
    if figure == "resistance":
        return resistance_bar_s_ml(pull)
    value: float | None = getattr(pull, figure)
    return value


def resistance_bar_s_ml(pull: Pull) -> float | None:
    """Pressure over flow when a third of the cup is in it; None where it was not measured."""
    traces = pull.traces
    if pull.yield_g is None or np.isnan(traces.cup_g).all() or traces.time_s.size < 2:
        return None
    reached = np.nan_to_num(traces.cup_g) >= RESISTANCE_SHARE * pull.yield_g
    at = int(np.argmax(reached))
    near = np.abs(traces.time_s - traces.time_s[at]) < 1.0
    bar, flow = traces.pressure_bar[near], traces.water_in_ml_s[near]
    if np.isnan(bar).any() or np.isnan(flow).any() or float(flow.mean()) < 0.2:
        return None
    return float(bar.mean() / flow.mean())


def _error(pull: Pull, figure: str) -> float | None:
    """What reading a figure once is off by: of extraction, strength's and the weight's together."""
    if figure == "tds_pct":
        return TDS_ERROR_PCT if pull.tds_pct else None
    if figure == "yield_g":
        return WEIGHT_ERROR_G if pull.yield_g else None
    extracted = pull.extraction_yield_pct
    if figure != "extraction_yield_pct" or not (extracted and pull.tds_pct and pull.yield_g):
        return None
    share = np.hypot(TDS_ERROR_PCT / pull.tds_pct, WEIGHT_ERROR_G / pull.yield_g)
    return round(float(extracted * share), 2)


def within_forecast_pct(pull: Pull, prediction: Prediction) -> float | None:
    """Share of the shot's time in which pressure and cup both lay within the forecast's ranges."""
    series, traces = prediction.series, pull.traces
    if prediction.members < LEAST_IN_BAND or pull.shot_time_s is None:
        return None
    grid = np.arange(0.0, pull.shot_time_s, GRID_S)
    inside, measured = np.ones(grid.size, dtype=bool), np.zeros(grid.size, dtype=bool)
    for channel, gauge in GAUGE.items():
        values = getattr(traces, channel)
        known = ~np.isnan(values)
        if known.sum() < LEAST_IN_BAND:
            continue
        own = box_mean(np.interp(grid, traces.time_s[known], values[known]), 0.4)
        low, high = (
            np.interp(
                grid,
                series.time_s,
                [np.nan if edge is None else edge for edge in getattr(series, f"{channel}_{end}")],
            )
            for end in ("p10", "p90")
        )
        ranged = ~np.isnan(low) & ~np.isnan(high)
        measured |= ranged
        inside &= ~ranged | ((own >= low - gauge) & (own <= high + gauge))
    return round(100 * float(inside[measured].mean()), 0) if measured.any() else None
