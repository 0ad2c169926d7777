"""Move a program's levels and times, in the machine's steps, until it can come no nearer.

A pattern search (Hooke and Jeeves 1961), number by number: both neighbours are tried side by side,
a step that helps is kept and grows, one that does not is halved down to the machine's own.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from vapocline.core.base.rounding import to_step
from vapocline.core.machine.commands import Variable, step_of, within
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import (
    Exit,
    OffCommand,
    Phase,
    PressureCommand,
    Profile,
    SecondsExit,
    SpringCommand,
)
from vapocline.core.puck.ranges import side_by_side

FIRST_STEPS: dict[str, float] = {"pressure": 0.8, "flow": 0.6, "valve": 0.3, "force": 2.0}
FIRST_S, LONGEST_S, LEAST_S = 2.0, 120.0, 0.5
ENOUGH = 1e-3  # an improvement smaller than this is none
ScoreFunction = Callable[[Profile], float]
SearchProgress = Callable[[Profile, float], bool]


@dataclass
class SearchedNumber:
    """One number that may move: in which phase, what of it, how far next, and its smallest step."""

    phase: int
    what: str  # level, from, to, seconds
    step: float
    least: float


def closer(
    profile: Profile, machine: Machine, score: ScoreFunction, most: int, watch: SearchProgress
) -> tuple[Profile, int]:
    """The best program near a first one, and how many runs it took, about `most` in all.

    `watch` gets each improvement and answers whether to go on.
    """
    numbers = list(_numbers(profile, machine))
    best, at = profile, score(profile)
    runs = 1
    while runs < most and any(number.step >= number.least for number in numbers):
        for number in numbers:
            if number.step < number.least or runs >= most:
                continue
            tried = [
                one
                for sign in (1, -1)
                if (one := _moved(best, number, sign * number.step, machine)) is not None
            ]
            scores = side_by_side(score, tried)
            runs += len(tried)
            found = min(zip(scores, range(len(tried)), strict=True), default=(at, 0))
            if found[0] < at - ENOUGH:
                at, best = found[0], tried[found[1]]
                number.step *= 1.5
                if not watch(best, at):
                    return best, runs
            else:
                number.step /= 2 if number.step >= 2 * number.least else 4
    return best, runs


def _numbers(profile: Profile, machine: Machine) -> Iterator[SearchedNumber]:
    last = len(profile.phases) - 1
    for index, phase in enumerate(profile.phases):
        one = phase.command
        if not isinstance(one, OffCommand | SpringCommand) and not _fixed(phase, machine):
            control: Variable = one.control
            first, least = FIRST_STEPS[control], step_of(control, machine)
            whats = ("level",) if one.from_ == one.to else ("from", "to")
            for what in whats:
                yield SearchedNumber(index, what, max(first, least), least)
        if index < last and any(isinstance(rule, SecondsExit) for rule in phase.exits):
            yield SearchedNumber(index, "seconds", FIRST_S, max(0.1, machine.steps.seconds))


def _fixed(phase: Phase, machine: Machine) -> bool:
    """Whether the machine has but one such level: a soft start's, a drawn lever's."""
    only = machine.control.kind in ("soft-start", "spring-lever")
    return only and isinstance(phase.command, PressureCommand)


def _moved(profile: Profile, number: SearchedNumber, by: float, machine: Machine) -> Profile | None:
    """The profile with a number moved; None where it stands at its end."""
    phase = profile.phases[number.phase]
    if number.what == "seconds":
        changed = _longer(phase, by, machine)
    else:
        changed = _levelled(phase, number.what, by, machine)
    if changed is None or changed == phase:
        return None
    phases = (*profile.phases[: number.phase], changed, *profile.phases[number.phase + 1 :])
    return profile.model_copy(update={"phases": phases})


def _levelled(phase: Phase, what: str, by: float, machine: Machine) -> Phase | None:
    one = phase.command
    assert not isinstance(one, OffCommand | SpringCommand)
    ends = {"level": ("from_", "to"), "from": ("from_",), "to": ("to",)}[what]
    moved = {
        end: max(
            step_of(one.control, machine), within(one.control, getattr(one, end) + by, machine)
        )
        for end in ends
    }
    return phase.model_copy(update={"command": one.model_copy(update=moved)})


def _longer(phase: Phase, by: float, machine: Machine) -> Phase | None:
    step = max(0.1, machine.steps.seconds)
    exits: list[Exit] = []
    over = phase.over
    for rule in phase.exits:
        if isinstance(rule, SecondsExit):
            seconds = max(LEAST_S, step, min(LONGEST_S, to_step(rule.value + by, step)))
            if phase.along == "time" and over and abs(over - rule.value) < step:
                over = seconds  # a move as long as its stage stays so
            exits.append(SecondsExit(value=seconds))
        else:
            exits.append(rule)
    return phase.model_copy(update={"exits": tuple(exits), "over": over})
