"""How a shot was really run: what hands did to it, beside what its profile asks for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import zip_longest

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.events import (
    Event,
    GivenBack,
    Held,
    Nudged,
    PhaseBegan,
    Released,
    Stopped,
    TakenOver,
    corrections_in,
    first_of,
)

NEAR_S = 1.5  # of two hands that do the same; about what a practised one repeats
NEAR_SHARE = 0.05  # of the highest level held: how closely two hands hold the same


@dataclass(frozen=True)
class HandHeld:
    """The level that a hand held along the shot, nan while none did, and its unit."""

    time_s: Floats
    level: Floats
    unit: str


@dataclass(frozen=True)
class AsRun:
    """What happened in a shot, and what a hand held in it, where one did."""

    profile: Profile
    events: Sequence[Event] = field(default_factory=tuple)
    held: HandHeld | None = None


def corrections_apart(a: AsRun, b: AsRun) -> tuple[str, str] | None:
    """What hands did in each of two shots, in words; None where they did the same."""
    did, then = (corrections_in(one.events) for one in (a, b))
    if all(_alike(x, y) for x, y in zip_longest(did, then)):
        return None
    return _listed(a.profile, did), _listed(b.profile, then)


def stops_apart(a: AsRun, b: AsRun) -> tuple[str, str] | None:
    """Who stopped each of two shots, where that differs: the machine at its goal, or a hand."""
    said = [first_of(one.events, Stopped) for one in (a, b)]
    by = ["by hand" if stop and stop.reason == "hand" else "by itself" for stop in said]
    return None if by[0] == by[1] else (by[0], by[1])


def hands_apart(a: AsRun, b: AsRun) -> tuple[float, str] | None:
    """How far apart two hands held their levels on average, and in what unit; None where they held
    the same, as closely as hands do, or none held any."""
    one, other = a.held, b.held
    if one is None or other is None:
        return None
    level = np.interp(one.time_s, other.time_s, other.level, right=np.nan)
    apart = np.abs(one.level - level)
    if not np.isfinite(apart).any():
        return None
    mean = float(np.nanmean(apart))
    highest = max(np.nanmax(one.level), np.nanmax(other.level))
    return (mean, one.unit) if mean > NEAR_SHARE * highest else None


def _alike(a: Event | None, b: Event | None) -> bool:
    if a is None or b is None or a.kind != b.kind:
        return False
    of_a, of_b = (one.model_dump(exclude={"time_s"}) for one in (a, b))
    return of_a == of_b and abs(a.time_s - b.time_s) <= NEAR_S


def _listed(profile: Profile, corrections: Sequence[Event]) -> str:
    return "; ".join(_words(profile, one) for one in corrections) or "none"


def _words(profile: Profile, event: Event) -> str:
    match event:
        case Nudged():
            done = f"{event.control} {event.by:+g}"
        case Held():
            done = "held"
        case Released():
            done = "released"
        case TakenOver():
            done = f"{event.control} taken over at {event.level:g}"
        case GivenBack():
            done = "program resumed"
        case PhaseBegan():
            named = event.phase < len(profile.phases)
            done = f"on to {profile.phases[event.phase].name if named else 'the end'}"
        case _:
            done = event.kind
    return f"{done} at {event.time_s:.0f} s"
