"""What of a profile a machine cannot take, why, and how that can be fixed, in words."""

from __future__ import annotations

from collections.abc import Iterator

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.commands import steered_by
from vapocline.core.machine.machine import Machine
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.profile.profile import Profile


class Misfit(Answer):
    """One thing the machine cannot take: where, why, and in words what would fix it."""

    field: str
    got: str
    takes: str
    fix: str


def misfits(profile: Profile, machine: Machine) -> list[Misfit]:
    """Everything the machine cannot take of a profile, and numbers off its steps, in order."""
    problems = machine_problems(profile, machine)
    found = [
        Misfit(
            field=one.field,
            got=one.got,
            takes=one.accepted,
            fix=_fix_words(one, profile, machine),
        )
        for one in _once(problems)
    ]
    refused = {one.field for one in problems}
    rounded = to_machine_steps(profile, machine)
    for field, was, now in _off_step(profile, rounded):
        if not any(field.startswith(one) for one in refused):
            takes = f"{now:g}, on {machine.name}'s steps"
            fix = f"round to {now:g}"
            found.append(Misfit(field=field, got=f"{was:g}", takes=takes, fix=fix))
    return found


def _once(problems: list[Problem]) -> list[Problem]:
    """A move refused at both its ends, for the same reason, as one."""
    kept: list[Problem] = []
    for one in problems:
        last = kept[-1] if kept else None
        same = last and last.field == one.field.removesuffix("to") + "from"
        if last and same and last.accepted == one.accepted:
            got = last.got if last.got == one.got else f"{last.got} to {one.got}"
            kept[-1] = Problem(last.field, got, last.accepted)
        else:
            kept.append(one)
    return kept


def _fix_words(problem: Problem, profile: Profile, machine: Machine) -> str:  # noqa: PLR0911
    field = problem.field
    if field == "phases":
        return "merge the neighbours whose merging changes the shot least"
    phase = profile.phases[int(field.split(".")[1])]
    what = field.split(".", 2)[2]
    if what == "command.control":
        if phase.command.control == "off":
            return "hold at almost zero instead"
        by = steered_by(machine)
        return f"give it the {by} this phase has in this puck" if by else "the nearest it has"
    if what.startswith("command."):
        return "the highest it allows"
    if what.startswith("limit."):
        return "remove the limit"
    if what == "water_c":
        return "the water of the whole shot"
    if what == "along":
        return "move along time, as long as it is predicted to take"
    if what == "over":
        return "hold the level in the middle of the move"
    return "end after the seconds it is predicted to last"


def _off_step(before: Profile, after: Profile) -> Iterator[tuple[str, float, float]]:
    for index, (was, now) in enumerate(zip(before.phases, after.phases, strict=True)):
        held = getattr(was.command, "from_", 0) == getattr(was.command, "to", 0)
        for field, old, new in _numbers_off(was.written(), now.written(), f"phases.{index}"):
            if not (held and field.endswith(".command.to")):  # a level is one number
                yield field, old, new


def _numbers_off(was: object, now: object, path: str) -> Iterator[tuple[str, float, float]]:
    if isinstance(was, dict) and isinstance(now, dict):
        for key, part in was.items():
            yield from _numbers_off(part, now[key], f"{path}.{key}")
    elif isinstance(was, list) and isinstance(now, list):
        for index, (a, b) in enumerate(zip(was, now, strict=True)):
            yield from _numbers_off(a, b, f"{path}.{index}")
    elif isinstance(was, float | int) and isinstance(now, float | int) and abs(was - now) > 1e-6:
        yield path, float(was), float(now)
