"""Next: what was found on a shot, and the changes that answer it, weighed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, NamedTuple

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError
from sqlalchemy.orm import Session

from vapocline.core.advise.bounds import BenchBounds
from vapocline.core.advise.candidates import candidates_for, refitted_candidate
from vapocline.core.advise.evidence import Tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.rules import RULES, Trigger
from vapocline.core.advise.separating import separate
from vapocline.core.advise.settling import Settled
from vapocline.core.advise.weighing import LineOffTarget, weighed
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.formats.registry import CONDITIONS, PLAN
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan, knowing
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import BY_FIELD, Line
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.known import known_together, made_of_row
from vapocline.desk.context import Context
from vapocline.desk.next.changes import BenchRecipe, NextChange, change_of, recipe_of
from vapocline.desk.next.chips import (
    Chip,
    chips_of,
    found_in,
    near_target,
    of_coffee,
    of_pressure,
    off_goals,
    off_target,
)
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.shots import ShotLine, finished, line_of
from vapocline.desk.taste.spread import spreads_here
from vapocline.desk.trail.cups import cup_of, read_layout, settled_by, tasted_cups, tried_on
from vapocline.store import shelf, shots
from vapocline.store.database import transaction
from vapocline.store.tables import ExpectationRow, ShotRow
from vapocline.store.trail import read_expectations

WANTED_STEPS = 1.0  # of what a rule promises, where nobody said how far off a line is


def _known_move(name: str) -> str:
    if name not in MOVE:
        raise PydanticCustomError("move", "move", {"accepted": ", ".join(MOVE)})
    return name


MoveName = Annotated[str, AfterValidator(_known_move)]
NoticeableSteps = Annotated[float, Field(ge=-20, le=20)]


class Taken(BaseModel):
    """A change that is taken, and by how many noticeable steps it should move each line; with
    `regrind` the grind is refitted with it."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    move: MoveName
    expected: Annotated[dict[Line, NoticeableSteps], Field(max_length=len(BY_FIELD))]
    regrind: bool = False


class SeparatingShot(Answer):
    """Two changes were made at once before a shot: the earlier shot with only the first of them
    separates what they did."""

    first: str
    second: str
    shot_id: int
    profile: Profile
    bench: BenchRecipe


class Next(Answer):
    """A shot, what was found on it, and the changes that answer it, the best first. `settled` says
    what came of a change that was taken after the shot before it; the numbers are of what the
    predictions were learnt of."""

    shot: ShotLine
    coffee_id: int | None
    grinder_id: int | None
    machine_id: int
    settled: Settled | None
    separating: SeparatingShot | None
    chips: list[Chip]
    changes: list[NextChange]


class _Found(NamedTuple):
    """What Next rests on."""

    row: ShotRow
    line: ShotLine
    plan: Plan
    chips: list[Chip]
    aims: list[LineOffTarget]
    near: list[LineOffTarget]
    tried: list[Tried]
    settled: Settled | None
    separating: SeparatingShot | None
    bounds: BenchBounds

    @property
    def on(self) -> list[Trigger]:
        return [chip.trigger for chip in self.chips if chip.on]


def read_next(
    context: Context,
    shot_id: int,
    off: frozenset[Trigger] = frozenset(),
    wished: frozenset[Trigger] = frozenset(),
) -> Next:
    """What to change after a shot. Triggers that are `off` are not answered, those `wished` for are
    too. Raises NotFoundError, ConflictError while it runs, for a dry run
    and for a recording without its plan, Refused where the plan cannot run."""
    found = _found(context, shot_id, off, wished)
    candidates = candidates_for(found.plan, found.on, found.bounds)
    return Next(
        shot=found.line,
        coffee_id=found.row.coffee_id,
        grinder_id=found.row.grinder_id,
        machine_id=found.row.machine_id,
        settled=found.settled,
        separating=found.separating,
        chips=found.chips,
        changes=[
            change_of(one, found.plan, found.row)
            for one in weighed(candidates, found.aims, found.tried, found.near)
        ],
    )


def read_refitted(
    context: Context,
    shot_id: int,
    move: str,
    off: frozenset[Trigger] = frozenset(),
    wished: frozenset[Trigger] = frozenset(),
) -> NextChange | None:
    """A change with the grind refitted so that the shot takes as long as before; None where that
    is kept anyway, or no grind does it. Raises as read_next."""
    found = _found(context, shot_id, off, wished)
    candidate = refitted_candidate(found.plan, found.on, move, found.bounds)
    if candidate is None:
        return None
    [one] = weighed([candidate], found.aims, found.tried, found.near)
    return change_of(one, found.plan, found.row)


def _found(
    context: Context, shot_id: int, off: frozenset[Trigger], wished: frozenset[Trigger]
) -> _Found:
    findings = read_reading(context, shot_id).reading.findings
    with transaction(context.sessions) as session:
        row = _by_plan(finished(shots.read_shot(session, shot_id)))
        spreads = spreads_here(session)
        tastes = list(off_target(session, row, spreads))
        near = near_target(session, row, spreads)
        tried, settled, separating = _own_cups(session, row, spreads)
        plan = _plan(session, row)
        line = line_of(row)
        bounds = _bounds(session, row)
    goals = off_goals(row, read_bench(context).goals)
    measured = [*goals, *of_pressure(row, plan.profile)]
    said = [*(chip for chip, _aim in tastes), *measured, *found_in(findings), *of_coffee(row)]
    chips = chips_of(said, off, wished)
    on = [chip.trigger for chip in chips if chip.on]
    aims = _aims([(chip.trigger, aim) for chip, aim in tastes], on)
    return _Found(row, line, plan, chips, aims, near, tried, settled, separating, bounds)


def _by_plan(row: ShotRow) -> ShotRow:
    """A shot that ran by a plan on a puck. Raises ConflictError for another."""
    if row.dry:
        raise ConflictError(
            f"Shot {row.id} was a dry run: there is nothing to change for its taste."
        )
    if not row.plan_known:
        raise ConflictError(f"Shot {row.id} was brought in: the plan it ran by is not known.")
    return row


def take_change(context: Context, shot_id: int, taken: Taken) -> None:
    """Keep what was expected of a change that is taken after a shot. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        shots.read_standing(session, shot_id)
        session.add(
            ExpectationRow(
                shot_id=shot_id,
                move=taken.move,
                expected=dict(taken.expected),
                regrind=taken.regrind,
            )
        )


def _plan(session: Session, row: ShotRow) -> Plan:
    """The shot's plan as tamped, on its puck as it is known now."""
    plan, tamped = PLAN.read(row.plan), CONDITIONS.read(row.conditions).tamped
    known = None
    if row.coffee is not None and row.grinder is not None:
        _number, known = known_together(
            session, row.coffee, row.grinder, row.machine, made_of_row(row)
        )
    return knowing(plan.model_copy(update={"setup": tamped}), known)


def _bounds(session: Session, row: ShotRow) -> BenchBounds:
    """How far the shot's grinder and basket allow a change to go."""
    sizes = None if row.grinder is None else (min(row.grinder.grind_um), max(row.grinder.grind_um))
    name = CONDITIONS.read(row.conditions).basket
    basket = None if name is None else shelf.find_basket(session, name)
    doses = None if basket is None else (basket.least_g, basket.most_g)
    return BenchBounds(grind_um=sizes, dose_g=doses)


def _aims(
    tastes: Sequence[tuple[Trigger, LineOffTarget]], on: Sequence[Trigger]
) -> list[LineOffTarget]:
    """How far lines should move: as tasted, or by a step of what the rules for it promise."""
    aims = {aim.line: aim for trigger, aim in tastes if trigger in on}
    said = {trigger for trigger, _aim in tastes}
    for rule in RULES:
        if rule.trigger in on and rule.trigger not in said:
            for line, sign in rule.promise.items():
                aims.setdefault(line, LineOffTarget(line, sign * WANTED_STEPS))
                break  # the first line is what it is for
    return list(aims.values())


def _own_cups(
    session: Session, row: ShotRow, spreads: HouseSpreads
) -> tuple[list[Tried], Settled | None, SeparatingShot | None]:
    """What changes did to the coffee up to a shot, what the shot says of one that was taken, and
    the shot that separates two that were made at once."""
    if row.coffee_id is None:
        return [], None, None
    layout = read_layout(session, row.coffee_id)
    every = tasted_cups(session, row.coffee_id)
    cups = {number: cup for number, cup in every.items() if number <= row.id}
    taken = read_expectations(session, cups)
    settled = settled_by(row.id, cups, layout, taken, spreads)
    origin = layout.came_from(row.id)
    made_as_taken = settled is not None and settled.outcome != "not made"
    separating = None if origin is None or made_as_taken else _separating(session, origin, row)
    return tried_on(cups, layout, spreads), settled, separating


def _separating(session: Session, origin: int, row: ShotRow) -> SeparatingShot | None:
    before = shots.read_shot(session, origin)
    if not before.plan_known:
        return None
    was = cup_of(before).plan
    found = separate(was, cup_of(row).plan)
    if found is None:
        return None
    return SeparatingShot(
        first=found.first,
        second=found.second,
        shot_id=origin,
        profile=found.plan.profile,
        bench=recipe_of(found.plan, was, before),
    )
