"""Guided runs: one number moved shot by shot until a measured figure is where it is wanted."""

from __future__ import annotations

from typing import NamedTuple

from sqlalchemy.orm import Session

from vapocline.core.advise.guided import (
    Bounds,
    GuidedAim,
    GuidedFigure,
    GuidedNumber,
    GuidedShot,
    GuidedStep,
    next_step,
)
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError, Problem, Refused
from vapocline.core.base.quantities import RANGES
from vapocline.core.coffee.grinder import grind_um_at
from vapocline.core.formats.registry import CONDITIONS, GUIDED_RUN, PLAN
from vapocline.core.puck.plan import Plan, knowing
from vapocline.core.puck.predict import predict
from vapocline.core.trail.line import PulledRecipe, differences
from vapocline.desk.bench.known import known_together, made_of_row
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotLine, finished, line_of, measured_yield
from vapocline.desk.trail.cups import recipe_of_row
from vapocline.store import shots
from vapocline.store.database import transaction
from vapocline.store.tables import GuidedRunRow, ShotRow
from vapocline.store.trail import TrailFilter, read_coffee, read_recipes, read_trail

MOST_LATER = 60  # shots of the coffee after the first that are looked through
SLOPE_SHARE = 0.03  # of a number, to see its effect by the model
COLUMN: dict[GuidedNumber, str] = {
    "grind_setting": "grind_setting", "dose_g": "dose_g", "water_c": "water_c",
    "yield_g": "target_yield_g",
}  # fmt: skip


class RunShot(Answer):
    """A shot of the run: the number as set and the figure as measured, None where it was not."""

    shot_id: int
    value: float
    measured: float | None


class GuidedRun(Answer):
    """A run under way: what is wanted, its shots, the oldest first, and what to do next. `step` is
    None while the last shot's figure is still to be measured."""

    coffee_id: int
    shot: ShotLine
    wanted: GuidedAim
    tries: list[RunShot]
    step: GuidedStep | None


def start_run(context: Context, shot_id: int, wanted: GuidedAim) -> GuidedRun:
    """Begin a run from a shot, in place of one under way. Raises NotFoundError, ConflictError for a
    shot without a coffee, Refused where the number is not known of it."""
    with transaction(context.sessions) as session:
        row = finished(shots.read_shot(session, shot_id))
        if row.coffee_id is None or row.dry or not row.plan_known:
            raise ConflictError(f"Shot {shot_id} has no coffee, or no plan, to go on from.")
        if _value(row, wanted.number) is None:
            problem = Problem(wanted.number, "unknown", "a number that the shot was pulled with")
            raise Refused([problem])
        old = session.get(GuidedRunRow, row.coffee_id)
        if old is not None:
            session.delete(old)
            session.flush()
        run = GuidedRunRow(
            coffee_id=row.coffee_id, shot_id=shot_id, wanted=GUIDED_RUN.write(wanted)
        )
        session.add(run)
        session.flush()
        return _run(session, run)


def read_run(context: Context, coffee_id: int) -> GuidedRun | None:
    """The run under way of a coffee; None without one. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        read_coffee(session, coffee_id)
        row = session.get(GuidedRunRow, coffee_id)
        return None if row is None else _run(session, row)


def end_run(context: Context, coffee_id: int) -> None:
    """End a coffee's run; its shots stay."""
    with transaction(context.sessions) as session:
        row = session.get(GuidedRunRow, coffee_id)
        if row is not None:
            session.delete(row)


def _run(session: Session, run: GuidedRunRow) -> GuidedRun:
    wanted: GuidedAim = GUIDED_RUN.read(run.wanted)
    first = shots.read_shot(session, run.shot_id)
    tries = [
        RunShot(
            shot_id=row.id,
            value=_value(row, wanted.number) or 0.0,
            measured=_measured(row, wanted.figure),
        )
        for row in _shots_of(session, run, first, wanted.number)
    ]
    return GuidedRun(
        coffee_id=run.coffee_id,
        shot=line_of(first),
        wanted=wanted,
        tries=tries,
        step=_step(session, first, wanted, tries),
    )


def _shots_of(
    session: Session, run: GuidedRunRow, first: ShotRow, number: GuidedNumber
) -> list[ShotRow]:
    """The first shot, and later ones that differ from it in the number alone."""
    recipes = {
        row.id: recipe_of_row(row)
        for row in read_recipes(session, run.coffee_id, limit=MOST_LATER + 1)
        if row.id >= run.shot_id
    }
    start = recipes.get(run.shot_id)
    if start is None:
        return [first]
    same = {number_ for number_, one in recipes.items() if _only(start, one, number)}
    rows = read_trail(session, run.coffee_id, TrailFilter(), limit=MOST_LATER, before=None)
    return [
        row
        for row in reversed(rows)
        if row.id in same and row.state == "done" and row.set_aside is None
    ]


def _only(start: PulledRecipe, other: PulledRecipe, number: GuidedNumber) -> bool:
    """Whether nothing but a number differs."""
    return differences(start, other) <= {PulledRecipe._fields.index(number)}


def _value(row: ShotRow, number: GuidedNumber) -> float | None:
    value: float | None = getattr(row, COLUMN[number])
    return value


def _measured(row: ShotRow, figure: GuidedFigure) -> float | None:
    if figure == "extraction_yield_pct":
        return measured_yield(row)
    value: float | None = getattr(row, figure)
    return value


def _step(
    session: Session, first: ShotRow, wanted: GuidedAim, tries: list[RunShot]
) -> GuidedStep | None:
    if not tries or tries[-1].measured is None:
        return None
    points = [GuidedShot(one.value, one.measured) for one in tries if one.measured is not None]
    slope = _slope(session, first, wanted)
    return next_step(wanted, points, slope.by, slope.bounds)


class _Slope(NamedTuple):
    """How the model moves a figure by a number, and between what the number may be."""

    by: float
    bounds: Bounds


def _slope(session: Session, row: ShotRow, wanted: GuidedAim) -> _Slope:
    plan = PLAN.read(row.plan)
    plan = plan.model_copy(update={"setup": CONDITIONS.read(row.conditions).tamped, "members": 1})
    if row.coffee is not None and row.grinder is not None:
        _number, known = known_together(
            session, row.coffee, row.grinder, row.machine, made_of_row(row)
        )
        plan = knowing(plan, known)
    value = _value(row, wanted.number) or 0.0
    step = max(0.1, SLOPE_SHARE * value)
    before, after = (
        getattr(predict(_with(plan, row, wanted.number, value, by)), wanted.figure).value
        for by in (-step, step)
    )
    by = 0.0 if before is None or after is None else (after - before) / (2 * step)
    return _Slope(by, _bounds(row, wanted.number))


def _with(plan: Plan, row: ShotRow, number: GuidedNumber, value: float, by: float) -> Plan:
    """The shot's plan with a number moved."""
    if number == "yield_g":
        cup_g = plan.profile.stop.cup_g
        stop = plan.profile.stop.model_copy(update={"cup_g": (cup_g or value) + by})
        profile = plan.profile.model_copy(update={"stop": stop})
        return plan.model_copy(update={"profile": profile})
    if number == "grind_setting":
        assert row.grinder is not None
        settings, sizes = row.grinder.settings, row.grinder.grind_um
        at, then = (grind_um_at(settings, sizes, one) for one in (value, value + by))
        change = {"grind_um": plan.setup.grind_um + then - at}
    else:
        change = {number: getattr(plan.setup, number) + by}
    return plan.model_copy(update={"setup": plan.setup.model_copy(update=change)})


def _bounds(row: ShotRow, number: GuidedNumber) -> Bounds:
    if number == "grind_setting" and row.grinder is not None:
        settings = row.grinder.settings
        return Bounds(min(settings), max(settings), row.grinder.step)
    return Bounds(RANGES[number].low, RANGES[number].high)
