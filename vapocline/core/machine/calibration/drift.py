"""Whether a repeated calibration differs from the one in use by more than their errors."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.amounts import apart
from vapocline.core.base.amounts import change as changed_by
from vapocline.core.base.document import Answer
from vapocline.core.machine.calibration.fit import CalibrationFit

# A smaller change than this is not worth a word, whatever the errors say.
LEAST = {"mL/s": 0.1, "bar": 0.1, "°C": 0.3, "mL": 0.5, "g": 0.2, "s": 0.05, "mL/g": 0.02, "µm": 4}
TIMES = 2.0  # of both errors together: one in twenty by chance


class Drift(Answer):
    """The largest change on the stretch both cover, where, and whether it is more than chance."""

    changed: float
    at: float
    unit: str
    drifted: bool
    words: str


def drift(before: CalibrationFit, after: CalibrationFit) -> Drift:
    """Compare two fits of the same kind, the older first."""
    low = max(before.curve_x[0], after.curve_x[0])
    high = min(before.curve_x[-1], after.curve_x[-1])
    if before.x_name == "which time":
        low, high = 1.0, 1.0
    at = np.linspace(low, max(low, high), 41)
    change = np.interp(at, after.curve_x, after.curve_y) - np.interp(
        at, before.curve_x, before.curve_y
    )
    worst = int(np.argmax(np.abs(change)))
    limit = max(LEAST[after.unit], TIMES * float(np.hypot(before.error, after.error)))
    changed, drifted = float(change[worst]), bool(abs(change[worst]) > limit)
    where = "" if before.x_name == "which time" else f" at {at[worst]:.2g} {_unit(after.x_name)}"
    said = "It has drifted" if drifted else "No significant drift"
    words = (
        f"{said}: {changed_by(changed, after.unit, 2)}{where}, "
        f"where up to {apart(limit, after.unit, 2)} is noise"
    )
    return Drift(
        changed=round(changed, 4),
        at=round(float(at[worst]), 3),
        unit=after.unit,
        drifted=drifted,
        words=words,
    )


def _unit(name: str) -> str:
    return name.rsplit(", ", 1)[-1]
