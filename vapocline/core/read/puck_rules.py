"""What the curve says about the puck: how it ran as a whole, and whether it gave way."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck.columns import BINDS_FLOW_LIMIT
from vapocline.core.puck.constants import CONSTANTS
from vapocline.core.read.findings import (
    Change,
    EarlyResistance,
    Evidence,
    GaveWay,
    Loosened,
    Opened,
    RanLike,
    RunAway,
    Weight,
)
from vapocline.core.read.pulled import Pulled, beyond_usual
from vapocline.core.read.record import GRID_S, slope
from vapocline.core.read.replay import ended_at
from vapocline.core.read.resistance import (
    Loosening,
    Resistance,
    loosening_of,
)
from vapocline.core.read.thresholds import threshold

ERROR_LN_K = 0.09  # of the refit, by good gauges
SURE_LN_K = 0.45
SPURT_S = 3.0  # a spurt marked this close to an opening confirms it
GRIND_STEP_UM = 2.0
LONG_RATIO = 3.0
# A step this large and sharp is no strange puck's own course: it needs no earlier shot beside it.
PLAIN_SIZE, PLAIN_GAIN = 0.2, 6.0
MOST_SOFTER_BAR = 2.0  # one change at a time, and no larger

MAY_BE_ITS_OWN = "With no earlier pull to compare, this may be normal for the coffee."

SCHOOLS = {
    "opened": "Fall sooner, say some: a lower pressure keeps the rest together. Fill more gently "
    "and prepare the bed more evenly, say others.",
    "run_away": "Let the pressure fall along, say some; others take it as the end of the shot and "
    "stop there.",
    "early": "A longer soak evens it out, say some. Others let it be: it harms the taste of few.",
    "ran_like": "Some change the grind at once; others pull once more first, since one puck in "
    "ten runs like that.",
}


def ran_like(pulled: Pulled, loosened: GaveWay | None = None) -> RanLike | None:
    """The refit's ln-permeability lies beyond what good pulls of this coffee spread.

    Against the forecast and the coffee's earlier pulls: what lies with either is nothing odd. How
    far counts as odd follows what the forecast leaves open: an unknown coffee may lie further off.
    Permeability goes with the square of the grain size, which gives the µm.
    """
    plan, replay, record = pulled.plan, pulled.replay, pulled.record
    if plan is None or replay is None or pulled.rests_unseen:
        return None
    ran = replay.ln_k - _explained(pulled, loosened)
    off = beyond_usual(ran, pulled.usual_ln_k)
    beside = pulled.pulled_before
    sds = threshold("ran_like_sds_beside" if beside else "ran_like_sds", record.gauges)
    beyond = sds * pulled.open_ln_k
    least = max(threshold("ran_like", record.gauges), beyond)
    if (plan.profile.stop.cup_g or 0.0) > LONG_RATIO * plan.setup.dose_g:
        least *= threshold("long_drink", record.gauges)
    if abs(off) < least:
        return None
    power = CONSTANTS.permeability_power
    size = plan.setup.grind_um
    coarser = size * (math.exp(off / power) - 1)
    error = size * ERROR_LN_K / power
    ends_s, extracts = ended_at(plan, ran)
    usual_s, usually = ended_at(plan, ran - off)
    moved_s = ends_s - usual_s
    how = "coarser" if off > 0 else "finer"
    wanted = round((size - coarser) / GRIND_STEP_UM) * GRIND_STEP_UM
    compared = "than forecast" if pulled.usual_ln_k is None else "than forecast and than before"
    return RanLike(
        from_s=0.0,
        to_s=round(record.stop_s, 1),
        sure="sure" if abs(off) > SURE_LN_K else "likely",
        size_s=abs(moved_s),
        title=f"It ran like {abs(coarser):.0f} µm {how}",
        words=f"The whole shot ran {_faster(off)} {compared}, as if ground {abs(coarser):.0f} µm "
        f"{how}, give or take {error:.0f}.",
        evidence=[
            Evidence(
                what="shot time on this puck", was=f"{ends_s:.1f} s",
                usual=f"{usual_s:.1f} s",
            ),
            Evidence(
                what="extraction", was=f"{extracts:.1f} %",
                usual=f"{usually:.1f} %",
            ),
        ],
        schools=SCHOOLS["ran_like"],
        change=Change(
            phase=None, number="grind_um", value=wanted, unit="µm",
            words=f"Grind {abs(coarser):.0f} µm {'finer' if off > 0 else 'coarser'}",
        ),
        grind_um=round(coarser),
        error_um=round(error),
        shot_time_s=round(moved_s, 1),
        extraction_yield_pct=round(extracts - usually, 2),
    )  # fmt: skip


def _explained(pulled: Pulled, loosened: GaveWay | None) -> float:
    """How much of the refit's ln-permeability a loosening explains, averaged over the flow.

    Of a shot that resisted only at first the later puck is the true one, else the earlier.
    """
    if loosened is None:
        return 0.0
    size, drip = math.log1p(loosened.flow_pct / 100), pulled.first_drip_s or 0.0
    until = loosened.to_s if isinstance(loosened, EarlyResistance) else pulled.record.stop_s
    time_s = np.arange(drip, pulled.record.stop_s, GRID_S)
    ramp = np.clip((time_s - loosened.from_s) / max(0.4, until - loosened.from_s), 0.0, 1.0)
    if isinstance(loosened, Opened):
        ramp = (time_s > loosened.from_s).astype(float)
    mean = size * float(ramp.mean()) if ramp.size else 0.0
    return mean - size if isinstance(loosened, EarlyResistance) else mean


def _faster(off: float) -> str:
    return f"{100 * (math.exp(abs(off)) - 1):.0f} % {'faster' if off > 0 else 'slower'}"


def difference_at(resistance: Resistance, more: Floats, earlier: Sequence[Resistance]) -> Floats:
    """How far `more` lies beyond the span from the replay, 0, to what the coffee's earlier shots
    show at the same weight, both centred."""
    if not earlier:
        return more
    usual = [
        np.interp(resistance.cup_g, pull.cup_g, pull.centred(float(pull.cup_g[-1])))
        for pull in earlier
    ]
    mean = np.mean(usual, axis=0)
    less: Floats = more - np.clip(more, np.minimum(mean, 0.0), np.maximum(mean, 0.0))
    return less


def gave_way(
    pulled: Pulled, resistance: Resistance, earlier: Sequence[Resistance]
) -> GaveWay | None:
    """Resistance less the replay's (and less the earlier shots'), tested for a ramp.

    A quick ramp that explains more than a slow one opened; a slow one that is over early was
    early resistance; else it ran away; between them, it only loosened.
    """
    whole = pulled.whole_g
    more = difference_at(resistance, resistance.centred(whole), earlier)
    found = loosening_of(resistance, more, whole, pulled.record.gauges)
    if found is None or found.from_s > pulled.record.stop_s - 1.0:
        return None
    plain = found.course == "opened" and found.size > PLAIN_SIZE and found.gain > PLAIN_GAIN
    weight: Weight = "finding" if resistance.by_water and (earlier or plain) else "note"
    said = _said(pulled, resistance, found, weight)
    if earlier or isinstance(said, Opened):
        return said
    if found.size < threshold("slow_ramp_size_alone", pulled.record.gauges):
        return None
    return said.model_copy(update={"sure": "possible", "words": f"{said.words} {MAY_BE_ITS_OWN}"})


def _said(pulled: Pulled, resistance: Resistance, found: Loosening, weight: Weight) -> GaveWay:
    record, by = pulled.record, 100 * (math.exp(found.size) - 1)
    until = min(record.stop_s, found.from_s + found.over_s)
    from_s = max(float(resistance.time_s[0]), found.from_s)
    flows = _flows(pulled, from_s)
    common = {
        "from_s": round(from_s, 1),
        "weight": weight,
        "sure": "sure" if found.gain > PLAIN_GAIN else "likely",
        "size_s": round(_lost_s(record.stop_s, found), 1),
        "flow_pct": round(by),
        "evidence": [
            *flows,
            Evidence(what="resistance", was=f"−{100 * (1 - math.exp(-found.size)):.0f} %"),
        ],
    }
    match found.course:
        case "opened":
            spurt = any(
                seen.mark == "spurt" and abs(seen.at_s - from_s) < SPURT_S for seen in pulled.marks
            )
            at = from_s + found.over_s / 2
            return Opened(
                **common | {"sure": "sure"} if spurt else common,
                to_s=round(record.stop_s, 1), at_s=round(at, 1),
                title="The puck opened",
                words=f"At {at:.0f} s the puck gave way at once: {by:.0f} % more flow at the same "
                "pressure from there on." + (" A spurt was marked there." if spurt else ""),
                schools=SCHOOLS["opened"],
                change=_softer(pulled, at, found.size),
            )  # fmt: skip
        case "run_away":
            return RunAway(
                **common, to_s=round(record.stop_s, 1),
                title="The flow ran away",
                words=f"From {from_s:.0f} s on the puck let through more and more, {by:.0f} % by "
                "the stop beyond what is usual.",
                schools=SCHOOLS["run_away"],
                change=_softer(pulled, max(from_s, 0.6 * record.stop_s), found.size),
            )  # fmt: skip
        case "early_resistance":
            return EarlyResistance(
                **common, to_s=round(until, 1), until_s=round(until, 1),
                title="It resisted at first",
                words=f"Until {until:.0f} s the puck resisted {by:.0f} % more than the rest of "
                "the shot explains; then it ran as it should.",
                schools=SCHOOLS["early"],
            )  # fmt: skip
        case "loosened":
            return Loosened(
                **common, to_s=round(record.stop_s, 1),
                title="The puck loosened",
                words=f"From {from_s:.0f} s on it let through {by:.0f} % more; whether at once or "
                "gradually cannot be said.",
                schools=SCHOOLS["run_away"],
                change=_softer(pulled, from_s, found.size),
            )  # fmt: skip


def _lost_s(stop_s: float, found: Loosening) -> float:
    """Seconds the shot lost: the flow beyond the usual, integrated to the stop."""
    time_s = np.arange(found.from_s, stop_s, GRID_S)
    ramp = np.clip((time_s - found.from_s) / found.over_s, 0, 1)
    return float((np.exp(found.size * ramp) - 1).sum() * GRID_S)


def _flows(pulled: Pulled, from_s: float) -> list[Evidence]:
    """Cup flow before it gave way and at the stop, beside the replay's."""
    record = pulled.record
    flow = slope(record.cup_g, 1.2)
    said = []
    for what, at_s in ((f"flow at {from_s:.0f} s", from_s), ("at the stop", record.stop_s - 0.8)):
        at = min(int(at_s / GRID_S), flow.size - 1)
        usual = None
        if pulled.replay is not None:
            usual = f"{slope(pulled.replay.cup_g, 1.2)[at]:.2f} mL/s"
        said.append(Evidence(what=what, was=f"{flow[at]:.2f} mL/s", usual=usual))
    return said


def _softer(pulled: Pulled, at_s: float, size: float) -> Change | None:
    """A lower pressure at the end of that phase, which would have kept the flow where it was."""
    plan, index = pulled.plan, pulled.phase_at(at_s)
    if plan is None or index is None or index >= len(plan.profile.phases):
        return None
    phase = plan.profile.phases[index]
    if phase.command.control != "pressure" or _flow_limited(pulled, at_s):
        return None
    step = plan.setup.machine.steps.pressure_bar
    wanted = max(phase.command.to * math.exp(-size), phase.command.to - MOST_SOFTER_BAR)
    lower = max(2.0, round(wanted / step) * step)
    if phase.command.to - lower < step:
        return None
    lower = round(lower, 2)
    level = phase.command.from_ == phase.command.to
    ends = f"{phase.name} at" if level else f"End {phase.name} at"
    return Change(
        phase=index, number="command.to", value=lower, unit="bar",
        words=f"{ends} {lower:g} bar instead of {phase.command.to:g}",
    )  # fmt: skip


def _flow_limited(pulled: Pulled, at_s: float) -> bool:
    """Whether a flow limit, not the pressure, held the shot there: a lower one changes nothing."""
    if pulled.replay is None:
        return False
    at = min(int(at_s / GRID_S), pulled.replay.bound.size - 1)
    return bool(int(pulled.replay.bound[at]) & BINDS_FLOW_LIMIT)
