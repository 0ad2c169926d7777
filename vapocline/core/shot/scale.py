"""What a scale does wrong in a recording: it drifts, or is tared in mid shot."""

from __future__ import annotations

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats

LEAST_POINTS, LEAST_SPAN_S = 5, 1.25
DRIFT_G_S, DRIFT_ERRORS = 0.05, 5.0  # the least drift reported, and in standard errors of it
TARED_TO_G, FALLS_G = 1.5, 2.0


def drift_g_s(time_s: Floats, cup_g: Floats) -> float:
    """How fast a weight changes over a stretch in which no drop can have fallen, g/s; 0 where it
    does not, or too little was weighed to tell."""
    if time_s.size < LEAST_POINTS or np.ptp(time_s) < LEAST_SPAN_S:
        return 0.0
    fitted = scipy.stats.linregress(time_s, cup_g)
    drift = float(fitted.slope)
    return drift if abs(drift) > max(DRIFT_G_S, DRIFT_ERRORS * float(fitted.stderr)) else 0.0


def is_tare(time_s: Floats, cup_g: Floats, from_s: float, to_s: float) -> bool:
    """Whether a fall of the weight between two moments went to nothing, from where it rises."""
    inside = cup_g[(time_s >= from_s) & (time_s <= to_s)]
    after = cup_g[time_s > to_s]
    if inside.size == 0 or inside[0] - inside.min() < FALLS_G:
        return False
    return bool(abs(inside.min()) < TARED_TO_G and after.max(initial=0.0) > TARED_TO_G)
