"""How a shot's figures move for one step of each thing a user can change."""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Refused
from vapocline.core.plan.adjustable import Adjustable, adjustables_of, adjusted
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.figures import Figures
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.priors import members_of
from vapocline.core.puck.program import program_of
from vapocline.core.puck.ranges import run_member, side_by_side

MEMBERS = 8  # common to both sides of every difference, so that chance drops out
TOLD = (
    "shot_time_s",
    "first_drip_s",
    "yield_g",
    "tds_pct",
    "extraction_yield_pct",
    "peak_pressure_bar",
    "bright",
    "sweet",
    "bitter",
)


class Sensitivity(Answer):
    """What one step of one number does: change of each figure, None where it never happens."""

    what: str
    name: str
    value: float
    step: float
    unit: str
    changes: dict[str, float | None]


def sensitivities(plan: Plan) -> list[Sensitivity]:
    """Central differences over a common ensemble, for every number a user may turn.

    At the edge of a range the difference is one-sided. Raises Refused where the plan cannot run.
    """
    refuse_unrunnable(plan)
    here = _mean_figures(plan)
    sides = side_by_side(_both_sides, [(plan, number) for number in adjustables_of(plan)])
    return [
        Sensitivity(
            what=number.path,
            name=number.name,
            value=number.value,
            step=number.step,
            unit=number.unit,
            changes=_changes(here, lower, upper),
        )
        for number, (lower, upper) in zip(adjustables_of(plan), sides, strict=True)
    ]


Sides = tuple[Floats | None, Floats | None]


def _both_sides(at: tuple[Plan, Adjustable]) -> Sides:
    plan, number = at
    return _at(plan, number, -1), _at(plan, number, +1)


def _at(plan: Plan, number: Adjustable, side: int) -> Floats | None:
    """Mean figures one step to a side; None where that leaves what can run."""
    try:
        moved = adjusted(plan, {number.path: round(number.value + side * number.step, 6)})
        refuse_unrunnable(moved)
    except Refused:
        return None
    return _mean_figures(moved)


def _mean_figures(plan: Plan) -> Floats:
    nominal = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    members = members_of(nominal, MEMBERS, plan.seed, knowledge=plan.setup.knowledge)
    ensemble = [run_member(plan, p, program).figures for p in members]
    mean: Floats = np.array(ensemble).mean(axis=0)
    return mean


def _changes(here: Floats, lower: Floats | None, upper: Floats | None) -> dict[str, float | None]:
    below, above = (here if side is None else side for side in (lower, upper))
    width = (lower is not None) + (upper is not None)
    step = (above - below) / width if width else np.full(here.size, math.nan)
    by_name = dict(zip(Figures._fields, step, strict=True))
    return {
        name: None if math.isnan(by_name[name]) else round(float(by_name[name]), 3) + 0.0
        for name in TOLD
    }
