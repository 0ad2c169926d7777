"""The grid and the step do not show: over ordinary set-ups drawn at random, a finer one agrees."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from typing import NamedTuple, get_args

import numpy as np

from tests.factories import bloomed, plan, pressure, soaked
from vapocline.core.coffee.coffee import Roast
from vapocline.core.puck import columns
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import CELLS, STEP_S, run
from vapocline.core.puck.program import program_of

PHASES = {
    "flat": (pressure(9),),
    "soaked": soaked(2.2),
    "bloomed": bloomed(),
}


def ordinary(count: int, seed: int) -> Iterator[tuple[str, Plan]]:
    """Set-ups as people have them: 200 to 400 µm, 1 to 40 days, every roast, three styles."""
    rng = np.random.default_rng(seed)
    for _ in range(count):
        style = str(rng.choice(list(PHASES)))
        size, days = round(float(rng.uniform(200, 400))), round(float(rng.uniform(1, 40)))
        roast = str(rng.choice(get_args(Roast)))
        one = plan(*PHASES[style], grind_um=size, rest_days=days, roast=roast)
        yield f"{style}, {size} µm, {roast}, {days} d", one


class Ran(NamedTuple):
    """What is compared of a run."""

    time_s: float
    extraction_yield_pct: float
    strongest_g_ml: float  # concentration in any cell at the end
    water_missing: float  # as a share of what was pumped
    solids_missing: float  # as a share of the dose's


def ran(one: Plan, **grid: float) -> Ran:
    p = parameters_for(one.setup)
    state, _ = run(p, program_of(one.profile, one.setup.machine), **grid)
    now = state.now
    solids = float(now[columns.CUP_0 : columns.CUP_2 + 1].sum())
    return Ran(
        time_s=float(now[columns.STOP_T]),
        extraction_yield_pct=100 * solids / one.setup.dose_g,
        strongest_g_ml=strongest(state, p),
        water_missing=water_missing(state),
        solids_missing=solids_missing(state, p),
    )


def strongest(state: columns.State, p: Parameters) -> float:
    """The most solute on a millilitre of water in any full cell, g/mL."""
    n = state.cells.shape[2]
    pore = p.area_cm2 * p.depth_cm * p.void_fraction * columns.LANE_WEIGHTS / n
    fines = p.partition * p.fines_share * p.uptake_ml_g * p.dose_g * columns.LANE_WEIGHTS / n
    held = state.cells[:, columns.SOLUTE :].sum(axis=1)
    return float((held / (pore + fines)[:, None]).max())


def water_missing(state: columns.State) -> float:
    now = state.now
    kept = state.lanes[:, columns.PORE].sum() + state.cells[:, columns.UPTAKE].sum()
    out = now[columns.CUP_WATER] + now[columns.SPOUT_WATER]
    lost = now[columns.VENTED] + now[columns.DUMPED]
    return float(abs((kept + out + lost + now[columns.HEAD]) / now[columns.WATER] - 1))


def solids_missing(state: columns.State, p: Parameters) -> float:
    """Of what the dose can give: in coarse grains, in dry fines, in water, spout and cup."""
    share = np.array([p.bright_pct, p.sweet_pct, p.bitter_pct]) / 100 * p.dose_g
    weights, n = columns.LANE_WEIGHTS, state.cells.shape[2]
    coarse = weights @ state.cells[:, columns.SOLID : columns.SOLID + 3].mean(axis=2)
    dry = 1 - weights @ (state.lanes[:, columns.FULL] + state.lanes[:, columns.PART]) / n
    inside = share * ((1 - p.fines_share) * coarse + p.fines_share * dry)
    held = state.cells[:, columns.SOLUTE :].sum(axis=(0, 2))
    cup = state.now[columns.CUP_0 : columns.CUP_2 + 1]
    spout = state.now[columns.SPOUT_0 : columns.SPOUT_2 + 1]
    return float(np.abs((inside + held + cup + spout) / share - 1).max())


class Convergence(unittest.TestCase):
    def test_four_times_the_cells_and_half_the_step_change_next_to_nothing(self) -> None:
        for name, one in ordinary(80, seed=11):
            with self.subTest(name):
                usual = ran(one)
                fine = ran(one, cells=4 * CELLS, step_s=STEP_S / 2)
                halved = ran(one, step_s=STEP_S / 2)
                for other in (fine, halved):
                    self.assertLess(abs(usual.time_s / other.time_s - 1), 0.005)
                    self.assertLess(
                        abs(usual.extraction_yield_pct - other.extraction_yield_pct), 0.15
                    )
                for one_run in (usual, fine, halved):
                    self.assertLess(one_run.strongest_g_ml, 0.5, "no pile-up at the front")
                    self.assertLess(one_run.water_missing, 1e-6)
                    self.assertLess(one_run.solids_missing, 1e-6)
