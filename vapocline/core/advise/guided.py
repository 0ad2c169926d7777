"""A guided run: one number moved shot by shot until a measured figure is where it is wanted.

The first step goes by the model's slope, later ones by the secant through the two tries nearest to
the aim (regula falsi where they lie on both sides of it).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal, NamedTuple

from pydantic import Field, FiniteFloat

from vapocline.core.base.document import Answer, Document

GuidedNumber = Literal["grind_setting", "dose_g", "water_c", "yield_g"]
GuidedFigure = Literal["shot_time_s", "first_drip_s", "tds_pct", "extraction_yield_pct"]
MOST_SHOTS = 4  # after the first: then something else is in the way
LONGEST_STEP = 3.0  # times what the model asks for first: a wild slope is no guide
LONGEST_SHARE = 0.25  # of the number at once: more is another drink
STEPS: dict[GuidedNumber, float] = {
    "grind_setting": 0.1,
    "dose_g": 0.1,
    "water_c": 0.5,
    "yield_g": 0.5,
}


class GuidedAim(Document):
    """Which number is moved, and which figure should come within so much of what."""

    number: GuidedNumber
    figure: GuidedFigure
    at: Annotated[FiniteFloat, Field(gt=0, le=300)]
    within: Annotated[FiniteFloat, Field(gt=0, le=50)]


class GuidedShot(NamedTuple):
    """A shot of the run: the number as set, and the figure as measured."""

    value: float
    measured: float


class GuidedStep(Answer):
    """What to do next: `value` to set, None where the run is over or nothing says which way."""

    state: Literal["go on", "within", "given up"]
    value: float | None
    words: str


def next_step(
    wanted: GuidedAim, points: Sequence[GuidedShot], slope: float, bounds: Bounds
) -> GuidedStep:
    """The next value, after the shots so far, the oldest first. `slope` is the model's, of the
    figure by the number."""
    last = points[-1]
    if abs(last.measured - wanted.at) <= wanted.within:
        return GuidedStep(state="within", value=None, words="It is within what you asked for.")
    nearest = min(points, key=lambda one: abs(one.measured - wanted.at))
    if len(points) > MOST_SHOTS:
        return GuidedStep(
            state="given up",
            value=None,
            words=f"Not within after {MOST_SHOTS} shots. The nearest was {nearest.measured:g} at "
            f"{nearest.value:g}: something else is in the way.",
        )
    value = _by_secant(wanted, points, slope, nearest)
    if value is None:
        return GuidedStep(
            state="given up", value=None, words="The model sees no effect of this number."
        )
    furthest = LONGEST_SHARE * nearest.value
    value = min(nearest.value + furthest, max(nearest.value - furthest, value))
    step = bounds.step or STEPS[wanted.number]
    value = min(bounds.high, max(bounds.low, round(value / step) * step))
    if any(abs(value - one.value) < step / 2 for one in points):
        return GuidedStep(
            state="given up",
            value=None,
            words=f"The next step would be less than {step:g}: the nearest was {nearest.value:g}.",
        )
    return GuidedStep(state="go on", value=round(value, 2), words=_words(points, slope))


class Bounds(NamedTuple):
    """Between what a number may be."""

    low: float
    high: float
    step: float | None = None  # where the thing itself has one


def _by_secant(
    wanted: GuidedAim, points: Sequence[GuidedShot], slope: float, nearest: GuidedShot
) -> float | None:
    by_slope = None if slope == 0 else nearest.value + (wanted.at - nearest.measured) / slope
    below = [one for one in points if one.measured < wanted.at]
    above = [one for one in points if one.measured >= wanted.at]
    if below and above:  # between the nearest on each side
        low = max(below, key=lambda one: one.measured)
        high = min(above, key=lambda one: one.measured)
        share = (wanted.at - low.measured) / (high.measured - low.measured)
        return low.value + share * (high.value - low.value)
    others = [one for one in points if one.value != nearest.value]
    if not others or by_slope is None:
        return by_slope
    other = min(others, key=lambda one: abs(one.measured - wanted.at))
    measured = (nearest.measured - other.measured) / (nearest.value - other.value)
    if measured * slope <= 0:  # noise has turned it round: the model is the better guide
        return by_slope
    step = (wanted.at - nearest.measured) / measured
    longest = LONGEST_STEP * abs(by_slope - nearest.value)
    return nearest.value + max(-longest, min(longest, step))


def _words(points: Sequence[GuidedShot], slope: float) -> str:
    if len({one.value for one in points}) > 1:
        return "By the line through the tries so far."
    return f"By the model: {slope:+.2g} for a step of one."
