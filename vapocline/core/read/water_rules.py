"""What the curve says of the water: meter against scale, what stays behind, what comes out."""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.amounts import grams, millilitres
from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.read.findings import (
    Change,
    Choked,
    Evidence,
    FirstDripSeen,
    LateMeeting,
    LevelFlow,
    MeterOff,
    OverSoaked,
    StopSeen,
    WaterCount,
)
from vapocline.core.read.pulled import PRESSED_BAR, Pulled, beyond_usual, runs
from vapocline.core.read.record import GRID_S, Record, box_mean, slope
from vapocline.core.read.thresholds import threshold

LATE_CUP = 0.55  # of the cup, from which meter and scale are compared
LEAST_LATE_S = 3.0
PLAIN_METER_PCT = 8.0  # a meter off by more is a finding, not a note
FULL_SHARE = 0.60  # of the peak pressure counts as pressed
UNPLANNED = 3.0  # times as long without a plan
SURE_NONE_S = 2.0  # where nothing ever dripped
LEVEL_FROM = 0.30  # of the cup
LEVEL_SHARE = 0.90  # of the time
LEAST_FLOW = 0.3  # mL/s
FIRST_GRAMS = (1.5, 6.0)  # in the cup, over which the water that stays behind is counted
AT_STOP = 0.6  # of the difference at first still stands at the stop
FILLS_ML_S = 4.0
PLAIN_GAP = 1.5  # times the least: needs no earlier shot beside it
AFTER_S = 5.0  # so long after a stop it still drips


def meter_off(pulled: Pulled) -> MeterOff | None:
    """Late in the cup water in and cup out rise alike: their slopes' ratio less the refit's.

    Positive where the meter reads too low.
    """
    record, replay = pulled.record, pulled.replay
    if pulled.plan is None or replay is None or pulled.rests_unseen:
        return None
    if not {"cup", "water"} <= record.known:
        return None
    ran = record.until_stop()
    cup, time_s = record.cup_g[ran], record.time_s[ran]
    late = (cup > LATE_CUP * pulled.whole_g) & (time_s < record.stop_s - 0.3)
    if late.sum() * GRID_S < LEAST_LATE_S:
        return None
    first, last = np.flatnonzero(late)[[0, -1]]
    if record.broken_within(float(time_s[first]), float(time_s[last])):
        return None
    off = _ln_ratio(cup, record.water_ml_s[ran], late) - _ln_ratio(
        replay.cup_g[ran], replay.water_ml_s[ran], late
    )
    if not math.isfinite(off) or abs(off) < threshold("meter_share", record.gauges):
        return None
    pct = 100 * (math.exp(off) - 1)
    less = "less" if off > 0 else "more"
    return MeterOff(
        from_s=round(float(time_s[first]), 1), to_s=round(float(time_s[last]), 1),
        weight="finding" if abs(pct) > PLAIN_METER_PCT else "note", sure="likely",
        off_pct=round(pct, 1),
        title="Flow meter and scale disagree",
        words=f"Late in the shot the flow meter read {abs(pct):.0f} % {less} than the "
        "scale. The rest of this reading corrects for it.",
        evidence=[
            Evidence(what="flow by the scale", was=f"{_pace(cup, late):.2f} g/s"),
            Evidence(what="by the meter", was=f"{_mean(record.water_ml_s[ran][late]):.2f} mL/s"),
        ],
        schools="Calibrate the flow meter with a jug and the scale; Shelf has a page for it.",
    )  # fmt: skip


def _mean(values: Floats) -> float:
    return float(np.nanmean(values))


def _ln_ratio(cup: Floats, water: Floats, late: Mask) -> float:
    return math.log(max(1e-6, _pace(cup, late)) / max(1e-6, _mean(water[late])))


def _pace(cup: Floats, late: Mask) -> float:
    """Slope of the weight over a stretch, g/s."""
    at = np.flatnonzero(late)
    return float(np.polyfit(at * GRID_S, cup[late], 1)[0])


def retained_ml(record_water: Floats, cup: Floats) -> Floats:
    """What was pumped less what is in the cup, mL, at each moment."""
    return np.cumsum(np.nan_to_num(record_water)) * GRID_S - np.nan_to_num(cup)


def held_more_ml(pulled: Pulled) -> float | None:
    """What stays behind once the first grams are in the cup beyond the replay, mL; None where it
    cannot be told."""
    record, replay, drip = pulled.record, pulled.replay, pulled.first_drip_s
    if pulled.plan is None or replay is None or drip is None or pulled.rests_unseen:
        return None  # without a plan nobody knows whose head it was
    if not {"cup", "water"} <= record.known or pulled.whole_g < FIRST_GRAMS[1]:
        return None
    if record.broken_within(0.0, record.stop_s):
        return None
    own, usual = (_held_at_first(one.water_ml_s, one.cup_g) for one in (record, replay))
    return own - usual


def water_count(pulled: Pulled) -> WaterCount | None:
    """What stays behind once the first grams are in the cup, mL, beside the refit's and the earlier
    pulls'."""
    record, replay, drip = pulled.record, pulled.replay, pulled.first_drip_s
    off = held_more_ml(pulled)
    if off is None or replay is None or drip is None:
        return None
    more = beyond_usual(off, pulled.usual_held_more_ml)
    own = _held_at_first(record.water_ml_s, record.cup_g)
    usual = own - more
    least, last = threshold("retained_ml", record.gauges), record.until_stop().stop - 1
    at_stop = _held(record, last) - float(retained_ml(replay.water_ml_s, replay.cup_g)[last])
    at_stop -= off - more
    # What is held too little at first and made up for later is a puck that wets late.
    if min(abs(more), abs(at_stop) / AT_STOP) < least or more * at_stop < 0:
        return None
    return WaterCount(
        from_s=0.0, to_s=round(drip, 1), sure="likely",
        size_s=abs(more) / FILLS_ML_S,
        retained_ml=round(own, 1), usual_ml=round(usual, 1),
        title="More water stayed behind" if more > 0 else "Less water stayed behind",
        words=f"{millilitres(own, 0)} of the water pumped before the first drip stayed behind; "
        f"head and puck {'usually' if pulled.usual_held_more_ml else 'should'} hold "
        f"{millilitres(usual, 0)}.",
        evidence=[
            Evidence(
                what="held at the first drip", was=millilitres(own, 1), usual=millilitres(usual, 1)
            )
        ],
        schools="Measure the space above the puck again (Shelf): it varies with basket and dose.",
    )  # fmt: skip


def _held(record: Record, at: int) -> float:
    return float(retained_ml(record.water_ml_s, record.cup_g)[at])


def _held_at_first(water: Floats, cup: Floats) -> float:
    """Median of what stays behind while the first grams fall, mL, by equal steps of weight."""
    risen = np.maximum.accumulate(box_mean(cup, 0.5))
    steps = np.arange(*FIRST_GRAMS, 0.25)
    return float(np.median(np.interp(steps, risen, retained_ml(water, cup))))


def drained_ml(pulled: Pulled, at: int) -> float | None:
    """What had left by a drain at a place of the grid, mL: beyond what the replay's head and puck
    hold, once drips fall; None where it is no more than they might hold."""
    record, replay = pulled.record, pulled.replay
    if replay is None or pulled.first_drip_s is None or pulled.whole_g < FIRST_GRAMS[1]:
        return None
    more = _held_at_first(record.water_ml_s, record.cup_g) - _held_at_first(
        replay.water_ml_s, replay.cup_g
    )
    if record.time_s[at] > pulled.first_drip_s:
        later = _held(record, at) - float(retained_ml(replay.water_ml_s, replay.cup_g)[at])
        more = max(more, later)
    pumped = float(np.nansum(record.water_ml_s[record.until_stop()])) * GRID_S
    least = threshold("retained_ml", record.gauges)
    return more if more > least + threshold("gap_area_share", record.gauges) * pumped else None


def gap_more_ml(pulled: Pulled) -> float | None:
    """What the puck drank after its first drip beyond the replay, mL; None where unknown.

    The area between water in and cup out, each from its own first grams to the stop: a few drops
    may fall before a rest in which the puck goes on drinking.
    """
    record, replay, drip = pulled.record, pulled.replay, pulled.first_drip_s
    if pulled.plan is None or replay is None or drip is None or pulled.rests_unseen:
        return None
    if not {"cup", "water"} <= record.known:
        return None
    if record.broken_within(drip, record.stop_s) or drip > record.stop_s - 2:
        return None
    own = _gap_ml(record.water_ml_s, record.cup_g, record.stop_s)
    return own - _gap_ml(replay.water_ml_s, replay.cup_g, record.stop_s)


def late_meeting(pulled: Pulled) -> LateMeeting | None:
    """The gap between water in and cup out from the drip on, beyond the refit's and the usual."""
    record, drip, more = pulled.record, pulled.first_drip_s, gap_more_ml(pulled)
    pumped = float(np.nansum(record.water_ml_s[record.until_stop()])) * GRID_S
    share = threshold("gap_area_share", record.gauges)
    least = max(threshold("gap_area_ml", record.gauges), share * pumped)
    press = pulled.press_s()
    if drip is not None and press is not None and drip < press:
        least *= threshold("gap_area_soaked", record.gauges)
    if more is None or drip is None or more - max(0.0, pulled.usual_gap_more_ml or 0.0) < least:
        return None
    own = _gap_ml(record.water_ml_s, record.cup_g, record.stop_s)
    usual = max(0.0, own - more)
    plain = pulled.usual_gap_more_ml is not None or more > PLAIN_GAP * least
    flow = max(0.5, float(np.nanmean(slope(record.cup_g, 1.0)[record.until_stop()][-20:])))
    return LateMeeting(
        from_s=round(drip, 1), to_s=round(record.stop_s, 1), sure="likely",
        weight="finding" if plain else "note",
        size_s=(own - usual) / flow, gap_ml=round(own, 1), usual_ml=round(usual, 1),
        title="Water in met cup out late",
        words=f"After the first drip the puck took {millilitres(own, 0)} more before it let "
        f"through what came in; {millilitres(usual, 0)} are usual. Parts of it were still dry.",
        evidence=[
            Evidence(
                what="drunk after the drip", was=millilitres(own, 1), usual=millilitres(usual, 1)
            )
        ],
        schools="Fill longer or more slowly before the press, say most; prepare more evenly, say "
        "some.",
        change=_longer_soak(pulled),
    )  # fmt: skip


def _gap_ml(water: Floats, cup: Floats, to_s: float) -> float:
    held = retained_ml(water, cup)
    risen = box_mean(cup, 0.5) >= FIRST_GRAMS[0]
    last = min(round(to_s / GRID_S), held.size - 1)
    return float(held[last] - held[min(int(np.argmax(risen)), last)]) if risen.any() else 0.0


def _longer_soak(pulled: Pulled) -> Change | None:
    """The pre-infusion's seconds, longer by three; None where it ends by something else."""
    if pulled.plan is None:
        return None
    for index, phase in enumerate(pulled.plan.profile.phases):
        if phase.kind != "pre-infusion":
            continue
        for place, rule in enumerate(phase.exits):
            if rule.when == "seconds":
                value = round(rule.value + 3, 1)
                return Change(
                    phase=index, number="exit", exit=place, value=value, unit="s",
                    words=f"Let {phase.name} last {value:g} s instead of {rule.value:g}",
                )  # fmt: skip
    return None


def choked(pulled: Pulled) -> Choked | None:
    """Under full pressure next to nothing comes out, later than any shot needs to begin.

    Looked for after the press + 4 s and 1.6 times the forecast's first drip.
    """
    record, press = pulled.record, pulled.press_s()
    if not {"pressure", "cup"} <= record.known:
        return None
    never = pulled.first_drip_s is None or pulled.first_drip_s > record.stop_s - 1.0
    due = 0.0 if press is None else press + 4.0
    if pulled.forecast is not None and not (never or math.isnan(pulled.forecast.first_drip_s)):
        due = max(due, 1.6 * pulled.forecast.first_drip_s)
    ran = record.until_stop()
    pressure = box_mean(record.pressure_bar, 0.5)[ran]
    flow = slope(record.cup_g, 1.6)[ran]
    pressed = (pressure > PRESSED_BAR) & (pressure > FULL_SHARE * pressure.max())
    slow = pressed & (flow < threshold("choked_g_s", record.gauges)) & (record.time_s[ran] > due)
    longest = max(runs(slow), key=lambda one: one[1] - one[0], default=(0, 0))
    first, after = longest
    lasted = (after - first) * GRID_S
    least = threshold("choked_s", record.gauges)
    if pulled.forecast is None:  # nobody knows when it should have dripped
        least *= UNPLANNED
    if lasted < least and not (never and lasted > SURE_NONE_S):
        return None
    start, end = float(record.time_s[first]), float(record.time_s[after - 1])
    bar, flowed = float(pressure[first:after].mean()), float(flow[first:after].mean())
    flowed = max(0.0, flowed)
    return Choked(
        from_s=round(start, 1), to_s=round(end, 1), sure="sure", size_s=lasted,
        seconds=round(lasted, 1), pressure_bar=round(bar, 1), flow_g_s=round(flowed, 2),
        title="The puck choked",
        words=f"For {lasted:.0f} s next to nothing came out under {bar:.1f} bar.",
        evidence=[
            Evidence(what="cup flow", was=f"{flowed:.2f} g/s", usual="over 0.3 g/s"),
            Evidence(what="pressure", was=f"{bar:.1f} bar"),
        ],
        schools="Grind coarser, say nearly all; less dose in this basket, say some.",
        change=_coarser(pulled),
    )  # fmt: skip


def _coarser(pulled: Pulled) -> Change | None:
    if pulled.plan is None:
        return None
    size = pulled.plan.setup.grind_um
    value = round(size * 1.12 / 2) * 2.0
    return Change(
        phase=None, number="grind_um", value=value, unit="µm",
        words=f"Grind {value - size:.0f} µm coarser",
    )  # fmt: skip


def over_soaked(pulled: Pulled) -> OverSoaked | None:
    """More in the cup when the press began than the forecast lets drip before it."""
    record, press = pulled.record, pulled.press_s()
    if pulled.forecast is None or press is None or "cup" not in record.known or press < 1.0:
        return None
    if not pulled.spans:  # nobody said when the press began
        return None
    weight = float(box_mean(record.cup_g, 0.5)[min(round(press / GRID_S), record.cup_g.size - 1)])
    usual = pulled.forecast.cup_at_press_g
    least = threshold("soaked_g", record.gauges)
    if weight <= max(least, usual + threshold("soaked_more_g", record.gauges)):
        return None
    drip = pulled.first_drip_s or press
    late = max(0.5, float(np.nanmax(slope(record.cup_g, 1.0))))
    return OverSoaked(
        from_s=round(min(drip, press), 1), to_s=round(press, 1), sure="sure",
        size_s=(weight - usual) / late, cup_g=round(weight, 1), usual_g=round(usual, 1),
        title="It soaked too long",
        words=f"{grams(weight, 1)} were in the cup before the press began; "
        f"{grams(usual, 1)} were forecast.",
        evidence=[Evidence(what="cup at the press", was=grams(weight, 1), usual=grams(usual, 1))],
        schools="End the soak at the first drip, say most. Some let it drip on purpose: it tastes "
        "softer.",
        change=_shorter_soak(pulled, press, drip),
    )  # fmt: skip


def _shorter_soak(pulled: Pulled, press_s: float, drip_s: float) -> Change | None:
    """The last phase before the press, shorter by what it ran beyond the first drip."""
    before = [span for span in pulled.spans if span.end_s <= press_s + 0.05]
    phase = pulled.phase_of(before[-1]) if before else None
    if phase is None:
        return None
    for place, rule in enumerate(phase.exits):
        if rule.when == "seconds" and rule.value > 2:
            value = round(max(1.0, rule.value - max(1.0, press_s - drip_s)), 1)
            return Change(
                phase=before[-1].phase, number="exit", exit=place, value=value, unit="s",
                words=f"Let {phase.name} last {value:g} s instead of {rule.value:g}",
            )  # fmt: skip
    return None


def first_drip_seen(pulled: Pulled) -> FirstDripSeen | None:
    """The weight's line over its first gram, traced back to the drip, with the scale's lag out."""
    drip = pulled.first_drip_s
    if drip is None:
        return None
    usual = None if pulled.forecast is None else round(pulled.forecast.first_drip_s, 1)
    compared = "" if usual is None or math.isnan(usual) else f", {usual:.1f} s forecast"
    return FirstDripSeen(
        from_s=round(drip, 1), to_s=round(drip, 1), weight="note", sure="sure",
        at_s=round(drip, 1), usual_s=None if usual is None or math.isnan(usual) else usual,
        title="First drip", words=f"The first drip fell at {drip:.1f} s{compared}.",
    )  # fmt: skip


def level(pulled: Pulled) -> LevelFlow | None:
    """Nine tenths of the cup flow within 8 % of its middle, from a third of the cup to the end."""
    record = pulled.record
    if "cup" not in record.known:
        return None
    ran = record.until_stop()
    cup, time_s = record.cup_g[ran], record.time_s[ran]
    flow = slope(record.cup_g, 3.0)[ran]
    used = (cup > LEVEL_FROM * pulled.whole_g) & (time_s < record.stop_s - 1.0)
    if used.sum() * GRID_S < LEAST_LATE_S or record.broken_within(
        float(time_s[used][0]), record.stop_s
    ):
        return None
    middle = float(np.median(flow[used]))
    if middle < LEAST_FLOW:
        return None
    off = float(np.quantile(np.abs(flow[used] / middle - 1), LEVEL_SHARE))
    if off > threshold("level_share", record.gauges):
        return None
    return LevelFlow(
        from_s=round(float(time_s[used][0]), 1), to_s=round(record.stop_s, 1), weight="note",
        sure="sure", flow_g_s=round(middle, 2), within_pct=round(100 * off, 1),
        title="The flow stood level",
        words=f"From a third of the cup on it ran level at {middle:.1f} g/s, within "
        f"{100 * off:.0f} %.",
    )  # fmt: skip


def stop_seen(pulled: Pulled, lag_s: float) -> StopSeen | None:
    """Weight at the stop by a line over the last second, lag out; what dripped after; the hand."""
    record = pulled.record
    if "cup" not in record.known or record.broken_within(record.stop_s - 1.2, record.stop_s):
        return None
    time_s, measured = record.time_s, np.isfinite(record.cup_g)
    late = measured & (time_s > record.stop_s - 1.0) & (time_s <= record.stop_s)
    if late.sum() < 5:
        return None
    pace, at_zero = np.polyfit(time_s[late] - record.stop_s, record.cup_g[late], 1)
    at_stop = float(at_zero + pace * lag_s)
    after = measured & (time_s > record.stop_s + AFTER_S)
    dripped = None
    if after.any() and not record.broken_within(record.stop_s, float(time_s[-1])):
        dripped = round(float(np.median(record.cup_g[after])) - at_stop, 1)
    delay = None
    if pulled.stopped_by == "hand" and pulled.target_g and pace > LEAST_FLOW:
        delay = round((at_stop - pulled.target_g) / float(pace), 1)
    dripping = "" if dripped is None else f", {grams(max(0.0, dripped), 1)} dripped after it"
    return StopSeen(
        from_s=round(record.stop_s, 1), to_s=round(record.stop_s, 1), weight="note", sure="sure",
        cup_g=round(at_stop, 1), after_drip_g=dripped, delay_s=delay,
        title="Stop", words=f"{grams(at_stop, 1)} were in the cup at the stop{dripping}.",
    )  # fmt: skip
