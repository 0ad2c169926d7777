"""How closely a shot by hand followed its cues, and how repeatable the hand is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.traces import Traces

# Within this the target counts as followed: about what a practised hand holds. Ours.
CLOSE_BAR, CLOSE_ML_S = 0.5, 0.4
GRID_S = 0.1


class PhaseFollowed(Answer):
    """One phase: mean distance from the target, and the share of its time spent close to it."""

    name: str
    off: float
    close_pct: float


class Followed(Answer):
    """A shot against its cues. `unit` is the target's; `score` is the share of time close to it.

    `repeats_within` is the mean spread of this and earlier pulls by hand, in the same unit.
    """

    unit: str
    off: float
    score: float
    worst: str | None
    phases: list[PhaseFollowed]
    pulls: int
    repeats_within: float | None
    words: str


class CommandTracking(NamedTuple):
    """What was asked and what came, sample by sample."""

    time_s: Floats
    asked: Floats
    came: Floats
    phase: Floats


def followed(
    profile: Profile, traces: Traces, stop_s: float | None, before: Sequence[Traces] = ()
) -> Followed | None:
    """How a shot followed its plan's targets; None where it had none, as on springs alone.

    The target is pressure on a lever, and the valve's turns as the hand set them on a valve.
    """
    valve = any(phase.command.control == "valve" for phase in profile.phases)
    target = _target(traces, stop_s, valve=valve)
    if target.asked.size < 10:
        return None
    close = 0.15 if valve else CLOSE_BAR
    unit = "turns" if valve else "bar"
    off = np.abs(target.came - target.asked)
    phases = [
        PhaseFollowed(
            name=profile.phases[int(index)].name,
            off=round(float(off[target.phase == index].mean()), 2),
            close_pct=round(100 * float((off[target.phase == index] <= close).mean()), 0),
        )
        for index in np.unique(target.phase)
    ]
    worst = max(phases, key=lambda one: one.off)
    spread = _spread([traces, *before])
    mean, score = float(off.mean()), 100 * float((off <= close).mean())
    found = Followed(
        unit=unit,
        off=round(mean, 2),
        score=round(score, 0),
        worst=worst.name if len(phases) > 1 else None,
        phases=phases,
        pulls=1 + len(before),
        repeats_within=None if spread is None else round(spread, 2),
        words="",
    )
    return found.model_copy(update={"words": _words(found)})


def _words(found: Followed) -> str:
    words = f"{found.off:.1f} {found.unit} off on average, "
    words += f"close to the target {found.score:.0f} % of the time"
    furthest = next((one for one in found.phases if one.name == found.worst), None)
    if furthest is not None:
        words += f"; furthest in {furthest.name}, {furthest.off:.1f} {found.unit}"
    if found.repeats_within is not None:
        words += f". {found.pulls} pulls by hand lie within {found.repeats_within:.1f} bar"
    return words + "."


def _target(traces: Traces, stop_s: float | None, *, valve: bool) -> CommandTracking:
    came = traces.by_hand if valve else traces.pressure_bar
    until = np.inf if stop_s is None else stop_s
    # A target that jumps cannot be met at once: the first second of a phase is left out.
    began = np.concatenate([[0.0], traces.time_s[1:][np.diff(traces.phase) != 0]])
    since = traces.time_s - began[np.searchsorted(began, traces.time_s, side="right") - 1]
    used = ~np.isnan(traces.commanded) & ~np.isnan(came) & (traces.time_s <= until) & (since > 1.0)
    return CommandTracking(
        traces.time_s[used], traces.commanded[used], came[used], traces.phase[used]
    )


def _spread(every: Sequence[Traces]) -> float | None:
    """Standard deviation of pressure between pulls, averaged over the time they share, bar."""
    every = [one for one in every if not np.isnan(one.pressure_bar).all()]
    if len(every) < 2:
        return None
    shared = min(float(traces.time_s[-1]) for traces in every if traces.time_s.size)
    t = np.arange(0.0, shared, GRID_S)
    rows = np.array([np.interp(t, traces.time_s, traces.pressure_bar) for traces in every])
    return float(rows.std(axis=0, ddof=1).mean())
