"""How old a cup is when it is tasted: when it is due, and what is too different to compare."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from vapocline.core.taste.panel import TasterScore
from vapocline.core.taste.tasting import Warmth

MOST_APART_S = 120.0
FRESH_S = 1800.0  # an older cup is cold and needs no prompt


@dataclass(frozen=True)
class Prompt:
    """When a cup is due at a warmth, s since the shot stopped, and the age from which it is nearer
    to that warmth than to the one before."""

    warmth: Warmth
    due_s: float
    from_s: float


PROMPTS = (Prompt("hot", 60.0, 0.0), Prompt("warm", 300.0, 180.0), Prompt("cool", 720.0, 510.0))


def age_warnings(given: Iterable[TasterScore]) -> list[str]:
    """What makes a comparison unfair: ages that differ by more than two minutes at one warmth, and
    some cups stirred where others were not."""
    warned = []
    of_warmth: dict[Warmth, dict[int, list[TasterScore]]] = {}
    for one in given:
        of_warmth.setdefault(one.warmth, {}).setdefault(one.shot, []).append(one)
    for warmth, shots in of_warmth.items():
        ages = {
            shot: sum(known) / len(known)
            for shot, scores in shots.items()
            if (known := [s.since_stop_s for s in scores if s.since_stop_s is not None])
        }
        if len(ages) > 1 and max(ages.values()) - min(ages.values()) > MOST_APART_S:
            low, high = clock(min(ages.values())), clock(max(ages.values()))
            ages_said = f"Tasted {warmth}, the cups were {low} to {high} old"
            warned.append(f"{ages_said}: too different in age to compare fairly.")
        stirred = {shot: any(s.stirred for s in scores) for shot, scores in shots.items()}
        if len(set(stirred.values())) > 1:
            warned.append(f"Tasted {warmth}, some cups were stirred and others were not.")
    return warned


def clock(seconds: float) -> str:
    """A cup's age: minutes and seconds, beyond an hour in hours."""
    if seconds >= 3600:
        return f"{seconds / 3600:.1f} h"
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"
