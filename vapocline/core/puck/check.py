"""Whether a plan can run at all, said before the kernel starts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from vapocline.core.base.amounts import grams
from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import (
    CupExit,
    FlowAboveExit,
    FlowCommand,
    Phase,
    PressureAboveExit,
    PressureCommand,
    SecondsExit,
    Stop,
)
from vapocline.core.puck.plan import Plan


def refuse_unrunnable(plan: Plan) -> None:
    """Raise Refused with every reason why the plan cannot run; return nothing when it can."""
    problems = [
        *profile_problems(plan.profile, under="profile"),
        *machine_problems(plan.profile, plan.setup.machine, under="profile"),
    ]
    if problems:
        raise Refused(problems)


@dataclass(frozen=True)
class Notice:
    """Something that runs but will hardly do what was meant; `field` is its path in the profile."""

    field: str
    words: str


def notices(plan: Plan) -> list[Notice]:
    """Exits and moves that can have no effect, phase by phase. Empty for a sound profile."""
    stop, machine = plan.profile.stop, plan.setup.machine
    return [
        notice
        for index, phase in enumerate(plan.profile.phases)
        for notice in _phase_notices(phase, f"phases.{index}", stop, machine)
    ]


def _phase_notices(phase: Phase, path: str, stop: Stop, machine: Machine) -> Iterator[Notice]:
    command = phase.command
    top = max(command.from_, command.to) if isinstance(command, PressureCommand) else None
    if isinstance(command, FlowCommand):
        reach = max(command.from_, command.to)
    else:
        reach = phase.limit.flow_ml_s or machine.top_flow_ml_s
    for index, rule in enumerate(phase.exits):
        field = f"{path}.exits.{index}.value"
        if isinstance(rule, PressureAboveExit) and top is not None and rule.value > top:
            yield Notice(field, f"{rule.value:g} bar is never reached: it commands at most {top:g}")
        if isinstance(rule, FlowAboveExit) and rule.value > reach:
            yield Notice(field, f"{rule.value:g} mL/s is never reached: at most {reach:g} flows")
        if isinstance(rule, CupExit) and stop.cup_g is not None and rule.value >= stop.cup_g:
            yield Notice(
                field, f"the shot stops at {grams(stop.cup_g)}, before this can end the phase"
            )
        if isinstance(rule, SecondsExit) and rule.value >= stop.time_s:
            yield Notice(field, f"the shot ends after {stop.time_s:g} s, before this guard")
    ends = [rule.value for rule in phase.exits if isinstance(rule, SecondsExit)]
    if phase.along == "time" and phase.over > 0 and ends and ends[0] < phase.over:
        words = f"the phase ends after {ends[0]:g} s, before the move of {phase.over:g} s is done"
        yield Notice(f"{path}.over", words)
