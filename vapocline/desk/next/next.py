"""Next: what was found on a shot, and the changes that answer it, weighed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError
from sqlalchemy.orm import Session

from vapocline.core.advise.candidates import Sight, Voice, candidates_for
from vapocline.core.advise.moves import MOVE, Where
from vapocline.core.advise.rules import RULES, Trigger
from vapocline.core.advise.settling import Settled
from vapocline.core.advise.weighing import Aim, Tried, Weighed, weighed
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.core.coffee.grinder import setting_for
from vapocline.core.formats.registry import CONDITIONS, PLAN
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import Plan, knowing
from vapocline.core.taste.believable import Believable
from vapocline.core.taste.tasting import BY_FIELD, Line
from vapocline.desk.bench.known import known_together
from vapocline.desk.context import Context
from vapocline.desk.next.chips import Chip, chips_of, found_in, near_target, of_coffee, off_target
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.shots import ShotLine, finished, line_of
from vapocline.desk.taste.spread import believable_here
from vapocline.desk.trail.cups import laid_out, settled_by, tasted_cups, tried_on
from vapocline.store import shots
from vapocline.store.database import transaction
from vapocline.store.tables import ExpectationRow, ShotRow
from vapocline.store.trail import read_expectations

WANTED_STEPS = 1.0  # of what a rule promises, where nobody said how far off a line is


def _known_move(name: str) -> str:
    if name not in MOVE:
        raise PydanticCustomError("move", "move", {"accepted": ", ".join(MOVE)})
    return name


Steps = Annotated[float, Field(ge=-20, le=20)]


class BenchRecipe(Answer):
    """The words of the bench for a change: those of the shot, but for what the change moves."""

    grind_setting: float | None
    dose_g: float
    water_c: float
    yield_g: float


class NextChange(Answer):
    """One change to try: what and by whom, what it should do, and what own cups say. `profile` and
    `bench` are the shot's own with it."""

    move: str
    words: str
    details: str
    where: Where
    voices: list[Voice]
    expected: dict[Line, float]
    model: dict[Line, float]
    before: Sight
    after: Sight
    cups_for: int
    cups_against: int
    cups_to_see: int | None
    failed: bool
    purge_g: float
    profile: Profile
    bench: BenchRecipe


class Taken(BaseModel):
    """A change that is taken, and by how many noticeable steps it should move each line."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    move: Annotated[str, AfterValidator(_known_move)]
    expected: Annotated[dict[Line, Steps], Field(max_length=len(BY_FIELD))]


class Next(Answer):
    """A shot, what was found on it, and the changes that answer it, the best first. `settled` says
    what came of a change that was taken after the shot before it."""

    shot: ShotLine
    settled: Settled | None
    chips: list[Chip]
    changes: list[NextChange]


def read_next(
    context: Context,
    shot_id: int,
    off: frozenset[Trigger] = frozenset(),
    wished: frozenset[Trigger] = frozenset(),
) -> Next:
    """What to change after a shot. Triggers that are `off` are not answered, those `wished` for are
    too. Raises NotFoundError, ConflictError while it runs, for a dry run
    and for a recording without its plan, Refused where the plan cannot run."""
    findings = read_reading(context, shot_id).reading.findings
    with transaction(context.sessions) as session:
        row = _by_plan(finished(shots.read_shot(session, shot_id)))
        smallest = believable_here(session)
        tastes = list(off_target(session, row, smallest))
        near = near_target(session, row, smallest)
        evidence, settles = _own_cups(session, row, smallest)
        plan = _plan(session, row)
        line = line_of(row)
    said = [*(chip for chip, _aim in tastes), *found_in(findings), *of_coffee(row)]
    chips = chips_of(said, off, wished)
    on = [chip.trigger for chip in chips if chip.on]
    aims = _aims([(chip.trigger, aim) for chip, aim in tastes], on)
    found = weighed(candidates_for(plan, on), aims, evidence, near)
    changes = [_change(one, plan, row) for one in found]
    return Next(shot=line, settled=settles, chips=chips, changes=changes)


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
        session.add(ExpectationRow(shot_id=shot_id, move=taken.move, expected=dict(taken.expected)))


def _plan(session: Session, row: ShotRow) -> Plan:
    """The shot's plan as tamped, on its puck as it is known now."""
    plan, tamped = PLAN.read(row.plan), CONDITIONS.read(row.conditions).tamped
    known = None
    if row.coffee is not None and row.grinder is not None:
        _number, known = known_together(session, row.coffee, row.grinder, row.machine)
    return knowing(plan.model_copy(update={"setup": tamped}), known)


def _aims(tastes: Sequence[tuple[Trigger, Aim]], on: Sequence[Trigger]) -> list[Aim]:
    """How far lines should move: as tasted, or by a step of what the rules for it promise."""
    aims = {aim.line: aim for trigger, aim in tastes if trigger in on}
    said = {trigger for trigger, _aim in tastes}
    for rule in RULES:
        if rule.trigger in on and rule.trigger not in said:
            for line, sign in rule.promise.items():
                aims.setdefault(line, Aim(line, sign * WANTED_STEPS))
                break  # the first line is what it is for
    return list(aims.values())


def _own_cups(
    session: Session, row: ShotRow, smallest: Believable
) -> tuple[list[Tried], Settled | None]:
    """What changes did to the coffee up to a shot, and what the shot says of one that was taken."""
    if row.coffee_id is None:
        return [], None
    laid = laid_out(session, row.coffee_id)
    every = tasted_cups(session, row.coffee_id)
    cups = {number: cup for number, cup in every.items() if number <= row.id}
    taken = read_expectations(session, cups)
    return tried_on(cups, laid, smallest), settled_by(row.id, cups, laid, taken, smallest)


def _change(one: Weighed, plan: Plan, row: ShotRow) -> NextChange:
    candidate = one.candidate
    return NextChange(
        move=candidate.move,
        words=candidate.words,
        details=_details(one, plan, row),
        where=candidate.where,
        voices=candidate.voices,
        expected=one.expected,
        model=candidate.steps,
        before=candidate.before,
        after=candidate.after,
        cups_for=one.cups_for,
        cups_against=one.cups_against,
        cups_to_see=one.cups_to_see,
        failed=one.failed,
        purge_g=candidate.purge_g,
        profile=candidate.plan.profile,
        bench=_bench(one, plan, row),
    )


def _details(one: Weighed, plan: Plan, row: ShotRow) -> str:
    """What is changed; a grind by the grinder's numbers where they are known."""
    setting = _setting(one, row)
    if setting is None or row.grinder is None or row.grind_setting is None:
        return one.candidate.details
    by = one.candidate.plan.setup.grind_um - plan.setup.grind_um
    way = "coarser" if by > 0 else "finer"
    return f"{row.grind_setting:g} to {setting:g} on {row.grinder.name}, {abs(by):.0f} µm {way}"


def _setting(one: Weighed, row: ShotRow) -> float | None:
    """The grinder's setting for a changed grind."""
    if one.candidate.where != "grind" or row.grinder is None:
        return None
    size = one.candidate.plan.setup.grind_um
    return round(setting_for(row.grinder.settings, row.grinder.grind_um, size), 1)


def _bench(one: Weighed, plan: Plan, row: ShotRow) -> BenchRecipe:
    """The shot's recipe as it was meant, moved by the change."""
    moved, intended = one.candidate.plan, CONDITIONS.read(row.conditions).intended
    before_g, after_g = plan.profile.stop.cup_g or 0.0, moved.profile.stop.cup_g or 0.0
    setting = row.grind_setting if (changed := _setting(one, row)) is None else changed
    return BenchRecipe(
        grind_setting=setting,
        dose_g=round(intended.dose_g + moved.setup.dose_g - plan.setup.dose_g, 2),
        water_c=moved.setup.water_c,
        yield_g=round(row.target_yield_g + after_g - before_g, 1),
    )
