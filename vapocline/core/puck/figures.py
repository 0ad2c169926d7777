"""The figures of one run, read off its last state and its samples."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.profile.profile import Profile
from vapocline.core.puck import columns
from vapocline.core.puck.parameters import Parameters
from vapocline.core.shot.result import FIRST_DRIP_G, FULL_SHARE

MEETS_WITHIN = 0.04  # water in and cup out have met when they differ by less than this share
LEAST_FLOW_ML_S = 0.2  # below this the two flows are not compared
LATE_S = 2.0  # before the stop: over these seconds the flow at the end is averaged
BEFORE_PRESSING = ("fill", "pre-infusion", "bloom")


class Figures(NamedTuple):
    """Numbers of one run; nan where it never happened. Units are in the names, classes in %."""

    shot_time_s: float
    shot_time_from_first_drip_s: float
    shot_time_from_full_pressure_s: float
    first_drip_s: float
    pre_infusion_end_s: float
    full_pressure_s: float
    yield_g: float
    cup_at_stop_g: float
    ratio: float
    tds_pct: float
    extraction_yield_pct: float
    peak_pressure_bar: float
    water_in_ml: float
    stays_behind_ml: float
    meet_s: float
    late_flow_ml_s: float
    crema_ml: float
    glass_ml: float
    unevenness: float
    bright: float
    sweet: float
    bitter: float


def figures_of(profile: Profile, p: Parameters, state: columns.State, samples: Floats) -> Figures:
    """Read a finished run; `samples` has shape (rows, SAMPLE_COLUMNS)."""
    now = state.now
    solids = now[columns.CUP_0 : columns.CUP_2 + 1]
    cup = float(now[columns.CUP_WATER] + solids.sum())
    drank = cup >= FIRST_DRIP_G
    share = 100 * solids / cup if drank else np.full(columns.CLASSES, math.nan)
    stop, drip = float(now[columns.STOP_T]), float(now[columns.FIRST_DRIP])
    full = _full_pressure_s(samples, float(now[columns.PEAK]))
    crema = cup * p.crema_ml_per_g
    return Figures(
        shot_time_s=stop,
        shot_time_from_first_drip_s=stop - drip if drip <= stop else math.nan,
        shot_time_from_full_pressure_s=stop - full if full <= stop else math.nan,
        first_drip_s=drip,
        pre_infusion_end_s=_pre_infusion_end_s(profile, state.log),
        full_pressure_s=full,
        yield_g=cup,
        cup_at_stop_g=float(now[columns.CUP_AT_STOP]),
        ratio=cup / p.dose_g,
        tds_pct=float(share.sum()),
        extraction_yield_pct=float(100 * solids.sum() / p.dose_g),
        peak_pressure_bar=float(now[columns.PEAK]),
        water_in_ml=float(now[columns.WATER]),
        stays_behind_ml=float(now[columns.WATER] - now[columns.CUP_AT_STOP]),
        meet_s=meeting_s(samples, drip, stop),
        late_flow_ml_s=late_flow_ml_s(samples, drip, stop),
        crema_ml=crema,
        glass_ml=cup + crema,
        unevenness=_unevenness(state, p),
        bright=float(share[0]),
        sweet=float(share[1]),
        bitter=float(share[2]),
    )


def meeting_s(samples: Floats, first_drip_s: float, stop_s: float) -> float:
    """When cup out first comes up to water in after the first drip; nan where it never does."""
    time = samples[:, columns.S_TIME]
    water, cup = samples[:, columns.S_Q_IN], samples[:, columns.S_Q_CUP]
    met = (time > first_drip_s) & (time < stop_s) & (water > LEAST_FLOW_ML_S)
    met &= cup >= (1 - MEETS_WITHIN) * water
    return float(time[np.argmax(met)]) if met.any() else math.nan


def late_flow_ml_s(samples: Floats, first_drip_s: float, stop_s: float) -> float:
    """Cup flow over the last seconds before the stop; nan where nothing dripped before it."""
    time = samples[:, columns.S_TIME]
    late = (time > max(first_drip_s, stop_s - LATE_S)) & (time <= stop_s)
    return float(samples[late, columns.S_Q_CUP].mean()) if late.any() else math.nan


def _full_pressure_s(samples: Floats, peak_bar: float) -> float:
    """When pressure first comes to nearly its peak."""
    full = samples[:, columns.S_P] >= FULL_SHARE * peak_bar
    return float(samples[np.argmax(full), columns.S_TIME]) if peak_bar > 0 else math.nan


def _pre_infusion_end_s(profile: Profile, log: Floats) -> float:
    """When the first phase that presses begins; nan where the shot starts or ends before one."""
    for i, phase in enumerate(profile.phases):
        if phase.kind not in BEFORE_PRESSING:
            return float(log[i, 0]) if i > 0 else math.nan
    return math.nan


def _unevenness(state: columns.State, p: Parameters) -> float:
    """Spread of the lanes' extraction: their standard deviation over their mean, weighted."""
    pct = np.array([p.bright_pct, p.sweet_pct, p.bitter_pct])
    wetted = state.lanes[:, columns.FULL] + state.lanes[:, columns.PART]
    dry_fines = p.fines_share * (1 - wetted / state.cells.shape[2])
    coarse = state.cells[:, columns.SOLID : columns.SOLID + columns.CLASSES].mean(axis=2)
    held = state.cells[:, columns.SOLUTE : columns.SOLUTE + columns.CLASSES].sum(axis=(1, 2))
    left = (1 - p.fines_share) * (coarse @ pct) + dry_fines * pct.sum()
    taken = pct.sum() - left - 100 * held / (p.dose_g * columns.LANE_WEIGHTS)
    mean = float(columns.LANE_WEIGHTS @ taken)
    if mean <= 0:
        return 0.0
    return float(np.sqrt(columns.LANE_WEIGHTS @ (taken - mean) ** 2)) / mean
