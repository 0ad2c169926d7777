"""What hands can do to a running shot, by the machine's kind: nudge, take over, work it alone."""

from __future__ import annotations

from typing import Literal, assert_never

from vapocline.core.base.rounding import to_step
from vapocline.core.machine.commands import Variable, steered_by, step_of
from vapocline.core.machine.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    SoftStart,
    SpringLever,
    StagedProgram,
    ValveAhead,
)
from vapocline.core.machine.steps import COMMAND_STEPS
from vapocline.core.profile.profile import Phase

# A nudge one can feel; a machine of larger steps is nudged by one of its own. Sizes are ours.
NUDGES: dict[Variable, float] = {"pressure": 0.5, "flow": 0.2, "valve": 0.1, "force": 1.0}
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


def in_force(machine: Machine, phase: Phase) -> Variable | None:
    """The variable a phase commands and a hand may change; None with the pump off, on a spring."""
    control = phase.command.control
    if steered_by(machine) is None or control not in COMMAND_STEPS:
        return None
    return control  # type: ignore[return-value]


def taken_over_with(machine: Machine, phase: Phase) -> Variable | None:
    """The variable a hand holds once it has taken over: the one in force, or the machine's own."""
    return in_force(machine, phase) or steered_by(machine)


def nudge_of(control: Variable, machine: Machine) -> float:
    """One nudge: a step one can feel, on the machine's own steps."""
    step = step_of(control, machine)
    return max(step, to_step(NUDGES[control], step))
