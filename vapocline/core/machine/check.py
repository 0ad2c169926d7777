"""What a machine cannot do of a profile."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import assert_never

from vapocline.core.base.amounts import temperature
from vapocline.core.base.problems import Problem, shown
from vapocline.core.machine.commands import commands_of
from vapocline.core.machine.machine import HandLever, Machine, SoftStart, SpringLever, ValveAhead
from vapocline.core.profile.profile import (
    FlowCommand,
    ForceCommand,
    OffCommand,
    Phase,
    PressureCommand,
    Profile,
    SpringCommand,
    ValveCommand,
)


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


def modes_for(profile: Profile, machine: Machine) -> list[str]:
    """The machine's modes, by name, that can run the profile."""
    names = machine.mode_names
    return [one for one in names if not machine_problems(profile, machine.in_mode(one))]


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
    if phase.water_c is not None and machine.water_follows_s is None:
        got = temperature(phase.water_c)
        yield Problem(f"{path}.water_c", got, f"one water for the whole shot {where}")
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
