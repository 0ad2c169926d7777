"""How far the bench's coffee is with a first week, and the plan of each step."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict
from sqlalchemy.orm import Session

from vapocline.core.advise.evidence import TastedShot
from vapocline.core.advise.first_week import STEP, WEEK, StepKey, WeekStep
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError
from vapocline.desk.bench.bench import Bench, BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, list_profiles, start_profile
from vapocline.desk.plan.styles import SetupChange, fit_style
from vapocline.desk.taste.spread import spreads_here
from vapocline.desk.trail.cups import read_layout, settled_by, tasted_cups
from vapocline.store import week
from vapocline.store.database import transaction
from vapocline.store.trail import read_expectations

WeekProgress = Literal["to do", "pulled", "done"]


class FirstWeekStep(Answer):
    """A step with how far it is: `pulled` is not tasted yet. `profile_id` and `shot_id` are what it
    came to, `session_id` the blind tasting."""

    key: StepKey
    name: str
    why: str
    look_for: str
    progress: WeekProgress
    profile_id: int | None
    number: int | None
    shot_id: int | None
    session_id: int | None


class FirstWeek(Answer):
    """The five steps for the coffee on the bench, None where there is none; `now` is the first that
    is not done, None once all are."""

    coffee: str | None
    steps: list[FirstWeekStep]
    now: StepKey | None
    shot_ids: list[int]


class PlannedStep(BaseModel):
    """The step to plan."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    key: StepKey


def read_first_week(context: Context) -> FirstWeek:
    """How far the bench's coffee is."""
    bench = read_bench(context)
    with transaction(context.sessions) as session:
        cups = {} if bench.coffee is None else tasted_cups(session, bench.coffee.id)
        steps = [_step(session, bench, one, cups) for one in WEEK]
    return FirstWeek(
        coffee=None if bench.coffee is None else bench.coffee.name,
        steps=steps,
        now=next((one.key for one in steps if one.progress != "done"), None),
        shot_ids=[one.shot_id for one in steps if one.shot_id is not None],
    )


def plan_step(context: Context, asked: PlannedStep) -> FirstWeek:
    """Make the profile of a step, fitted to the bench: the baseline with its grind, the others at
    the grind as it is. Raises ConflictError for a step that is no profile, Refused
    where the machine cannot run it."""
    step = STEP[asked.key]
    if step.style is None:
        raise ConflictError(f"'{step.name}' has no profile of its own.")
    baseline = asked.key == "baseline"
    fitted = fit_style(context, step.style, regrind=baseline)
    taken = {one.name for one in list_profiles(context)}
    named = fitted.profile.name
    name = next(
        one
        for one in (named, *(f"{named} {count}" for count in range(2, len(taken) + 3)))
        if one not in taken
    )
    start_profile(context, NewProfile(name=name, profile=fitted.profile, style=step.style))
    if change := _changed(fitted.change, regrind=baseline):
        change_bench(context, BenchChange.model_validate(change))
    return read_first_week(context)


def _changed(change: SetupChange, *, regrind: bool) -> dict[str, float]:
    given = {"yield_g": change.yield_g}
    if regrind:
        given["grind_setting"] = change.grind_setting
    return {name: value for name, value in given.items() if value is not None}


def _step(
    session: Session, bench: Bench, step: WeekStep, cups: dict[int, TastedShot]
) -> FirstWeekStep:
    coffee_id = None if bench.coffee is None else bench.coffee.id
    found: dict[str, int | None] = {}
    progress: WeekProgress = "to do"
    if step.style is not None:
        version = week.newest_version_of_style(session, step.style)
        if version is not None:
            found = {"profile_id": version.profile_id, "number": version.number}
    if coffee_id is not None:
        if step.style is not None:
            pulled = week.shots_of_style(session, coffee_id, step.style)
            tasted = [one for one in pulled if one in cups]
            found["shot_id"] = next(iter([*tasted, *pulled]), None)
            progress = "done" if tasted else "pulled" if pulled else "to do"
        elif step.key == "blind pair":
            found["session_id"] = week.newest_blind_pair(session, coffee_id)
            progress = "to do" if found["session_id"] is None else "done"
        else:
            found["shot_id"] = _changed_once(session, coffee_id, cups)
            progress = "to do" if found["shot_id"] is None else "done"
    return FirstWeekStep(
        key=step.key,
        name=step.name,
        why=step.why,
        look_for=step.look_for,
        progress=progress,
        profile_id=found.get("profile_id"),
        number=found.get("number"),
        shot_id=found.get("shot_id"),
        session_id=found.get("session_id"),
    )


def _changed_once(session: Session, coffee_id: int, cups: dict[int, TastedShot]) -> int | None:
    """The newest shot that settled a change which was taken."""
    taken = read_expectations(session, cups)
    if not taken:
        return None
    layout, spreads = read_layout(session, coffee_id), spreads_here(session)
    for number in reversed(cups):
        settled = settled_by(number, cups, layout, taken, spreads)
        if settled is not None and settled.outcome != "not made":
            return number
    return None
