"""What is seen at the group: whether it was as warm as set, and whether the puck wetted evenly."""

from __future__ import annotations

import numpy as np

from vapocline.core.base import amounts
from vapocline.core.base.arrays import Floats
from vapocline.core.puck.plan import Plan
from vapocline.core.read.findings import Evidence, TemperatureOff, Wetting
from vapocline.core.read.pulled import Pulled
from vapocline.core.read.record import PUMPING_ML_S, Record, box_mean, lagged
from vapocline.core.read.thresholds import threshold

SETTLES_S = 3.0  # from pump on, before a temperature counts


def temperature(pulled: Pulled) -> TemperatureOff | None:
    """The group's middle while water flows against what was set, and how far it sagged."""
    record, plan = pulled.record, pulled.plan
    if plan is None or "temperature" not in record.known:
        return None
    ran = record.until_stop()
    flowing = (np.nan_to_num(record.water_ml_s[ran]) > PUMPING_ML_S) | ("water" not in record.known)
    used = flowing & (record.time_s[ran] > SETTLES_S)
    wanted = plan.setup.water_c
    # As warm as it would be with the shot's one water.
    warm = (box_mean(record.group_c, 1.0)[ran] - _by_phase_c(record, plan)[ran])[used]
    if warm.size < 20:
        return None
    middle, sag = float(np.median(warm)), float(warm[:10].mean() - warm.min())
    off = middle - wanted
    if abs(off) < threshold("off_c", record.gauges) and sag < threshold("sag_c", record.gauges):
        return None
    said = []
    if abs(off) >= threshold("off_c", record.gauges):
        said.append(
            f"{amounts.temperature_apart(abs(off), 1)} {'under' if off < 0 else 'over'} "
            f"the {amounts.temperature_number(wanted)} set"
        )
    if sag >= threshold("sag_c", record.gauges):
        said.append(f"fell {amounts.temperature_apart(sag, 1)} during the shot")
    return TemperatureOff(
        from_s=SETTLES_S, to_s=round(record.stop_s, 1), weight="note", sure="likely",
        group_c=round(middle, 1), set_c=wanted, sag_c=round(max(0.0, sag), 1),
        title=_warmth(off, threshold("off_c", record.gauges)),
        words=f"The group was {' and '.join(said)}.",
        evidence=[
            Evidence(
                what="at the group",
                was=amounts.temperature(middle, 1),
                usual=amounts.temperature(wanted),
            )
        ],
    )  # fmt: skip


def _by_phase_c(record: Record, plan: Plan) -> Floats:
    """How much warmer the water should be than what is set for the whole shot, °C."""
    takes, phases = plan.setup.machine.water_follows_s, plan.profile.phases
    own = [0.0 if one.water_c is None else one.water_c - plan.setup.water_c for one in phases]
    if takes is None or not any(own):
        return np.zeros(record.time_s.size)
    at = np.clip(np.nan_to_num(record.phase).astype(int), 0, len(own) - 1)
    # From the shot's own water on.
    return lagged(np.concatenate([[0.0], np.array(own)[at]]), takes)[1:]


def _warmth(off: float, least: float) -> str:
    if abs(off) < least:
        return "Temperature sagged"
    return "Not as warm as set" if off < 0 else "Warmer than set"


def wetting(pulled: Pulled) -> Wetting | None:
    """By the marks: the face covered late after the first bead, or a side that stayed dry."""
    first = {seen.mark: seen.at_s for seen in reversed(pulled.marks)}
    bead, covered = first.get("first_bead"), first.get("face_covered")
    after = None if bead is None or covered is None else covered - bead
    late = after is not None and after > threshold("covered_s", pulled.record.gauges)
    dry = first.get("dry_side")
    if not late and dry is None:
        return None
    from_s = bead if bead is not None else dry or 0.0
    to_s = max(t for t in (covered, dry, from_s) if t is not None)
    said = []
    if late:
        said.append(f"the face was covered {after:.1f} s after the first bead")
    if dry is not None:
        said.append("a side stayed dry")
    words = " and ".join(said)
    return Wetting(
        from_s=round(from_s, 1), to_s=round(to_s, 1), sure="sure",
        covered_after_s=None if after is None else round(after, 1), dry_side=dry is not None,
        title="Uneven wetting", words=f"{words[0].upper()}{words[1:]}.",
        evidence=[
            Evidence(what="bead to covered", was=f"{after:.1f} s", usual="within 4 s")
        ] if after is not None else [],
        schools="Distribute and tamp more evenly, say most; fill more slowly, say some.",
    )  # fmt: skip
