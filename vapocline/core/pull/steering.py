"""What hands can do to a running shot, by the machine's kind: nudge, take over, work it alone."""

from __future__ import annotations

from typing import Literal, assert_never

from vapocline.core.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    SoftStart,
    SpringLever,
    StagedProgram,
    ValveAhead,
    levels_of,
)
from vapocline.core.profile import Phase
from vapocline.core.rounding import COMMAND_STEPS, to_step
from vapocline.core.translate.commands import Control, steered_by, step_of

# A nudge one can feel; a machine of larger steps is nudged by one of its own. Sizes are ours.
NUDGES: dict[Control, float] = {"pressure": 0.5, "flow": 0.2, "valve": 0.1, "force": 1.0}

ByHand = Literal["level", "steps"]


def worked_by_hand(machine: Machine) -> ByHand | None:
    """How a machine without a program is worked: by a level held all along, or step by step."""
    control = machine.control
    match control:
        case ValveAhead() | HandLever():
            return "level"
        case SpringLever() | SoftStart():
            return "steps"
        case PressureLoop() | FlowLoop() | BothLoops() | StagedProgram():
            return None
        case _:
            assert_never(control)


def in_force(machine: Machine, phase: Phase) -> Control | None:
    """The variable a phase commands and a hand may change; None with the pump off, on a spring."""
    control = phase.command.control
    if steered_by(machine) is None or control not in COMMAND_STEPS:
        return None
    return control  # type: ignore[return-value]


def taken_over_with(machine: Machine, phase: Phase) -> Control | None:
    """The variable a hand holds once it has taken over: the one in force, or the machine's own."""
    return in_force(machine, phase) or steered_by(machine)


def nudge_of(control: Control, machine: Machine) -> float:
    """One nudge: a step one can feel, on the machine's own steps."""
    step = step_of(control, machine)
    return max(step, to_step(NUDGES[control], step))


def top_of(control: Control, machine: Machine) -> float:
    """The highest level a machine takes of a control, in the control's unit."""
    return levels_of(machine).get(control, machine.relief_bar)


def bar_per_unit(control: Control, machine: Machine) -> float:
    """What turns a level into the kernel's terms: a lever's kg are told in bar there."""
    if control == "force":
        assert isinstance(machine.control, HandLever)
        return machine.control.bar_per_kg
    return 1.0
