"""What the curve says of time: how far a hand lies behind its cues, and when the press began."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.read.findings import Evidence, PreInfusionEnd, PulledByHand
from vapocline.core.read.pulled import Pulled
from vapocline.core.read.record import GRID_S, box_mean, bridged
from vapocline.core.read.thresholds import threshold

LEAST_RAMP_S, LEAST_RAMP_BAR, LEAST_RAMP_TURNS = 2.0, 1.5, 0.2
MOST_SHIFT_S = 3.0


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
