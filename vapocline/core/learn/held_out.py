"""How well shots that were left out are predicted from the others: by what was learnt, and by its
rivals on the same shots."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from vapocline.core.learn.fit import Fit, made_of
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.puck import columns
from vapocline.core.puck.figures import figures_of
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.predict import run
from vapocline.core.puck.program import program_of
from vapocline.core.puck.ranges import ranges_of
from vapocline.core.shot.result import lasting_peak_bar

MEMBERS = 48
FIGURES = ("shot_time_s", "first_drip_s", "peak_pressure_bar", "extraction_yield_pct")


def measured_of(shot: LoggedShot, name: str) -> float | None:
    """What is compared of a shot; of its peak what lasted."""
    value: float | None = getattr(shot, "peak_bar" if name == "peak_pressure_bar" else name)
    return value


class Guess(NamedTuple):
    """A figure of one shot as predicted without it: value, p10 and p90, and what it was."""

    shot: str
    figure: str
    value: float
    low: float
    high: float
    measured: float

    @property
    def off(self) -> float:
        """Predicted less measured."""
        return self.value - self.measured

    @property
    def within(self) -> bool:
        """Whether it fell into the range."""
        return self.low <= self.measured <= self.high

    @property
    def pinball(self) -> float:
        """Pinball loss of p10 and p90 together (Koenker and Bassett 1978), in the figure's unit."""
        return _pinball(self.low, self.measured, 0.1) + _pinball(self.high, self.measured, 0.9)


def _pinball(guess: float, measured: float, share: float) -> float:
    return max(share * (measured - guess), (share - 1) * (measured - guess))


def folds_of(shots: Sequence[LoggedShot]) -> list[tuple[int, ...]]:
    """Which shots to leave out together: each profile, each bag; each shot where all are of one."""
    found: list[tuple[int, ...]] = []
    for key in ("version", "bag"):
        groups: dict[str | None, list[int]] = {}
        for at, shot in enumerate(shots):
            groups.setdefault(getattr(shot, key), []).append(at)
        if len(groups) > 1:
            found += [tuple(group) for group in groups.values()]
    return found or [(at,) for at in range(len(shots))]


def guesses(fit: Fit, shots: Sequence[LoggedShot]) -> list[Guess]:
    """Every shot as the others predict it, fold by fold. Raises Cancelled."""
    return [
        guessed
        for fold in folds_of(shots)
        for at in fold
        for guessed in guess(shots[at], fit.without(fold, made_of(shots[at])))
    ]


def guess(shot: LoggedShot, knowledge: Knowledge | None) -> list[Guess]:
    """A shot's figures by its plan on a puck as known, beside what was measured; none of a shot
    that a hand had a part in."""
    if not shot.by_plan:
        return []
    setup = shot.plan.setup.model_copy(
        update={"knowledge": knowledge, "dialled_in": knowledge is not None}
    )
    plan = shot.plan.model_copy(update={"setup": setup, "members": MEMBERS})
    parameters = parameters_for(setup)
    program = program_of(plan.profile, setup.machine)
    state, samples = run(parameters, program)
    figures = figures_of(plan.profile, parameters, state, samples)
    ranges = ranges_of(plan, parameters, program, figures, samples).figures
    offset = 0.0 if knowledge is None else knowledge.of("gauge offset").mean
    found = []
    for name in FIGURES:
        measured = measured_of(shot, name)
        value = getattr(figures, name)
        if measured is None or math.isnan(value):
            continue
        shift = 0.0
        if name == "peak_pressure_bar":
            lasting = lasting_peak_bar(samples[:, columns.S_TIME], samples[:, columns.S_P])
            shift = offset + (0.0 if lasting is None else lasting - value)
        low, _middle, high = ranges[name]
        found.append(Guess(shot.name, name, value + shift, low + shift, high + shift, measured))
    return found
