"""What seems wrong with a recording from elsewhere, by the size of its numbers: asked before it is
kept, never put right unasked."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from vapocline.core.base.amounts import change, grams
from vapocline.core.base.arrays import Floats, Mask
from vapocline.core.base.document import Answer
from vapocline.core.shot.scale import drift_g_s, is_tare
from vapocline.core.shot.traces import Traces
from vapocline.core.tidy.bring_in import UNITS, Column, ImportedColumn

FAR_G = 2.0  # from nothing, before a drop can have fallen
FALLS_G = 5.0
WORKING_BAR, WORKING_ML_S = 0.8, 0.3
IDLE_S = 3.0  # before the pump, that are no part of the shot
BETWEEN_S, SHOT_S, DRINK_G = 8.0, 8.0, 12.0  # of rest between two shots; the least that is one
UNWEIGHED_S = 25.0  # of rest, where no drink in the cup tells a shot from a bloom
TARED_WITHIN_S = 0.6
TURNED = {"g": "−g", "oz": "−oz", "−g": "g", "−oz": "oz"}


class Usual(NamedTuple):
    """What a shot's figure lies within, and about what."""

    low: float
    high: float
    middle: float
    unit: str


USUAL: dict[ImportedColumn, Usual] = {
    "time_s": Usual(4, 300, 30, "s"),
    "pressure_bar": Usual(0.8, 16, 9, "bar"),
    "water_in_ml_s": Usual(0.3, 16, 5, "mL/s"),
    "cup_g": Usual(4, 400, 36, "g"),
    "group_c": Usual(40, 110, 92, "°C"),
}
WHAT: dict[ImportedColumn, str] = {
    "time_s": "the recording lasts", "pressure_bar": "the highest pressure is",
    "water_in_ml_s": "the highest flow is", "cup_g": "the cup ends at",
    "group_c": "the group is at",
}  # fmt: skip


class ImportDoubt(Answer):
    """Something that seems wrong, as a question in `words`. What would put it right is another
    `unit` or `offset` of a column, or where the recording `begins_s` or `ends_s`; None where that
    is not it."""

    words: str
    column: int | None = None
    unit: str | None = None
    offset: float | None = None
    begins_s: float | None = None
    ends_s: float | None = None


def doubts_of(
    traces: Traces, columns: Sequence[Column], begins_s: float = 0.0
) -> list[ImportDoubt]:
    """Everything that seems wrong, the units first: nothing else can be judged before they are
    right. `traces` are as mapped by the columns, from `begins_s` of their clock on."""
    units = [found for one in columns if (found := _unit_doubt(traces, one)) is not None]
    if units:
        return units
    cup = next((one for one in columns if one.channel == "cup_g"), None)
    return [
        *_two_shots(traces, begins_s),
        *_idle(traces, begins_s),
        *(_scale(traces, cup) if cup else ()),
    ]


def _figure(traces: Traces, channel: ImportedColumn) -> float | None:
    values: Floats = getattr(traces, channel)
    known = values[np.isfinite(values)]
    if not known.size:
        return None
    if channel == "time_s":
        return float(known[-1] - known[0])
    if channel == "cup_g":
        return float(np.percentile(known, 98) - min(0.0, float(np.percentile(known, 2))))
    if channel == "group_c":
        return float(np.median(known))
    return float(np.percentile(known, 98))


def _unit_doubt(traces: Traces, one: Column) -> ImportDoubt | None:
    """Another unit, where what was read is no shot's and that one's would be."""
    usual, read = USUAL.get(one.channel), _figure(traces, one.channel)
    if usual is None or read is None or usual.low <= read <= usual.high or read <= 0:
        return None
    factor, constant = UNITS[one.channel][one.unit]
    theirs = (read - constant - one.offset) / factor
    fits: list[tuple[float, str, float]] = []
    for unit, (other, more) in UNITS[one.channel].items():
        value = theirs * other + more + one.offset
        if unit != one.unit and usual.low <= value <= usual.high:
            fits.append((abs(math.log(value / usual.middle)), unit, value))
    said = f"In {one.unit} {WHAT[one.channel]} {read:.4g} {usual.unit}, which is no shot's"
    if not fits:
        return ImportDoubt(words=f"{said}. Is this the right column?", column=one.column)
    _far, unit, value = min(fits)
    words = f"{said}; in {unit} it would be {value:.3g} {usual.unit}. Is it in {unit}?"
    return ImportDoubt(words=words, column=one.column, unit=unit)


def _working(traces: Traces) -> Mask:
    """Where there is pressure or water."""
    pressed = np.nan_to_num(traces.pressure_bar) > WORKING_BAR
    working: Mask = pressed | (np.nan_to_num(traces.water_in_ml_s) > WORKING_ML_S)
    return working


def _spans(traces: Traces) -> list[tuple[float, float]]:
    """When the machine worked, s, from when to when; short rests are part of a shot."""
    found: list[tuple[float, float]] = []
    for at in traces.time_s[_working(traces)]:
        if found and at - found[-1][1] < BETWEEN_S:
            found[-1] = found[-1][0], float(at)
        else:
            found.append((float(at), float(at)))
    return found


def _two_shots(traces: Traces, begins_s: float) -> Iterator[ImportDoubt]:
    shots = [span for span in _spans(traces) if span[1] - span[0] >= SHOT_S]
    ends = [(first[1], second[0]) for first, second in pairwise(shots)]
    for stopped_s, again_s in ends:
        if _is_pause_between_drinks(traces, stopped_s, again_s):
            yield ImportDoubt(
                words=(
                    "There seem to be two shots in this recording: the machine rests from "
                    f"{stopped_s:.0f} to {again_s:.0f} s. Keep only the first?"
                ),
                ends_s=round(begins_s + (stopped_s + again_s) / 2, 1),
            )
            return


def _is_pause_between_drinks(traces: Traces, stopped_s: float, again_s: float) -> bool:
    """Whether a rest parts two drinks, rather than a bloom or pulses of one."""
    known = np.isfinite(traces.cup_g)
    if not known.any():
        return again_s - stopped_s >= UNWEIGHED_S
    time_s, cup_g = traces.time_s[known], traces.cup_g[known]
    sides = cup_g[time_s <= stopped_s], cup_g[time_s >= again_s]
    return all(side.size > 0 and float(np.ptp(side)) >= DRINK_G for side in sides)


def _idle(traces: Traces, begins_s: float) -> Iterator[ImportDoubt]:
    spans = _spans(traces)
    if spans and spans[0][0] - float(traces.time_s[0]) > IDLE_S:
        yield ImportDoubt(
            words=(
                f"Nothing happens in the first {spans[0][0]:.1f} s. Does the pump start then, at "
                f"{begins_s + spans[0][0]:.1f} s of its clock?"
            ),
            begins_s=round(begins_s + spans[0][0], 1),
        )


def _scale(traces: Traces, cup: Column) -> Iterator[ImportDoubt]:
    known = np.isfinite(traces.cup_g)
    time_s, cup_g = traces.time_s[known], traces.cup_g[known]
    if cup_g.size < 4:
        return
    first, last = float(np.median(cup_g[:3])), float(np.median(cup_g[-3:]))
    if first - last > FALLS_G and cup.unit in TURNED:
        words = f"The cup loses {grams(first - last, 0)}. Is the scale's sign turned?"
        yield ImportDoubt(words=words, column=cup.column, unit=TURNED[cup.unit], offset=0.0)
        return
    if abs(first) > FAR_G:
        words = f"The cup begins at {grams(first, 1)}. Was that its own weight, to be taken off?"
        yield ImportDoubt(words=words, column=cup.column, offset=round(cup.offset - first, 2))
    yield from _tared(time_s, cup_g)
    yield from _drifts(traces, time_s, cup_g)


def _tared(time_s: Floats, cup_g: Floats) -> Iterator[ImportDoubt]:
    """A drop to nothing within a moment, from which it goes on rising."""
    for at in np.flatnonzero(np.diff(cup_g) < -FAR_G) + 1:
        if is_tare(time_s, cup_g, time_s[at - 1], time_s[at] + TARED_WITHIN_S):
            yield ImportDoubt(
                words=(
                    f"The scale goes from {grams(cup_g[at - 1], 1)} to nothing at {time_s[at]:.1f} "
                    "s: it was tared in mid shot. What was in the cup by then is missing after it."
                )
            )
            return


def _drifts(traces: Traces, time_s: Floats, cup_g: Floats) -> Iterator[ImportDoubt]:
    """A weight that changes steadily before there can be a drop."""
    spans = _spans(traces)
    if not spans:
        return
    before = time_s <= spans[0][0] + 2.0  # s: no puck lets water through so soon
    slope = drift_g_s(time_s[before], cup_g[before])
    if slope:
        yield ImportDoubt(
            words=(
                f"The weight changes by {change(slope, 'g', 2)} a second before a drop can fall: "
                "the scale drifts. First drip and drink cannot be told from it."
            )
        )
