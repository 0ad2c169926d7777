"""What still lands in the cup after a stop on a machine: drips by the last flow, and the delay of a
hand."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer

# Prior, ours: drips at no flow, g, and per flow, s, each with its standard deviation; and that of a
# single stop, g.
DRIP_G, DRIP_SD_G = 0.3, 0.5
DRIP_S, DRIP_SD_S = 0.5, 0.4
STOP_SD_G = 0.35
FAR_SDS = 3.0  # a stop that lies further off is a knock or a moved cup
MOST_DRIP_G = 10.0
HAND_S, HAND_SD_S, HAND_SPREAD_S = 0.3, 0.4, 0.3
MOST_HAND_S = 5.0
ENOUGH = 3  # stops from which on they say more than the model


class SeenStop(NamedTuple):
    """One stop: the flow it ended with, what dripped after, and how late a hand was, s; None where
    the machine stopped by itself."""

    last_flow_g_s: float
    drip_g: float
    hand_s: float | None = None


class Overshoot(Answer):
    """Drips after a stop: `drip_g` at no flow plus `drip_s` times the last flow; `spread_g` is the
    standard deviation of a single stop. `hand_s` is the delay of a manual stop, None where there
    was none."""

    stops: int
    drip_g: float
    drip_s: float
    spread_g: float
    hand_stops: int
    hand_s: float | None

    def at(self, last_flow_g_s: float, *, by_hand: bool = False) -> float:
        """What lands in the cup after the weight that is stopped at, g."""
        late_s = (self.hand_s or 0.0) if by_hand else 0.0
        return max(0.0, self.drip_g + (self.drip_s + late_s) * last_flow_g_s)


def overshoot_of(stops: Sequence[SeenStop], calibrated_g: float | None = None) -> Overshoot | None:
    """The line through a machine's stops; None from fewer than three.

    Bayesian linear regression with known noise (Bishop 2006, 3.3), from what is usual or from the
    drips that were calibrated; again without the stops that then lie far off.
    """
    seen = [one for one in stops if -1 < one.drip_g < MOST_DRIP_G and one.last_flow_g_s > 0]
    line = _line(seen, calibrated_g)
    kept = [one for one in seen if abs(_off(one, line)) <= FAR_SDS * STOP_SD_G]
    if len(kept) < ENOUGH:
        return None
    line = _line(kept, calibrated_g)
    hands = [one.hand_s for one in seen if one.hand_s is not None and abs(one.hand_s) < MOST_HAND_S]
    return Overshoot(
        stops=len(kept),
        drip_g=round(float(line[0]), 3),
        drip_s=round(float(line[1]), 3),
        spread_g=round(float(np.sqrt(np.mean([_off(one, line) ** 2 for one in kept]))), 3),
        hand_stops=len(hands),
        hand_s=round(_late(hands), 2) if hands else None,
    )


def _line(stops: Sequence[SeenStop], calibrated_g: float | None) -> Floats:
    """Drips at no flow and per flow, most likely."""
    if calibrated_g is None:
        mean, sds = np.array([DRIP_G, DRIP_S]), np.array([DRIP_SD_G, DRIP_SD_S])
    else:  # measured at the flows that are usual here
        mean, sds = np.array([calibrated_g, 0.0]), np.array([DRIP_SD_G / 2, DRIP_SD_S / 2])
    flows = np.array([[1.0, one.last_flow_g_s] for one in stops]).reshape(-1, 2)
    drips = np.array([one.drip_g for one in stops])
    precision = np.diag(sds**-2) + flows.T @ flows / STOP_SD_G**2
    pulled = mean / sds**2 + flows.T @ drips / STOP_SD_G**2
    return np.asarray(np.linalg.solve(precision, pulled), dtype=np.float64)


def _off(stop: SeenStop, line: Floats) -> float:
    return float(stop.drip_g - line[0] - line[1] * stop.last_flow_g_s)


def _late(hands: Sequence[float]) -> float:
    """A hand's delay, from what is usual and what was seen."""
    weights = [HAND_SD_S**-2] + [HAND_SPREAD_S**-2] * len(hands)
    return float(np.average([HAND_S, *hands], weights=weights))
