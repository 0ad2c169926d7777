"""Goal seek: find the value of one or two numbers that brings a shot to what is wanted of it."""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from typing import Annotated, Literal, Self

import numpy as np
from pydantic import Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.amounts import amount_number, read_unit
from vapocline.core.base.document import (
    Answer,
    Document,
    Plain,
    Versioned,
    nested_parts_changed,
    unknown_fields_in_place,
)
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.plan.adjustable import Adjustable, adjustable_at, adjusted
from vapocline.core.puck.answer import RENAMED_FIGURES
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.figures import Figures, figures_of
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import run
from vapocline.core.puck.program import program_of
from vapocline.core.puck.ranges import side_by_side

FigureName = Literal[
    "shot_time_s",
    "shot_time_from_first_drip_s",
    "shot_time_from_full_pressure_s",
    "first_drip_s",
    "pre_infusion_end_s",
    "full_pressure_s",
    "yield_g",
    "ratio",
    "tds_pct",
    "extraction_yield_pct",
    "peak_pressure_bar",
    "water_in_ml",
    "meet_s",
    "late_flow_ml_s",
]
# How near counts as there, in the figure's own unit: less than anyone could measure.
NEAR: dict[str, float] = {
    "yield_g": 0.1,
    "ratio": 0.01,
    "tds_pct": 0.05,
    "extraction_yield_pct": 0.05,
    "peak_pressure_bar": 0.05,
    "water_in_ml": 0.3,
    "late_flow_ml_s": 0.03,
}
NEAR_S = 0.1
SCAN_ONE, SCAN_TWO = 17, 7  # values tried first along each number
# How far from where it stands a number may go, in its steps, where no bounds are named: further
# where the best lies at the edge, or nothing runs within.
REACHES = (12, 36, 108)
FAR = 1e6  # the miss of a plan that cannot run or a figure that never happens


def want_renamed(want: Plain) -> Plain:
    """A want of version 1 with its figure under its name of version 2."""
    figure = want.get("figure")
    return want | {"figure": RENAMED_FIGURES.get(str(figure), figure)}


def _figures_renamed(document: Plain) -> Plain:
    placed = unknown_fields_in_place(document)
    wants = placed.get("wants", [])
    if not isinstance(wants, list):
        return placed  # refused in its place
    return placed | {"wants": [want_renamed(w) if isinstance(w, dict) else w for w in wants]}


class Want(Document):
    """One thing wanted of the shot: a figure at a value, or at most, or at least."""

    figure: FigureName
    at: float | None = None
    at_most: float | None = None
    at_least: float | None = None

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        if self.at is None and self.at_most is None and self.at_least is None:
            raise PydanticCustomError("want", "want", {"accepted": "at, at_most or at_least"})
        return self


class Allowed(Document):
    """One number that may move, by its path in the plan, and between what."""

    what: str
    low: float | None = None
    high: float | None = None


class Goal(Versioned):
    """What is wanted, and the one or two numbers that may move for it."""

    UPGRADES = (_figures_renamed, *(nested_parts_changed,) * 6)

    format: Literal["vapocline/goal"] = "vapocline/goal"
    version: Literal[8] = 8
    plan: Plan
    wants: Annotated[tuple[Want, ...], Field(min_length=1, max_length=6)]
    moves: Annotated[tuple[Allowed, ...], Field(min_length=1, max_length=2)]


class Moved(Answer):
    """Where a number came to stand, and where it stood."""

    what: str
    name: str
    before: float
    after: float
    unit: str


class Reached(Answer):
    """One want, what the shot then does, and by how much it misses; 0 is there."""

    figure: str
    value: float | None
    miss: float | None


class GoalResult(Answer):
    """The nearest that was found; `reached` says whether everything wanted is met."""

    reached: bool
    words: str
    moves: list[Moved]
    wants: list[Reached]
    plan: Plan


def seek(goal: Goal) -> GoalResult:
    """Scan the whole range, then close in on the best.

    Raises Refused for a plan that cannot run, a number that may not move, an empty range.
    """
    refuse_unrunnable(goal.plan)
    numbers = [adjustable_at(goal.plan, allowed.what) for allowed in goal.moves]
    for reach in REACHES:
        bounds = [
            _bounds(allowed, number, reach)
            for allowed, number in zip(goal.moves, numbers, strict=True)
        ]
        values = _nearest(goal, numbers, bounds)
        found = _found(goal, numbers, values, bounds)
        open_edge = any(
            _at_open_edge(value, allowed, within)
            for value, allowed, within in zip(values, goal.moves, bounds, strict=True)
        )
        if found.reached or not open_edge:
            break
    return found


SearchRange = tuple[float, float]


def _at_open_edge(value: float, allowed: Allowed, within: SearchRange) -> bool:
    """Whether a number came to the edge of what was tried, which nobody set."""
    low, high = within
    cell = (high - low) / (SCAN_TWO - 1)
    below = allowed.low is None and low > 0 and value - low < cell
    return below or (allowed.high is None and high - value < cell)


def _nearest(goal: Goal, numbers: list[Adjustable], bounds: list[SearchRange]) -> tuple[float, ...]:
    """The values within bounds that miss least."""

    def miss(values: tuple[float, ...]) -> float:
        figures = _figures_at(goal.plan, numbers, values)
        return FAR if figures is None else sum(_miss(want, figures) ** 2 for want in goal.wants)

    count = SCAN_ONE if len(numbers) == 1 else SCAN_TWO
    grid = list(itertools.product(*(np.linspace(low, high, count) for low, high in bounds)))
    misses = side_by_side(miss, grid)
    start = grid[int(np.argmin(misses))]
    best = _closer(miss, start, bounds, count) if min(misses) < FAR else start
    return min((start, best), key=miss)


Miss = Callable[[tuple[float, ...]], float]


def _bounds(allowed: Allowed, number: Adjustable, steps: int) -> SearchRange:
    reach = steps * number.step
    low = max(0.0, number.value - reach) if allowed.low is None else allowed.low
    high = number.value + reach if allowed.high is None else allowed.high
    if not low < high:
        raise Refused(
            [Problem("moves", f"{number.path} from {low:g} to {high:g}", "a low below the high")]
        )
    return low, high


def _closer(
    miss: Miss, start: tuple[float, ...], bounds: list[SearchRange], count: int
) -> tuple[float, ...]:
    """The best within a grid cell around the start; a bounded search that needs no slopes."""
    from scipy.optimize import minimize, minimize_scalar  # slow to import, and seldom needed

    cell = [(high - low) / (count - 1) for low, high in bounds]
    near = [
        (max(low, at - width), min(high, at + width))
        for at, width, (low, high) in zip(start, cell, bounds, strict=True)
    ]
    if len(start) == 1:
        found = minimize_scalar(
            lambda x: miss((x,)), bounds=near[0], method="bounded", options={"xatol": 1e-4}
        )
        return (float(found.x),)
    found = minimize(
        lambda x: miss(tuple(x)),
        start,
        method="Nelder-Mead",
        bounds=near,
        options={"xatol": 1e-3, "fatol": 1e-4, "maxfev": 90},
    )
    return tuple(float(x) for x in found.x)


def _figures_at(plan: Plan, numbers: list[Adjustable], values: tuple[float, ...]) -> Figures | None:
    """The nominal shot's figures there; None where the plan cannot run."""
    changes = {number.path: float(value) for number, value in zip(numbers, values, strict=True)}
    try:
        moved = adjusted(plan, changes)
        refuse_unrunnable(moved)
    except Refused:
        return None
    parameters = parameters_for(moved.setup)
    state, samples = run(parameters, program_of(moved.profile, moved.setup.machine))
    return figures_of(moved.profile, parameters, state, samples)


def _miss(want: Want, figures: Figures) -> float:
    """How far off, counted in differences nobody could measure; 0 where an inequality holds."""
    value = float(getattr(figures, want.figure))
    if math.isnan(value):
        return math.sqrt(FAR)
    near = NEAR.get(want.figure, NEAR_S)
    off = 0.0
    if want.at is not None:
        off = abs(value - want.at)
    if want.at_most is not None:
        off = max(off, value - want.at_most)
    if want.at_least is not None:
        off = max(off, want.at_least - value)
    return off / near


def _found(
    goal: Goal, numbers: list[Adjustable], values: tuple[float, ...], bounds: list[SearchRange]
) -> GoalResult:
    rounded = tuple(round(value, 3) for value in values)
    figures = _figures_at(goal.plan, numbers, rounded)
    wants = []
    for want in goal.wants:
        off = math.inf if figures is None else _miss(want, figures)
        value = math.nan if figures is None else float(getattr(figures, want.figure))
        never = math.isnan(value)
        near = NEAR.get(want.figure, NEAR_S)
        wants.append(
            Reached(
                figure=want.figure,
                value=None if never else round(value, 2),
                miss=None if never else round(off * near if off > 1 else 0.0, 2),
            )
        )
    reached = all(want.miss == 0 for want in wants)
    changes = {number.path: value for number, value in zip(numbers, rounded, strict=True)}
    return GoalResult(
        reached=reached,
        words=_words(reached, numbers, rounded, wants, bounds),
        moves=[
            Moved(
                what=number.path,
                name=number.name,
                before=number.value,
                after=value,
                unit=number.unit,
            )
            for number, value in zip(numbers, rounded, strict=True)
        ],
        wants=wants,
        plan=goal.plan if figures is None else adjusted(goal.plan, changes),
    )


def _told(value: float, number: Adjustable) -> str:
    """A value as finely as anyone could set it: a fiftieth of its step."""
    digits = max(0, min(3, math.ceil(-math.log10(number.step / 50))))
    if read_unit(number.unit) != number.unit:
        return amount_number(value, number.unit)
    return f"{round(value, digits):g}"


def _from_to(low: float, high: float, number: Adjustable) -> str:
    return f"{_told(low, number)} to {_told(high, number)} {read_unit(number.unit)}"


def _words(
    reached: bool,
    numbers: list[Adjustable],
    values: tuple[float, ...],
    wants: list[Reached],
    bounds: list[SearchRange],
) -> str:
    moves = " and ".join(
        f"{number.name} {_from_to(number.value, value, number)}"
        for number, value in zip(numbers, values, strict=True)
    )
    if reached:
        return f"{moves}: everything wanted is met."
    missed = [
        f"{want.figure} never happens" if want.miss is None else f"{want.figure} by {want.miss:g}"
        for want in wants
        if want.miss != 0
    ]
    tried = " and ".join(
        f"{number.name} {_from_to(low, high, number)}"
        for number, (low, high) in zip(numbers, bounds, strict=True)
    )
    return f"Nothing in {tried} reaches it. Nearest is {moves}; it misses {', '.join(missed)}."
