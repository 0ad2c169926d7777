"""A shot as translation looks at it: its figures, samples and when each phase ran."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.puck import columns
from vapocline.core.puck.figures import Figures, figures_of
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import CELLS, run
from vapocline.core.puck.program import ended_on, program_of
from vapocline.core.puck.ranges import MEMBER_CELLS


class ShotRun(NamedTuple):
    """One run: figures, samples (rows, SAMPLE_COLUMNS), and the phases' start, end and end code."""

    figures: Figures
    samples: Floats
    log: Floats

    @property
    def stop_s(self) -> float:
        """When the shot stopped, s from pump on."""
        return self.figures.shot_time_s

    @property
    def begun_s(self) -> float:
        """When the program began, s from pump on: after the machine's own pre-wetting."""
        start = float(self.log[0, 0])
        return 0.0 if np.isnan(start) else start

    def at(self, column: int, t: float | Floats) -> Floats:
        """A sampled column at some moments."""
        time, values = self.samples[:, columns.S_TIME], self.samples[:, column]
        return np.asarray(np.interp(np.asarray(t), time, values), dtype=np.float64)

    def ran(self, phase: int) -> tuple[float, float] | None:
        """When a phase began and ended; None where the shot never came to it."""
        start, end = float(self.log[phase, 0]), float(self.log[phase, 1])
        if np.isnan(start):
            return None
        return start, self.stop_s if np.isnan(end) else end

    def ended(self, phase: int) -> str:
        """What ended a phase, by its written name; empty where the shot never came to it."""
        code = self.log[phase, 2]
        return "" if np.isnan(code) else ended_on(int(code))


def run_plan(plan: Plan, *, coarse: bool = False) -> ShotRun:
    """Run a plan that the check lets pass; `coarse` is quicker, for comparing among many."""
    parameters = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    state, samples = run(parameters, program, cells=MEMBER_CELLS if coarse else CELLS)
    return ShotRun(figures_of(plan.profile, parameters, state, samples), samples, state.log)
