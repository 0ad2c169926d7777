"""Candidates: the moves that answer what was found, each checked against the machine and predicted
on the puck as known."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from vapocline.core.advise.bounds import UNBOUNDED, BenchBounds, stays_within
from vapocline.core.advise.companions import with_time_kept
from vapocline.core.advise.moves import MOVE, Before, Move, Where
from vapocline.core.advise.rules import NOBODY_AGAINST, Rule, SchoolName, Trigger, rules_for
from vapocline.core.base.amounts import from_to
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.puck.ranges import side_by_side
from vapocline.core.taste.tasting import Line

# By how much of itself a taste must change before one can tell, nearly (Weber's share). Ours.
NOTICEABLE = 0.10
# What in the cup a line of the form follows, as far as the model has it.
FOLLOWS: dict[Line, str] = {
    "acidity": "bright", "sweetness": "sweet", "bitterness": "bitter", "body": "strength",
}  # fmt: skip
LEAST_CHANGE_S = 0.02  # the same shot within how finely it is run
AGREES = 0.15  # of a noticeable step: the model moves a line less than that either way
EVERY = 2  # samples: a small curve needs no more
PURGE_G = 3.0  # of coffee, to clear the grinder of the last setting
UNITS: dict[Where, tuple[str, str, str]] = {
    "grind": ("grind_um", "grind", "µm"),
    "dose": ("dose_g", "dose", "g"),
    "water": ("water_c", "water", "°C"),
}


class Voice(Answer):
    """One school for a move: what it answers, what it promises on each line, why, and what others
    hold against it. `model` is which way the model moves those lines, 0 for hardly."""

    school: SchoolName
    trigger: Trigger
    promise: dict[Line, int]
    reason: str
    against: str
    model: dict[Line, int]


class ShotSketch(Answer):
    """A shot in a few figures and a small curve."""

    shot_time_s: float | None
    extraction_yield_pct: float | None
    tds_pct: float | None
    late_flow_ml_s: float | None
    time_s: list[float]
    pressure_bar: list[float]


class Candidate(Answer):
    """One change: in words, by whom, and what it should do. `steps` are noticeable steps of each
    line that the model has; `purge_g` is the coffee that a new grind costs."""

    move: str
    words: str
    details: str
    where: Where
    voices: list[Voice]
    steps: dict[Line, float]
    before: ShotSketch
    after: ShotSketch
    purge_g: float
    plan: Plan


class _Moved(NamedTuple):
    """A move made, with the rules that ask for it."""

    move: Move
    rules: list[Rule]
    plan: Plan


def candidates_for(
    plan: Plan, triggers: Sequence[Trigger], bounds: BenchBounds = UNBOUNDED
) -> list[Candidate]:
    """Every move that answers a trigger, that this machine takes, that changes the plan and that
    leads past no bound.

    Raises Refused where the plan itself cannot run, Cancelled.
    """
    one = plan.model_copy(update={"members": 1})
    before = Before(one, predict(one))
    moved = list(_moved(before, rules_for(frozenset(triggers))))
    shots = side_by_side(_predicted, [each.plan for each in moved])
    return [
        _candidate(before, each, shot)
        for each, shot in zip(moved, shots, strict=True)
        if shot is not None
        and stays_within(before, (each.plan, shot), bounds)
        and _does_something(before.shot, shot)
    ]


def refitted_candidate(
    plan: Plan, triggers: Sequence[Trigger], move: str, bounds: BenchBounds = UNBOUNDED
) -> Candidate | None:
    """A change with the grind refitted so that the shot takes as long as before; None where it is
    no candidate, or where nothing has to be refitted. Raises Refused, Cancelled."""
    one = plan.model_copy(update={"members": 1})
    before = Before(one, predict(one))
    rules = [rule for rule in rules_for(frozenset(triggers)) if rule.move == move]
    for each in _moved(before, rules):
        refitted = None if each.move.where == "grind" else with_time_kept(one, each.plan)
        if refitted is None or (shot := _predicted(refitted)) is None:
            continue
        if stays_within(before, (refitted, shot), bounds):
            found = _candidate(before, each._replace(plan=refitted), shot)
            return found.model_copy(update={"purge_g": PURGE_G})
    return None


def _moved(before: Before, rules: Sequence[Rule]) -> Iterator[_Moved]:
    by_move: dict[str, list[Rule]] = {}
    for rule in rules:
        by_move.setdefault(rule.move, []).append(rule)
    for key, asked_by in by_move.items():
        plan = MOVE[key].change(before)
        if plan is None or plan == before.plan or not runs_on_machine(plan):
            continue
        yield _Moved(MOVE[key], asked_by, plan)


def runs_on_machine(plan: Plan) -> bool:
    """Whether the machine takes it as it is."""
    profile = _whole(plan.profile)
    return profile is not None and not (
        profile_problems(profile) or machine_problems(profile, plan.setup.machine)
    )


def _does_something(before: Prediction, after: Prediction) -> bool:
    """Whether a change is more than a number that never comes to bear, such as an exit after
    another one."""
    times = [one.shot_time_s.value or 0.0 for one in (before, after)]
    return abs(times[1] - times[0]) >= LEAST_CHANGE_S or any(_steps(before, after).values())


def _whole(profile: Profile) -> Profile | None:
    """The profile with every number within its range; None where one is not."""
    try:
        return Profile.model_validate(profile.model_dump(by_alias=True))
    except ValueError:
        return None


def _predicted(plan: Plan) -> Prediction | None:
    try:
        return predict(plan)
    except Refused:
        return None


def _candidate(before: Before, moved: _Moved, shot: Prediction) -> Candidate:
    steps = _steps(before.shot, shot)
    return Candidate(
        move=moved.move.key,
        words=moved.move.words,
        details=_details(moved.move, before.plan, moved.plan),
        where=moved.move.where,
        voices=[_voice(rule, steps) for rule in moved.rules],
        steps=steps,
        before=_sketch(before.shot),
        after=_sketch(shot),
        purge_g=PURGE_G if moved.move.where == "grind" else 0.0,
        plan=moved.plan,
    )


def _voice(rule: Rule, steps: dict[Line, float]) -> Voice:
    said: dict[Line, int] = {
        line: 0 if abs(steps[line]) < AGREES else int(math.copysign(1, steps[line]))
        for line in rule.promise
        if line in steps
    }
    return Voice(
        school=rule.school,
        trigger=rule.trigger,
        promise=dict(rule.promise),
        reason=rule.reason,
        against=rule.against or NOBODY_AGAINST,
        model=said,
    )


def _steps(before: Prediction, after: Prediction) -> dict[Line, float]:
    """By how many noticeable steps each line moves that the model has."""
    found: dict[Line, float] = {}
    for line, of in FOLLOWS.items():
        was, now = _of(before, of), _of(after, of)
        if was and now:
            found[line] = round(math.log(now / was) / NOTICEABLE, 2)
    return found


def _of(shot: Prediction, name: str) -> float | None:
    if name == "strength":
        return shot.tds_pct.value
    value: float | None = getattr(shot.classes, name).value
    return value


def _details(move: Move, before: Plan, after: Plan) -> str:
    """What is changed, from what to what."""
    if move.where in UNITS:
        field, name, unit = UNITS[move.where]
        was, now = (float(getattr(plan.setup, field)) for plan in (before, after))
        return f"{name} {from_to(was, now, unit)}"
    return "; ".join(profile_differences(before.profile, after.profile))


def _sketch(shot: Prediction) -> ShotSketch:
    stop_s, series = shot.shot_time_s.value or 0.0, shot.series
    kept = [at for at, time_s in enumerate(series.time_s) if time_s <= stop_s][::EVERY]
    return ShotSketch(
        shot_time_s=shot.shot_time_s.value,
        extraction_yield_pct=shot.extraction_yield_pct.value,
        tds_pct=shot.tds_pct.value,
        late_flow_ml_s=shot.late_flow_ml_s.value,
        time_s=[series.time_s[at] for at in kept],
        pressure_bar=[series.pressure_bar[at] for at in kept],
    )
