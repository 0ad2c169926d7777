"""What one measured strength would bring: by how much it narrows the extraction's range."""

from __future__ import annotations

import math

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.learn.fit import STEP
from vapocline.core.learn.observed import TDS_PCT
from vapocline.core.puck.answer import Figure
from vapocline.core.puck.figures import Figures
from vapocline.core.puck.parameters import Parameters, moved, parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.program import program_of
from vapocline.core.puck.ranges import run_member, side_by_side
from vapocline.core.puck.unknowns import BY_NAME

P10_TO_MIDDLE = 1.2816  # standard deviations of a normal distribution
WORTH = 0.8  # what narrows it less is not worth a reading


class StrengthOffer(Answer):
    """Eight in ten extractions lie within these points of the forecast: now, and after one
    reading of the strength of a shot like it."""

    now_points: float
    then_points: float


def strength_offer(plan: Plan, extraction: Figure) -> StrengthOffer | None:
    """What a first reading would bring to a plan on a puck that shots have taught, whose extraction
    is predicted so; None where nothing was learnt, a strength was, or it would bring little.

    Linear: the extraction's slope along every unknown, and Kalman's gain of one reading. What
    differs from pull to pull no reading takes away. Raises Cancelled.
    """
    knowledge = plan.setup.knowledge
    if knowledge is None or not knowledge.shots or knowledge.strengths:
        return None
    if extraction.p10 is None or extraction.p90 is None:
        return None
    names, root = knowledge.spread_root()
    here, slopes = _slopes(plan, names)
    if not np.isfinite(slopes).all():
        return None
    now = (extraction.p90 - extraction.p10) / 2
    spread = slopes @ root
    whole = (now / P10_TO_MIDDLE) ** 2
    is_open = min(whole, float(spread @ spread))
    told_with = whole - is_open + (TDS_PCT * here.yield_g / plan.setup.dose_g) ** 2
    taken_away = is_open**2 / (is_open + told_with) if is_open else 0.0
    then = P10_TO_MIDDLE * math.sqrt(whole - taken_away)
    if then > WORTH * now:
        return None
    return StrengthOffer(now_points=round(now, 1), then_points=round(then, 1))


def _slopes(plan: Plan, names: list[str]) -> tuple[Figures, Floats]:
    """The figures of the most likely puck, and the extraction's slope along each unknown."""
    p = parameters_for(plan.setup)
    program = program_of(plan.profile, plan.setup.machine)
    steps = [STEP * BY_NAME[name].spread for name in names]
    pucks: list[Parameters] = [
        p, *(moved(p, {name: step}) for name, step in zip(names, steps, strict=True))
    ]  # fmt: skip
    here, *there = side_by_side(lambda one: run_member(plan, one, program).figures, pucks)
    offs = [one.extraction_yield_pct - here.extraction_yield_pct for one in there]
    return here, np.array(offs) / np.array(steps)
