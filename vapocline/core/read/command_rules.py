"""What the curve says of the commands: met or not, overshot, by hand, warm enough, even."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vapocline.core.base.amounts import millilitres
from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.profile.profile import Phase
from vapocline.core.puck.binding import LIMITS
from vapocline.core.read.findings import (
    Change,
    Evidence,
    NotReached,
    PressureOvershoot,
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

DIGITS = {"bar": 1, "mL/s": 2}
LEAST_FLAT_S = 2.5
NEARLY, PUMP_SHARE = 0.92, 0.6  # of a limit: close enough to be held by it


class Shortfall(NamedTuple):
    """The longest stretch under a command: its places on the curves, what was asked for and what
    came where they lie furthest apart, and the mean share that was missing."""

    first: int
    after: int
    asked: float
    reached: float
    share: float

    def words(self, unit: str) -> str:
        """What was asked for and what came."""
        digits = DIGITS[unit]
        return (
            f"{self.asked:.{digits}f} {unit} were asked for and at worst "
            f"{self.reached:.{digits}f} came"
        )

    def evidence(self, unit: str) -> Evidence:
        """The same as a line of evidence."""
        digits = DIGITS[unit]
        return Evidence(
            what="furthest under",
            was=f"{self.reached:.{digits}f} {unit}",
            usual=f"{self.asked:.{digits}f} {unit}",
        )


def shortfall_of(asked: Floats, own: Floats, under: Mask) -> Shortfall:
    """How far a measured channel lies under its command, where `under` says it does."""
    first, after = max(runs(under), key=lambda run: run[1] - run[0])
    worst = first + int(np.argmax((asked - own)[first:after]))
    share = float(np.mean(np.clip(1 - own[under] / np.maximum(asked[under], 0.1), 0, 1)))
    return Shortfall(first, after, float(asked[worst]), float(own[worst]), share)


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
        worst = shortfall_of(asked, own, under)
        from_s = span.start_s + STARTS_S + worst.first * GRID_S
        unit = "bar" if variable == "pressure" else "mL/s"
        limit = _limit(pulled, span, replay)
        most = float(np.max(own[worst.first : worst.after]))
        found.append(
            NotReached(
                from_s=round(from_s, 1),
                to_s=round(from_s + (worst.after - worst.first) * GRID_S, 1),
                sure="likely", size_s=seconds * worst.share, phase=span.phase,
                asked=round(worst.asked, 2), reached=round(worst.reached, 2), unit=unit,
                seconds=round(seconds, 1), limit=limit,
                title=f"{phase.name} was not reached",
                words=f"{worst.words(unit)}, {seconds:.0f} s longer under than the puck explains"
                + (f"; the {limit} held it." if limit else "."),
                evidence=[
                    worst.evidence(unit),
                    Evidence(what="under it for", was=f"{float(under.sum()) * GRID_S:.1f} s",
                             usual=f"{float(expected.sum()) * GRID_S:.1f} s"),
                ],
                schools="Ask for what comes, say some, so that the plan tells the truth; find out "
                "why the machine gives less, say others.",
                change=_what_came(phase, span, most, unit),
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
    longest_first = sorted(not_reached(pulled), key=lambda missed: missed.from_s - missed.to_s)
    for missed in longest_first:
        first, last = round(missed.from_s / GRID_S), round(missed.to_s / GRID_S)
        held = np.sort(box_mean(record.pressure_bar, 0.5)[first:last])
        if missed.unit != "bar" or held.size < LEAST_FLAT_S / GRID_S:
            continue
        tenth = held.size // 10
        if held[-1 - tenth] - held[tenth] > flat:
            continue
        drained = drained_ml(pulled, last)
        if drained is not None:
            middle = float(np.median(held))
            return _by_relief(missed, middle, drained), drained
    return None


def _by_relief(missed: NotReached, bar: float, drained: float) -> NotReached:
    return missed.model_copy(
        update={
            "limit": "relief valve",
            "reached": round(bar, 2),
            "words": f"{missed.asked:.1f} bar were asked for and {bar:.1f} came, held flat for "
            f"{missed.to_s - missed.from_s:.0f} s: the relief valve opened, and about "
            f"{millilitres(drained, 0)} of the water did not go through the puck.",
            "how": "The pressure stands flat under its command, while more is pumped than cup and "
            "puck hold.",
            "schools": "Set the valve higher, if the machine allows it, say some; plan below it, "
            "say others.",
        }
    )


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
