"""Whether a plan can run at all, said before the kernel starts."""

from __future__ import annotations

from collections.abc import Iterator

from vapocline.core.machine import Machine, ValveAhead, commands_of
from vapocline.core.plan import Plan
from vapocline.core.problems import Problem, Refused, shown
from vapocline.core.profile import OffCommand, Phase, PressureCommand, Profile


def refuse_unrunnable(plan: Plan) -> None:
    """Raise Refused with every reason why the plan cannot run; return nothing when it can."""
    problems = [
        *profile_problems(plan.profile, under="profile"),
        *machine_problems(plan.profile, plan.setup.machine, under="profile"),
    ]
    if problems:
        raise Refused(problems)


def profile_problems(profile: Profile, *, under: str = "") -> list[Problem]:
    """What keeps this profile from running on any machine."""
    lead = f"{under}." if under else ""
    if not profile.phases:
        return [Problem(f"{lead}phases", "none", "at least one phase")]
    return [
        problem
        for index, phase in enumerate(profile.phases)
        for problem in _phase_problems(phase, f"{lead}phases.{index}")
    ]


def _phase_problems(phase: Phase, path: str) -> Iterator[Problem]:
    given = [rule.when for rule in phase.exits]
    for index, when in enumerate(given):
        if when in given[:index]:
            yield Problem(f"{path}.exits.{index}.when", shown(when), "each kind of exit once")
    if "seconds" not in given and ("water_ml" not in given or not _pumps(phase)):
        surely = "seconds or water_ml" if _pumps(phase) else "seconds, since no water is pumped"
        yield Problem(
            f"{path}.exits",
            ", ".join(given) or "none",
            f"at least one exit that must come: {surely}",
        )
    limit, control = phase.limit, phase.command.control
    if limit.pressure_bar is not None and control in ("pressure", "off"):
        yield Problem(
            f"{path}.limit.pressure_bar",
            shown(limit.pressure_bar),
            f"no pressure limit on a phase that commands {control}",
        )
    if limit.flow_ml_s is not None and control != "pressure":
        yield Problem(
            f"{path}.limit.flow_ml_s",
            shown(limit.flow_ml_s),
            f"no flow limit on a phase that commands {control}",
        )


def _pumps(phase: Phase) -> bool:
    command = phase.command
    return not isinstance(command, OffCommand) and min(command.from_, command.to) > 0


def machine_problems(profile: Profile, machine: Machine, *, under: str = "") -> list[Problem]:
    """What this machine cannot do of the profile."""
    lead = f"{under}." if under else ""
    return [
        problem
        for index, phase in enumerate(profile.phases)
        for problem in _misfits(phase, machine, f"{lead}phases.{index}")
    ]


def _misfits(phase: Phase, machine: Machine, path: str) -> Iterator[Problem]:
    command = phase.command
    able = commands_of(machine)
    if command.control not in able:
        yield Problem(
            f"{path}.command.control",
            shown(command.control),
            f"{', '.join(able)} on {machine.name}",
        )
        return
    if isinstance(command, OffCommand):
        return
    if isinstance(command, PressureCommand):
        top, unit, why = machine.relief_bar, "bar", "relief setting"
    elif command.control == "flow":
        top, unit, why = machine.top_flow_ml_s, "mL/s", "highest flow"
    else:
        assert isinstance(machine.control, ValveAhead)
        top, unit, why = machine.control.turns[-1], "turns", "last calibrated position"
    for field, value in (("from", command.from_), ("to", command.to)):
        if value > top:
            yield Problem(
                f"{path}.command.{field}",
                f"{value:g}",
                f"at most {top:g} {unit}, {machine.name}'s {why}",
            )
