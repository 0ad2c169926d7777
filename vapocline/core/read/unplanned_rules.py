"""What the curve says of recorded commands where no plan says what they are of."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.read.command_rules import shortfall_of
from vapocline.core.read.commands import says_commands
from vapocline.core.read.findings import NotReached
from vapocline.core.read.pulled import Pulled
from vapocline.core.read.record import GRID_S, box_mean, bridged, lagged
from vapocline.core.read.thresholds import threshold

ANY_LAG_S = 0.8  # of a machine that nobody knows
MOST_FLOW_ML_S = 5.0  # commands above it are of pressure once a puck drips
NEAR_SHARE, APART_SHARE = 0.25, 0.25  # of a command: so near is its own, so far another's


def not_reached_unplanned(pulled: Pulled) -> list[NotReached]:
    """Without a plan: seconds under what was asked, from the first drip on, when a puck is full.

    The commands are taken for bar or for mL/s by what they lie nearer to.
    """
    record, used, unit = pulled.record, _dripping(pulled), commands_in(pulled)
    if unit is None:
        return []
    bar = unit == "bar"
    own = box_mean(record.pressure_bar if bar else record.water_ml_s, 0.9)
    least = threshold("under_bar" if bar else "under_ml_s", record.gauges)
    asked = np.minimum(record.asked, lagged(bridged(record.asked), ANY_LAG_S))
    under = used & (asked - own > least)
    seconds = float(under.sum()) * GRID_S
    if seconds < threshold("not_reached_s", record.gauges):
        return []
    worst = shortfall_of(asked, own, under)
    return [
        NotReached(
            from_s=round(float(record.time_s[worst.first]), 1),
            to_s=round(float(record.time_s[worst.after - 1]), 1),
            sure="likely", size_s=seconds * worst.share, phase=int(record.phase[worst.first]),
            asked=round(worst.asked, 2), reached=round(worst.reached, 2), unit=unit,
            seconds=round(seconds, 1), limit=None, title="A command was not reached",
            words=f"{worst.words(unit)}, {seconds:.0f} s under it after the first drip.",
            evidence=[worst.evidence(unit)],
            schools="Ask for what comes, say some; find out why the machine gives less, say "
            "others.",
            how="Seconds under what was asked for, allowing for a machine's lag, once the puck "
            "drips.",
        )
    ]  # fmt: skip


def _dripping(pulled: Pulled) -> Mask:
    """When something was asked for and the puck dripped."""
    record, drip = pulled.record, pulled.first_drip_s
    from_s = math.inf if drip is None else drip + 1.0
    used: Mask = (record.time_s > from_s) & (record.time_s < record.stop_s - 1.0)
    return used & np.isfinite(record.asked)


def commands_in(pulled: Pulled) -> Literal["bar", "mL/s"] | None:
    """Without a plan, whether commands are of pressure or of flow; None where the record does not
    tell, and with a plan, which says it."""
    record, used = pulled.record, _dripping(pulled)
    if pulled.plan is not None or not says_commands(record) or not used.any():
        return None
    off: dict[Literal["bar", "mL/s"], float] = {}
    if "pressure" in record.known:
        off["bar"] = _share_off(record.asked, record.pressure_bar, used)
    if "water" in record.known:
        off["mL/s"] = _share_off(record.asked, record.water_ml_s, used)
    if not off:
        return None
    if float(np.nanmedian(record.asked[used])) > MOST_FLOW_ML_S:
        return "bar" if "bar" in off else None
    unit = min(off, key=off.__getitem__)
    others = [share for name, share in off.items() if name != unit]
    near = off[unit] < NEAR_SHARE and all(share > off[unit] + APART_SHARE for share in others)
    return unit if near else None


def _share_off(asked: Floats, own: Floats, used: Mask) -> float:
    off = np.abs(asked - box_mean(own, 0.9))[used] / np.maximum(1.0, asked[used])
    return float(np.nanmedian(off)) if off.size else math.inf
