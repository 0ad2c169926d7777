"""How well a grinder's doses hit what was asked for: their mean, spread and drift."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer

FEWEST = 5  # doses from which on their spread says something
DRIFTS = 2.5  # standard errors of the slope
FAR_SDS = 3.0
LEAST_SD_G = 0.1  # a scale's own step


class Doses(Answer):
    """Weighed doses less what was asked for, g: mean and standard deviation, and `drift_g`, what
    they move in ten where that is more than chance. Means of doses that lie together."""

    doses: int
    off_g: float
    sd_g: float
    drift_g: float | None

    def far(self, off_g: float) -> bool:
        """Whether a dose lies so far off that it should be ground again."""
        return abs(off_g - self.off_g) > FAR_SDS * self.sd_g

    @property
    def most_off_g(self) -> float:
        """How far off all but three in a thousand are."""
        return abs(self.off_g) + FAR_SDS * self.sd_g


def doses_of(offs_g: Sequence[float]) -> Doses | None:
    """From doses less what was asked for, in order of time; None from fewer than five.

    The spread is the median deviation's (Hampel 1974), which one botched dose does not widen.
    """
    if len(offs_g) < FEWEST:
        return None
    offs = np.array(offs_g)
    middle = float(np.median(offs))
    sd = max(LEAST_SD_G, 1.4826 * float(np.median(np.abs(offs - middle))))
    kept = np.abs(offs - middle) <= FAR_SDS * sd
    return Doses(
        doses=len(offs_g),
        off_g=round(float(offs[kept].mean()), 3),
        sd_g=round(sd, 3),
        drift_g=_drift(np.arange(offs.size)[kept].astype(float), offs[kept]),
    )


def _drift(order: Floats, offs: Floats) -> float | None:
    """What doses move in ten, g; None where that may be chance."""
    if offs.size < FEWEST:
        return None
    slope, start = np.polyfit(order, offs, 1)
    rest = offs - start - slope * order
    error = np.sqrt(rest @ rest / (offs.size - 2) / ((order - order.mean()) ** 2).sum())
    return round(10 * float(slope), 3) if abs(slope) > DRIFTS * max(error, 1e-9) else None
