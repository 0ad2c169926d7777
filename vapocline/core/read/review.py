"""A shot as planned against as done: recipe, water and phases, with deviations flagged."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from vapocline.core.base.amounts import grams, temperature
from vapocline.core.base.document import Answer
from vapocline.core.profile.differences import EXIT_WORDS
from vapocline.core.puck.answer import PhaseRun
from vapocline.core.puck.plan import Plan
from vapocline.core.shot.events import Span
from vapocline.core.shot.traces import Traces

LATE_S = 2.0  # a phase this much longer or shorter than planned is flagged
WARM_OFF_C = 1.5
STOP_WORDS = {
    "cup_g": "weight",
    "water_ml": "water",
    "time_s": "the clock",
    "plan_end": "the clock",
    "hand": "hand",
    "skip": "hand",
    "left_alone": "the machine itself",
}


class PlannedActual(Answer):
    """One line: what was planned, what was done; `flagged` where that confuses a comparison."""

    what: str
    planned: str
    done: str
    flagged: bool


def recipe_done(
    plan: Plan,
    *,
    asked_dose_g: float,
    dose_g: float,
    tolerance_g: float,
    asked_grind: float | None,
    grind: float | None,
    traces: Traces,
) -> list[PlannedActual]:
    """Dose, grind and temperature."""
    lines = [
        PlannedActual(
            what="Dose",
            planned=grams(asked_dose_g, 1),
            done=grams(dose_g, 1),
            flagged=abs(dose_g - asked_dose_g) > tolerance_g + 1e-9,
        )
    ]
    if grind is not None and asked_grind is not None:
        lines.append(
            PlannedActual(
                what="Grind",
                planned=f"{asked_grind:g}",
                done=f"{grind:g}",
                flagged=abs(grind - asked_grind) > 1e-9,
            )
        )
    pumping = (traces.water_in_ml_s > 0.2) & ~np.isnan(traces.group_c)
    if pumping.any():
        warm = float(np.median(traces.group_c[pumping]))
        wanted = plan.setup.water_c
        lines.append(
            PlannedActual(
                what="Water",
                planned=temperature(wanted),
                done=temperature(warm, 1),
                flagged=abs(warm - wanted) > WARM_OFF_C,
            )
        )
    return lines


def phases_done(plan: Plan, runs: Sequence[PhaseRun], spans: Sequence[Span]) -> list[PlannedActual]:
    """Each phase's length and what ended it, against the forecast."""
    ran = {span.phase: span for span in spans}
    lines = []
    for index, (phase, run) in enumerate(zip(plan.profile.phases, runs, strict=True)):
        span = ran.get(index)
        planned_s = _length(run)
        if span is None and planned_s is None:
            continue
        done_s = None if span is None else span.end_s - span.start_s
        other = _ended(run.ended_on) != _ended(span.ended_on if span else None)
        off = planned_s is None or done_s is None or abs(done_s - planned_s) > LATE_S
        lines.append(
            PlannedActual(
                what=phase.name,
                planned=_words(planned_s, run.ended_on),
                done=_words(done_s, span.ended_on if span else None),
                flagged=off or other,
            )
        )
    return lines


def _length(run: PhaseRun) -> float | None:
    if run.start_s is None or run.end_s is None:
        return None
    return run.end_s - run.start_s


def _words(seconds: float | None, ended_on: str | None) -> str:
    if seconds is None or math.isnan(seconds):
        return "not reached"
    ended = _ended(ended_on)
    return f"{seconds:.1f} s" + (f", by {ended}" if ended else "")


def _ended(name: str | None) -> str | None:
    if name is None:
        return None
    plain = {"seconds": "the clock", "first_drip": "the first drip"}
    if name in STOP_WORDS:
        return STOP_WORDS[name]
    return plain.get(name, name.split("_")[0] if name in EXIT_WORDS else name)
