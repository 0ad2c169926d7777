"""The puck's resistance through a shot, and whether it gave way: at once, gradually, or not."""

from __future__ import annotations

from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.columns import ATMOSPHERE_BAR
from vapocline.core.puck.parameters import Parameters
from vapocline.core.read.record import GRID_S, WET_SHARE, Record, box_mean, slope
from vapocline.core.read.replay import Replay
from vapocline.core.read.thresholds import Gauges, threshold

POINT_S = 0.2
AFTER_DRIP_S, BEFORE_STOP_S = 1.0, 0.3
BY_CUP_S = 1.6  # over which the cup's flow is taken where no meter tells it
LEAST_POINTS = 20
LEAST_BAR, LEAST_ML_S = 0.4, 0.05
REST_SHARE = (0.10, 0.35)  # of the cup, over which resistance is taken as one
LATE_SHARE = 0.60
RAMPS_S = (1.2, 3.0, 6.0, 12.0)
QUICK, SLOW = RAMPS_S[:2], RAMPS_S[2:]
FALLS = 0.10
SOONER = 0.75  # a ramp of 6 s explains so much better than a line: it is over early

ResistanceCourse = Literal["opened", "run_away", "early_resistance", "loosened"]


class Resistance(NamedTuple):
    """Points a fifth of a second apart: cup weight, and ln-conductance less what it should be.

    `measured` is the record's own ln-conductance, `usual` the replay's at equal weight; `by_water`
    says whether the flow is the meter's or the cup's.
    """

    time_s: Floats
    cup_g: Floats
    measured: Floats
    usual: Floats
    more: Floats
    by_water: bool = True

    def centred(self, whole_g: float) -> Floats:
        """`more` less its mean early in the cup."""
        return self.more - early_mean(self, whole_g)


class Loosening(NamedTuple):
    """A ramp in ln-conductance: from where, how long, how much, and what kind of course it is."""

    course: ResistanceCourse
    from_s: float
    over_s: float
    size: float
    gain: float


def bed_flow(pressure_bar: Floats, water_ml_s: Floats, p: Parameters, over_s: float) -> Floats:
    """Flow into the bed, mL/s: what is pumped less what head and hose take up as pressure rises."""
    gives = p.head_trapped_ml * ATMOSPHERE_BAR / (pressure_bar + ATMOSPHERE_BAR) ** 2
    return water_ml_s - (gives + p.hose_ml_bar) * slope(pressure_bar, over_s)


def ln_conductance(
    pressure_bar: Floats, water_ml_s: Floats, p: Parameters | None, gauges: Gauges
) -> Floats:
    """ln of flow through the bed over pressure, smoothed; p None where the head is not known."""
    over = 0.9 if gauges == "good" else 1.6
    pressure, water = box_mean(pressure_bar, over), box_mean(water_ml_s, over)
    flow = water if p is None else bed_flow(pressure, water, p, over)
    return np.log(np.maximum(flow, LEAST_ML_S) / np.maximum(pressure, LEAST_BAR))


def resistance_of(record: Record, replay: Replay | None, first_drip_s: float) -> Resistance | None:
    """Where pressure, cup and a replay are known; None where they are not, or for too few points.

    Without a flow meter the cup's flow stands in from a third of the cup on.
    """
    if replay is None or not {"pressure", "cup"} <= record.known:
        return None
    ran = record.until_stop()
    whole = float(np.nanmax(record.cup_g[ran]))
    by_water = "water" in record.known
    share = WET_SHARE if by_water else 0.3
    p = replay.parameters if by_water else None
    # Nothing after the stop may leak into a window before it.
    time_s, cup = record.time_s[ran], box_mean(record.cup_g[ran], 0.5)
    flow = record.water_ml_s[ran] if by_water else slope(record.cup_g[ran], BY_CUP_S)
    measured = ln_conductance(record.pressure_bar[ran], flow, p, record.gauges)
    last_s = record.stop_s - (BEFORE_STOP_S if by_water else BY_CUP_S / 2 + BEFORE_STOP_S)
    used = (time_s > first_drip_s + AFTER_DRIP_S) & (time_s < last_s)
    used &= (cup > share * whole) & (box_mean(record.pressure_bar[ran], 0.5) > LEAST_BAR * 2)
    used &= np.nan_to_num(flow) > 0.15
    for gap in record.gaps:
        used &= (time_s < gap.from_s - 0.8) | (time_s > gap.to_s + 0.8)
    points = np.flatnonzero(used)[:: round(POINT_S / GRID_S)]
    if points.size < LEAST_POINTS:
        return None
    own_flow = replay.water_ml_s[ran] if by_water else slope(replay.cup_g[ran], BY_CUP_S)
    own = ln_conductance(replay.pressure_bar[ran], own_flow, p, record.gauges)
    wet = (replay.cup_g[ran] > 0.05) & (time_s < last_s)
    if not wet.any():
        return None
    usual = np.interp(cup[points], replay.cup_g[ran][wet], own[wet])
    return Resistance(
        time_s[points], cup[points], measured[points], usual, measured[points] - usual, by_water
    )


def early_mean(resistance: Resistance, whole_g: float) -> float:
    """Mean of `more` over the early part of the cup, by which it is centred."""
    share = resistance.cup_g / whole_g
    early = (share > REST_SHARE[0]) & (share < REST_SHARE[1])
    return float(resistance.more[early].mean() if early.any() else resistance.more[:5].mean())


def loosening_of(
    resistance: Resistance, more: Floats, whole_g: float, gauges: Gauges
) -> Loosening | None:
    """The ramp test: steps and ramps from any start against none; None where none explains more.

    `more` is the difference to what it should be, centred.
    """
    time_s, share = resistance.time_s, resistance.cup_g / whole_g
    rest = more - more.mean()
    none = float(rest @ rest)
    fits = {over: _best_ramp(time_s, rest, over) for over in RAMPS_S}
    line = time_s - time_s.mean()
    slope_fit = float(rest @ line) / max(1e-12, float(line @ line))
    straight = max(1e-12, none - slope_fit**2 * float(line @ line))
    over, best = min(fits.items(), key=lambda one: one[1].error)
    least = threshold("ramp_size" if resistance.by_water else "ramp_size_by_cup", gauges)
    gain = none / max(best.error, 1e-12)
    if best.size < least or gain < threshold("ramp_gain", gauges):
        return None
    quick = min((fits[one] for one in QUICK), key=lambda one: one.error)
    slow = min(*(fits[one].error for one in SLOW), straight)
    at_once = threshold("at_once", gauges)
    ratio = slow / max(quick.error, 1e-12)
    early = (share > REST_SHARE[0]) & (share < REST_SHARE[1])
    late = share > LATE_SHARE
    fell = bool(early.any() and late.any() and more[late].mean() - more[early].mean() > FALLS)
    if ratio > at_once:
        span = next(one for one in QUICK if fits[one].error == quick.error)
        return Loosening("opened", quick.from_s, span, quick.size, gain)
    if ratio < 1 / at_once and fell:
        sooner = fits[6.0].error < SOONER * straight
        course: ResistanceCourse = "early_resistance" if sooner else "run_away"
        return Loosening(course, best.from_s, over, best.size, gain)
    return Loosening("loosened", best.from_s, over, best.size, gain) if fell else None


class _Fit(NamedTuple):
    from_s: float
    size: float
    error: float


def _best_ramp(time_s: Floats, rest: Floats, over_s: float) -> _Fit:
    """The upward ramp of a length that explains most, from any start."""
    starts = np.arange(time_s[0] - over_s / 2, time_s[-1] - min(1.0, over_s / 2), POINT_S)
    ramps = np.clip((time_s[None, :] - starts[:, None]) / over_s, 0.0, 1.0)
    ramps -= ramps.mean(axis=1, keepdims=True)
    power = np.maximum(1e-9, (ramps**2).sum(axis=1))
    size = (ramps @ rest) / power
    gained = np.where(size > 0, size**2 * power, 0.0)
    at = int(np.argmax(gained))
    return _Fit(float(starts[at]), float(size[at]), float(rest @ rest - gained[at]))
