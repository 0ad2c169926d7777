"""What the curve says of the commands: met or not, overshot, by hand, warm enough, even."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.profile.profile import Phase
from vapocline.core.puck.binding import LIMITS
from vapocline.core.read.commands import says_commands
from vapocline.core.read.findings import (
    Change,
    Evidence,
    NotReached,
    PreInfusionEnd,
    PressureOvershoot,
    PulledByHand,
    TemperatureOff,
    Wetting,
)
from vapocline.core.read.pulled import (
    STARTS_S,
    ControlledVariable,
    Pulled,
    RecordedPhase,
    commanded_variable,
    runs,
)
from vapocline.core.read.record import GRID_S, PUMPING_ML_S, box_mean, bridged, lagged
from vapocline.core.read.replay import Replay
from vapocline.core.read.thresholds import ThresholdName, threshold
from vapocline.core.read.water_rules import drained_ml

LEAST_FLAT_S = 2.5
ANY_LAG_S = 0.8  # of a machine that nobody knows
MOST_FLOW_ML_S = 5.0  # commands above it are of pressure once a puck drips
NEAR_SHARE, APART_SHARE = 0.25, 0.25  # of a command: so near is its own, so far another's
SETTLES_S = 3.0  # from pump on, before a temperature counts
LEAST_RAMP_S, LEAST_RAMP_BAR, LEAST_RAMP_TURNS = 2.0, 1.5, 0.2
MOST_SHIFT_S = 3.0
NEARLY, PUMP_SHARE = 0.92, 0.6  # of a limit: close enough to be held by it


def not_reached(pulled: Pulled) -> list[NotReached]:
    """Seconds under the lag-filtered command beyond the replay's, phase by phase; the limit it met.

    The replay stays under where the machine is known not to give it; what is said here is more.
    """
    found = []
    for span, phase, variable, replay in _commanded(pulled):
        name: ThresholdName = "under_bar" if variable == "pressure" else "under_ml_s"
        least = threshold(name, pulled.record.gauges)
        asked, own, usual = _of_span(pulled, span, variable, replay)
        asked = asked.min(axis=0)  # what a lag excuses is not under
        under, expected = asked - own > least, asked - usual > least
        seconds = float(under.sum() - expected.sum()) * GRID_S
        waits: ThresholdName = "not_reached_ramp_s" if phase.kind == "ramp" else "not_reached_s"
        if seconds < threshold(waits, pulled.record.gauges):
            continue
        first, after = max(runs(under), key=lambda one: one[1] - one[0])
        worst = first + int(np.argmax((asked - own)[first:after]))
        reached, wanted = float(own[worst]), float(asked[worst])
        from_s = span.start_s + STARTS_S + first * GRID_S
        unit = "bar" if variable == "pressure" else "mL/s"
        limit = _limit(pulled, span, replay)
        short = float(np.mean(np.clip(1 - own[under] / np.maximum(asked[under], 0.1), 0, 1)))
        digits = 1 if variable == "pressure" else 2
        found.append(
            NotReached(
                from_s=round(from_s, 1), to_s=round(from_s + (after - first) * GRID_S, 1),
                sure="likely", size_s=seconds * short, phase=span.phase,
                asked=round(wanted, 2), reached=round(reached, 2), unit=unit,
                seconds=round(seconds, 1), limit=limit,
                title=f"{phase.name} was not reached",
                words=f"{wanted:.{digits}f} {unit} were asked for and {reached:.{digits}f} "
                f"came at worst, {seconds:.0f} s longer under than the puck explains"
                + (f"; the {limit} held it." if limit else "."),
                evidence=[
                    Evidence(what="furthest under", was=f"{reached:.{digits}f} {unit}",
                             usual=f"{wanted:.{digits}f} {unit}"),
                    Evidence(what="under it for", was=f"{float(under.sum()) * GRID_S:.1f} s",
                             usual=f"{float(expected.sum()) * GRID_S:.1f} s"),
                ],
                schools="Ask for what comes, say some, so that the plan tells the truth; find out "
                "why the machine gives less, say others.",
                change=_what_came(phase, span, float(np.max(own[first:after])), unit),
            )
        )  # fmt: skip
    return found


def relief_opened(pulled: Pulled) -> tuple[NotReached, float] | None:
    """A command that was missed because the relief valve let water go, and how many mL of it.

    The pressure stands flat under its command, and more water was pumped than cup and puck hold:
    a weak pump's pressure moves with the flow, and loses nothing.
    """
    record, replay = pulled.record, pulled.replay
    if replay is None or not {"pressure", "water", "cup"} <= record.known:
        return None
    flat = threshold("relief_flat_bar", record.gauges)
    for one in sorted(not_reached(pulled), key=lambda one: one.from_s - one.to_s):
        first, last = round(one.from_s / GRID_S), round(one.to_s / GRID_S)
        held = np.sort(box_mean(record.pressure_bar, 0.5)[first:last])
        if one.unit != "bar" or held.size < LEAST_FLAT_S / GRID_S:
            continue
        tenth = held.size // 10
        if held[-1 - tenth] - held[tenth] > flat:
            continue
        drained = drained_ml(pulled, last)
        if drained is not None:
            middle = float(np.median(held))
            return _by_relief(one, middle, drained), drained
    return None


def _by_relief(one: NotReached, bar: float, drained: float) -> NotReached:
    return one.model_copy(
        update={
            "limit": "relief valve",
            "reached": round(bar, 2),
            "words": f"{one.asked:.1f} bar were asked for and {bar:.1f} came, held flat for "
            f"{one.to_s - one.from_s:.0f} s: the relief valve opened, and some {drained:.0f} mL of "
            "the water did not go through the puck.",
            "how": "The pressure stands flat under its command, while more is pumped than cup and "
            "puck hold.",
            "schools": "Set the valve higher, if the machine allows it, say some; plan below it, "
            "say others.",
        }
    )


def not_met(pulled: Pulled) -> list[NotReached]:
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
    first, after = max(runs(under), key=lambda one: one[1] - one[0], default=(0, 0))
    seconds = float(under.sum()) * GRID_S
    if seconds < threshold("not_reached_s", record.gauges):
        return []
    worst = first + int(np.argmax((asked - own)[first:after]))
    reached, wanted = float(own[worst]), float(asked[worst])
    short = float(np.mean(np.clip(1 - own[under] / np.maximum(asked[under], 0.1), 0, 1)))
    digits = 1 if bar else 2
    return [
        NotReached(
            from_s=round(float(record.time_s[first]), 1),
            to_s=round(float(record.time_s[after - 1]), 1),
            sure="likely", size_s=seconds * short, phase=int(record.phase[first]),
            asked=round(wanted, 2), reached=round(reached, 2), unit=unit,
            seconds=round(seconds, 1), limit=None, title="A command was not reached",
            words=f"{wanted:.{digits}f} {unit} were asked for and {reached:.{digits}f} came at "
            f"worst, {seconds:.0f} s under it after the first drip.",
            evidence=[
                Evidence(what="furthest under", was=f"{reached:.{digits}f} {unit}",
                         usual=f"{wanted:.{digits}f} {unit}"),
            ],
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


def overshoot(pulled: Pulled) -> list[PressureOvershoot]:
    """Above the lag-filtered command with water flowing, longer than the replay is."""
    found = []
    for span, phase, variable, replay in _commanded(pulled):
        bar = variable == "pressure"
        least = threshold("overshoot_bar" if bar else "overshoot_ml_s", pulled.record.gauges)
        asked, own, usual = _of_span(pulled, span, variable, replay)
        asked = asked.max(axis=0)
        flowing = _of(pulled.record.water_ml_s, span) > PUMPING_ML_S if bar else own > 0
        flowing |= np.isnan(_of(pulled.record.water_ml_s, span)) if bar else False
        over, expected = (own - asked > least) & flowing, usual - asked > least
        seconds = float(over.sum() - expected.sum()) * GRID_S
        if seconds < threshold("overshoot_s", pulled.record.gauges):
            continue
        first, after = max(runs(over), key=lambda one: one[1] - one[0])
        at = first + int(np.argmax(own[first:after] - asked[first:after]))
        peak, wanted = float(own[at]), float(asked[at])
        from_s = span.start_s + STARTS_S + first * GRID_S
        unit = "bar" if bar else "mL/s"
        found.append(
            PressureOvershoot(
                from_s=round(from_s, 1), to_s=round(from_s + (after - first) * GRID_S, 1),
                sure="sure" if peak - wanted > 2 * least else "likely",
                size_s=seconds * (peak / max(0.5, wanted) - 1), phase=span.phase,
                asked=round(wanted, 2), peak=round(peak, 2), unit=unit, seconds=round(seconds, 1),
                title="Pressure overshot" if bar else "Flow overshot",
                words=f"{peak - wanted:.1f} {unit} above {wanted:.1f}, settled in {seconds:.1f} s.",
                evidence=[
                    Evidence(what="peak", was=f"{peak:.1f} {unit}", usual=f"{wanted:.1f} {unit}"),
                    Evidence(what="above it for", was=f"{float(over.sum()) * GRID_S:.1f} s",
                             usual=f"{float(expected.sum()) * GRID_S:.1f} s"),
                ],
                schools="Rise more slowly, say most; leave it if the cup is good, say some.",
                change=_slower_rise(phase, span),
            )
        )  # fmt: skip
    return found


def _commanded(pulled: Pulled) -> list[tuple[RecordedPhase, Phase, ControlledVariable, Replay]]:
    """Phases that command bar or mL/s whose channel was measured, with the replay beside them."""
    if pulled.replay is None or pulled.replay.of_pressure:
        return []
    found: list[tuple[RecordedPhase, Phase, ControlledVariable, Replay]] = []
    for span in pulled.spans:
        phase = pulled.phase_of(span)
        variable = commanded_variable(phase)
        channel = "pressure" if variable == "pressure" else "water"
        if phase is None or variable is None or channel not in pulled.record.known:
            continue
        if span.end_s - span.start_s <= STARTS_S + 0.5:
            continue
        if not pulled.record.broken_within(span.start_s, span.end_s):
            found.append((span, phase, variable, pulled.replay))
    return found


def _of(values: Floats, span: RecordedPhase) -> Floats:
    return values[round((span.start_s + STARTS_S) / GRID_S) : round(span.end_s / GRID_S)]


def _of_span(
    pulled: Pulled, span: RecordedPhase, variable: ControlledVariable, replay: Replay
) -> tuple[Floats, Floats, Floats]:
    """The command (raw, and through the machine's lag), the measured channel, the replay's."""
    record, machine = pulled.record, replay.parameters
    bar = variable == "pressure"
    lag = (machine.pressure_lag_s if bar else machine.flow_lag_s) + replay.lag_s
    own = record.pressure_bar if bar else record.water_ml_s
    smooth = box_mean(own, 0.3 if record.gauges == "good" else 0.9)
    usual = replay.pressure_bar if bar else replay.water_ml_s
    first, after = round(span.start_s / GRID_S), round(span.end_s / GRID_S)
    asked = bridged(record.asked[first:after])
    led_in = np.concatenate(([smooth[first]], asked))  # the lag begins where it stood
    filtered = np.stack([asked, lagged(led_in, lag)[1:]])
    skip = round(STARTS_S / GRID_S)
    size = min(asked.size, _of(own, span).size + skip)
    return (
        filtered[:, skip:size],
        smooth[first + skip : first + size],
        usual[first + skip : first + size],
    )


def _limit(pulled: Pulled, span: RecordedPhase, replay: Replay) -> str | None:
    """Which limit held in that phase: the replay's, else what the record lies at."""
    held = _of(replay.bound, span).astype(np.int64)
    for bit, what in LIMITS:
        if held.size and ((held & bit) > 0).mean() > 0.3:
            return what
    phase = pulled.phase_of(span)
    water = _of(box_mean(pulled.record.water_ml_s, 0.5), span)
    if "water" not in pulled.record.known or not water.size:
        return None
    middle = float(np.median(water))
    own = None if phase is None else phase.limit.flow_ml_s
    if own is not None and middle > NEARLY * own:
        return "flow limit"
    bar = float(np.median(_of(pulled.record.pressure_bar, span)))
    gives = replay.parameters.top_flow_ml_s * (1 - bar / replay.parameters.pump_max_bar)
    return "pump curve" if middle > PUMP_SHARE * gives else None


def _what_came(phase: Phase, span: RecordedPhase, reached: float, unit: str) -> Change | None:
    if phase.command.control not in ("pressure", "flow"):
        return None
    value = round(reached, 1)
    return Change(
        phase=span.phase, number="command.to", value=value, unit=unit,
        words=f"Ask for {value:g} {unit} in {phase.name}",
    )  # fmt: skip


def _slower_rise(phase: Phase, span: RecordedPhase) -> Change | None:
    if phase.along != "time" or phase.command.control not in ("pressure", "flow"):
        return None
    over = round(max(phase.over, 0.0) + 1.5, 1)
    if over > span.end_s - span.start_s:
        return None
    return Change(
        phase=span.phase, number="over", value=over, unit="s",
        words=f"Rise over {over:g} s in {phase.name}" + (
            f" instead of {phase.over:g}" if phase.over else ""
        ),
    )  # fmt: skip


def by_hand(pulled: Pulled) -> list[PulledByHand]:
    """The best time shift of each ramp that a hand followed; a level says nothing of time."""
    if not pulled.by_hand or "pressure" not in pulled.record.known:
        return []
    record = pulled.record
    found = []
    for span in pulled.spans:
        phase = pulled.phase_of(span)
        asked = record.asked[round(span.start_s / GRID_S) : round(span.end_s / GRID_S)]
        if phase is None or asked.size * GRID_S < LEAST_RAMP_S or not np.isfinite(asked).all():
            continue
        valve = phase.command.control == "valve"  # its turns are held, its pressure follows
        if np.ptp(asked) < (LEAST_RAMP_TURNS if valve else LEAST_RAMP_BAR):
            continue
        measured = record.by_hand if valve else box_mean(record.pressure_bar, 0.5)
        if valve and not np.isfinite(measured).any():
            continue
        measured = bridged(measured)
        behind = _shift(asked, measured, round(span.start_s / GRID_S))
        if behind is None or abs(behind) < threshold("hand_s", record.gauges):
            continue
        how = "behind" if behind > 0 else "ahead of"
        found.append(
            PulledByHand(
                from_s=round(span.start_s, 1), to_s=round(span.end_s, 1), weight="note",
                sure="likely", phase=span.phase, behind_s=round(behind, 1),
                title=f"{abs(behind):.1f} s {how} the cue",
                words=f"In {phase.name} the hand ran {abs(behind):.1f} s {how} its cue.",
            )
        )  # fmt: skip
    return found


def _shift(asked: Floats, measured: Floats, at: int) -> float | None:
    """By how much the measured curve lies behind the asked one, s; None at the end of the scan."""
    most = round(MOST_SHIFT_S / GRID_S)
    shifts = [
        s for s in range(-most, most + 1) if at + s >= 0 and at + s + asked.size <= measured.size
    ]
    if len(shifts) < 3:
        return None
    errors = []
    for shift in shifts:
        off = measured[at + shift : at + shift + asked.size] - asked
        errors.append(float(np.mean((off - off.mean()) ** 2)))
    best = int(np.argmin(errors))
    return None if best in (0, len(shifts) - 1) else shifts[best] * GRID_S


def pre_infusion_end(pulled: Pulled) -> PreInfusionEnd | None:
    """When the press began against the forecast, where the clock alone did not decide it."""
    press, forecast = pulled.press_s(), pulled.forecast
    if press is None or forecast is None or forecast.press_s is None or press < 0.5:
        return None
    if not pulled.spans:  # nobody said when the press began
        return None
    known = [forecast.press_s, *(() if pulled.usual_press_s is None else (pulled.usual_press_s,))]
    share = threshold("early_end_share", pulled.record.gauges) * forecast.press_s
    least = max(threshold("early_end_s", pulled.record.gauges), share)
    if min(abs(press - one) for one in known) < least:
        return None
    late = "later" if press > forecast.press_s else "earlier"
    return PreInfusionEnd(
        from_s=0.0, to_s=round(press, 1), weight="note", sure="sure", at_s=round(press, 1),
        forecast_s=round(forecast.press_s, 1),
        size_s=abs(press - forecast.press_s),
        title=f"The press began {late}",
        words=f"Pre-infusion ended at {press:.1f} s, {abs(press - forecast.press_s):.1f} s {late} "
        "than forecast.",
        evidence=[
            Evidence(what="press from", was=f"{press:.1f} s", usual=f"{forecast.press_s:.1f} s")
        ],
    )  # fmt: skip


def temperature(pulled: Pulled) -> TemperatureOff | None:
    """The group's middle while water flows against what was set, and how far it sagged."""
    record, plan = pulled.record, pulled.plan
    if plan is None or "temperature" not in record.known:
        return None
    ran = record.until_stop()
    flowing = (np.nan_to_num(record.water_ml_s[ran]) > PUMPING_ML_S) | ("water" not in record.known)
    used = flowing & (record.time_s[ran] > SETTLES_S)
    warm = box_mean(record.group_c, 1.0)[ran][used]
    if warm.size < 20:
        return None
    middle, sag = float(np.median(warm)), float(warm[:10].mean() - warm.min())
    wanted = plan.setup.water_c
    off = middle - wanted
    if abs(off) < threshold("off_c", record.gauges) and sag < threshold("sag_c", record.gauges):
        return None
    said = []
    if abs(off) >= threshold("off_c", record.gauges):
        said.append(f"{abs(off):.1f} °C {'under' if off < 0 else 'over'} the {wanted:g} set")
    if sag >= threshold("sag_c", record.gauges):
        said.append(f"fell {sag:.1f} °C during the shot")
    return TemperatureOff(
        from_s=SETTLES_S, to_s=round(record.stop_s, 1), weight="note", sure="likely",
        group_c=round(middle, 1), set_c=wanted, sag_c=round(max(0.0, sag), 1),
        title=_warmth(off, threshold("off_c", record.gauges)),
        words=f"The group was {' and '.join(said)}.",
        evidence=[
            Evidence(what="at the group", was=f"{middle:.1f} °C", usual=f"{wanted:g} °C")
        ],
    )  # fmt: skip


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
