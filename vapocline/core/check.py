"""Whether a plan can run at all, said before the kernel starts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import assert_never

from vapocline.core.machine import (
    HandLever,
    Machine,
    SoftStart,
    SpringLever,
    ValveAhead,
    commands_of,
)
from vapocline.core.plan import Plan
from vapocline.core.problems import Problem, Refused, shown
from vapocline.core.profile import (
    CupExit,
    FlowAboveExit,
    FlowCommand,
    ForceCommand,
    OffCommand,
    Phase,
    PressureAboveExit,
    PressureCommand,
    Profile,
    SecondsExit,
    SpringCommand,
    Stop,
    ValveCommand,
)


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
    yield from _contradictions(phase, path)
    limit, control = phase.limit, phase.command.control
    if limit.pressure_bar is not None and control not in ("flow", "valve"):
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


def _contradictions(phase: Phase, path: str) -> Iterator[Problem]:
    """Exits that can never count, by each other or by the phase's own limit."""
    value: dict[str, float] = {rule.when: getattr(rule, "value", 0.0) for rule in phase.exits}
    at: dict[str, int] = {rule.when: index for index, rule in enumerate(phase.exits)}
    for what, unit, limit in (
        ("pressure", "bar", phase.limit.pressure_bar),
        ("flow", "mL/s", phase.limit.flow_ml_s),
    ):
        above, below = value.get(f"{what}_above"), value.get(f"{what}_below")
        if above is not None and below is not None and below >= above:
            yield Problem(
                f"{path}.exits.{at[f'{what}_below']}.value",
                f"{below:g}",
                f"less than {above:g} {unit}, where the phase is left on the way up",
            )
        if above is not None and limit is not None and above > limit:
            yield Problem(
                f"{path}.exits.{at[f'{what}_above']}.value",
                f"{above:g}",
                f"at most {limit:g} {unit}, this phase's own limit",
            )


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
                field, f"the shot stops at {stop.cup_g:g} g, before this can end the phase"
            )
        if isinstance(rule, SecondsExit) and rule.value >= stop.time_s:
            yield Notice(field, f"the shot ends after {stop.time_s:g} s, before this guard")
    ends = [rule.value for rule in phase.exits if isinstance(rule, SecondsExit)]
    if phase.along == "time" and phase.over > 0 and ends and ends[0] < phase.over:
        words = f"the phase ends after {ends[0]:g} s, before the move of {phase.over:g} s is done"
        yield Notice(f"{path}.over", words)


def _pumps(phase: Phase) -> bool:
    """Whether water surely flows: a lever's may be pressed out, a shut valve lets none through."""
    command = phase.command
    if isinstance(command, OffCommand | SpringCommand | ForceCommand):
        return False
    return min(command.from_, command.to) > 0


def machine_problems(profile: Profile, machine: Machine, *, under: str = "") -> list[Problem]:
    """What this machine cannot do of the profile."""
    lead = f"{under}." if under else ""
    found = []
    stages = machine.program.stages
    if stages is not None and len(profile.phases) > stages:
        taken = f"at most {stages} on {machine.name}"
        found.append(Problem(f"{lead}phases", f"{len(profile.phases)} stages", taken))
    for index, phase in enumerate(profile.phases):
        path = f"{lead}phases.{index}"
        found += [*_misfits(phase, machine, path), *_program_misfits(phase, machine, path)]
    return found


EXIT_NAMES = {
    "seconds": "seconds",
    "pressure_above": "pressure reached",
    "pressure_below": "pressure fallen to",
    "flow_above": "flow reached",
    "flow_below": "flow fallen to",
    "water_ml": "water pumped",
    "cup_g": "cup weight",
    "first_drip": "first drip",
    "hand": "hand signal",
}


def _program_misfits(phase: Phase, machine: Machine, path: str) -> Iterator[Problem]:
    """What the machine's program has no place for: moves, limits, exits."""
    program, where = machine.program, f"on {machine.name}"
    if phase.over > 0 and not isinstance(phase.command, OffCommand | SpringCommand):
        if not program.ramps and phase.command.from_ != phase.command.to:
            got = f"a move from {phase.command.from_:g} to {phase.command.to:g}"
            yield Problem(f"{path}.over", got, f"one level a stage {where}")
        elif phase.along not in program.along:
            yield Problem(f"{path}.along", phase.along, f"{', '.join(program.along)} {where}")
    for field, value in (
        ("pressure_bar", phase.limit.pressure_bar),
        ("flow_ml_s", phase.limit.flow_ml_s),
    ):
        if value is not None and not program.limits:
            yield Problem(f"{path}.limit.{field}", f"{value:g}", f"no limits {where}")
    for index, rule in enumerate(phase.exits):
        if program.exits is not None and rule.when not in program.exits:
            taken = f"{', '.join(EXIT_NAMES[one] for one in program.exits)} {where}"
            yield Problem(f"{path}.exits.{index}.when", EXIT_NAMES[rule.when], taken)


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
    match command:
        case OffCommand():
            pass
        case SpringCommand():
            yield from _springs(command, machine, path)
        case PressureCommand() | FlowCommand() | ValveCommand() | ForceCommand():
            ceiling = _ceiling(command, machine)
            for field, value in (("from", command.from_), ("to", command.to)):
                if value > ceiling.top:
                    yield Problem(f"{path}.command.{field}", f"{value:g}", ceiling.words(machine))
                elif value < ceiling.only:
                    only = f"{ceiling.only:g} {ceiling.unit} and nothing else on {machine.name}"
                    yield Problem(f"{path}.command.{field}", f"{value:g}", only)
        case _:
            assert_never(command)


def _springs(command: SpringCommand, machine: Machine, path: str) -> Iterator[Problem]:
    assert isinstance(machine.control, SpringLever)
    there = len(machine.control.springs)
    if command.springs > there:
        yield Problem(
            f"{path}.command.springs", str(command.springs), f"at most {there} on {machine.name}"
        )
        return
    top = sum(spring.top_bar for spring in machine.control.springs[: command.springs])
    if top > machine.relief_bar:
        got = f"{command.springs}, which press {top:g} bar"
        taken = f"at most {machine.relief_bar:g} bar, {machine.name}'s relief setting"
        yield Problem(f"{path}.command.springs", got, taken)


@dataclass(frozen=True)
class Ceiling:
    """The most a machine can do of what is commanded; `only` where there is but one value."""

    top: float
    unit: str
    why: str
    only: float = 0.0

    def words(self, machine: Machine) -> str:
        """What is accepted, as a sentence ends with it."""
        return f"at most {self.top:g} {self.unit}, {machine.name}'s {self.why}"


def _ceiling(
    command: PressureCommand | FlowCommand | ValveCommand | ForceCommand, machine: Machine
) -> Ceiling:
    control = machine.control
    if isinstance(command, FlowCommand):
        return Ceiling(machine.top_flow_ml_s, "mL/s", "highest flow")
    if isinstance(command, ValveCommand):
        assert isinstance(control, ValveAhead)
        return Ceiling(control.turns[-1], "turns", "last calibrated position")
    if isinstance(command, ForceCommand):
        assert isinstance(control, HandLever)
        return Ceiling(
            round(machine.relief_bar / control.bar_per_kg, 1), "kg", "relief setting by its lever"
        )
    if isinstance(control, SpringLever):
        return Ceiling(control.line_bar, "bar", "line pressure with the lever drawn")
    if isinstance(control, SoftStart):
        return Ceiling(control.pump_bar, "bar", "only pressure", only=control.pump_bar)
    return Ceiling(machine.relief_bar, "bar", "relief setting")
