"""A first week for someone new to profiles: five steps, each a real plan on their own bench."""

from __future__ import annotations

from typing import Literal, NamedTuple

StepKey = Literal["baseline", "soak", "fall", "blind pair", "one change"]


class WeekStep(NamedTuple):
    """One step: what to do and why, what to look for, and the style it begins as, if it has one."""

    key: StepKey
    name: str
    why: str
    look_for: str
    style: str | None = None


WEEK: tuple[WeekStep, ...] = (
    WeekStep(
        "baseline", "A baseline",
        "One plain shot to compare everything with: fill, then one pressure to the weight.",
        "In Read, how the flow climbs towards the end while the pressure stands still: the puck "
        "wears. In the cup, whether the end tastes harsher than the beginning.",
        "steady-nine",
    ),
    WeekStep(
        "soak", "A soak",
        "The same coffee and grind, wetted through at low pressure before the press.",
        "In Read, how late the first drip falls and how much steadier the flow is after it. In the "
        "cup, whether it is rounder; some find it lighter.",
        "soak-then-press",
    ),
    WeekStep(
        "fall", "A falling end",
        "The same coffee and grind, with a pressure that falls as the puck wears.",
        "In Read, a flow that stays level to the end. In the cup, whether the end is softer; some "
        "find that it takes more out.",
        "hard-start-falling",
    ),
    WeekStep(
        "blind pair", "A blind pair",
        "Two of these shots side by side, without knowing which is which.",
        "Whether you can tell them apart at all, and which you like: what one knows, one tastes.",
    ),
    WeekStep(
        "one change", "The first single change",
        "Next says what could be changed after your best shot. Take one change, pull, taste.",
        "Whether it did what was expected. Trail keeps the answer for this coffee.",
    ),
)  # fmt: skip
STEP = {one.key: one for one in WEEK}
