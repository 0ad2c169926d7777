"""Whether shots have begun to run unlike their forecasts, all to one side."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from vapocline.core.base.document import Answer

IN_A_ROW = 3
LEANS = 1.3  # standard deviations off on average: of threes drawn by chance, one in 50 does
P10_TO_P90_SDS = 2.563


class ForecastDrift(Answer):
    """The last `shots` ran all slower or all faster than forecast, by so much of their time."""

    shots: int
    slower: bool
    time_pct: float


def drift_of(forecasts: Sequence[tuple[float, float, float, float]]) -> ForecastDrift | None:
    """From forecast, p10, p90 and measured time of each shot, s, in order of time: the last three
    and all before them on the same side; None where they do not lean."""
    sides = [np.sign(measured - value) for value, _low, _high, measured in forecasts]
    run = 0
    for side in reversed(sides):
        if side == 0 or side != sides[-1]:
            break
        run += 1
    if run < IN_A_ROW:
        return None
    last = np.array(forecasts[-run:])
    value, low, high, measured = last.T
    sds = np.maximum((high - low) / P10_TO_P90_SDS, 1e-6)
    if np.abs((measured - value) / sds).mean() < LEANS:
        return None
    return ForecastDrift(
        shots=run,
        slower=bool(sides[-1] > 0),
        time_pct=round(100 * float(np.median(np.abs(measured / value - 1))), 1),
    )
