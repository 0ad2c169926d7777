"""What a machine would tell of something done to a shot."""

from __future__ import annotations

from collections.abc import Callable

from vapocline.core.shot.events import (
    Event,
    GivenBack,
    Held,
    Nudged,
    PhaseBegan,
    Released,
    TakenOver,
)

MADE: dict[str, Callable[[float, float], Event]] = {
    "nudge": lambda t, value: Nudged(time_s=t, control="pressure", by=value),
    "hold": lambda t, _: Held(time_s=t),
    "go_on": lambda t, _: Released(time_s=t),
    "take": lambda t, value: TakenOver(time_s=t, control="pressure", level=value),
    "give_back": lambda t, _: GivenBack(time_s=t),
    "skip": lambda t, _: PhaseBegan(time_s=t, phase=0, after="skip"),
}


def told(what: str, time_s: float, value: float | None = None) -> list[Event]:
    """The event of an order at its time; none for what machines tell nothing of."""
    return [MADE[what](time_s, value or 0.0)] if what in MADE else []
