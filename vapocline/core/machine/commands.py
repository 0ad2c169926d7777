"""What a machine can be commanded: its variables, their highest levels and smallest steps."""

from __future__ import annotations

from typing import Literal, assert_never

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.machine import (
    BothLoops,
    Control,
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
from vapocline.core.profile.profile import (
    Command,
    FlowCommand,
    ForceCommand,
    PressureCommand,
    ValveCommand,
)

Variable = Literal["pressure", "flow", "valve", "force"]
NEAREST_SHARE = 0.02  # of the pump's pressure: a valve counts as open when nearer to it
LEAST_PUMP_BAR = 0.1  # a stored valve may have a pump of nothing: no division by it


def levels_of(machine: Machine) -> dict[str, float]:
    """The highest level of each command a machine takes, in that command's unit."""
    control = machine.control
    tops = {"pressure": machine.relief_bar, "flow": machine.top_flow_ml_s}
    if isinstance(control, ValveAhead):
        tops["valve"] = control.turns[-1]
    if isinstance(control, HandLever):
        tops["force"] = round(machine.relief_bar / control.bar_per_kg, 1)
    if isinstance(control, SpringLever):
        tops["pressure"] = control.line_bar
    if isinstance(control, SoftStart):
        tops["pressure"] = control.pump_bar
    return {name: top for name, top in tops.items() if name in commands_of(machine)}


def commands_of(machine: Machine) -> tuple[str, ...]:
    """The phase controls this machine takes."""
    every = _commands_of(machine.control)
    return every if machine.program.pauses else tuple(one for one in every if one != "off")


def _commands_of(control: Control) -> tuple[str, ...]:  # noqa: PLR0911 - one a kind
    match control.kind:
        case "pressure-loop":
            return ("pressure", "off")
        case "flow-loop":
            return ("flow", "off")
        case "both-loops":
            return ("pressure", "flow", "off")
        case "staged":
            return (control.holds, "off")
        case "valve":
            return ("valve", "off")
        case "spring-lever":
            return ("pressure", "spring", "off")
        case "hand-lever":
            return ("force", "off")
        case "soft-start":
            return ("pressure", "off")
        case _:
            assert_never(control.kind)


def steered_by(machine: Machine) -> Variable | None:
    """The variable a translation sets; None where the machine is only on or off, or has springs."""
    control = machine.control
    match control:
        case PressureLoop() | BothLoops():
            return "pressure"
        case FlowLoop():
            return "flow"
        case StagedProgram():
            return control.holds
        case ValveAhead():
            return "valve"
        case HandLever():
            return "force"
        case SpringLever() | SoftStart():
            return None
        case _:
            assert_never(control)


def turns_for(pressure: Floats, flow: Floats, control: ValveAhead) -> Floats:
    """The orifice law turned round: free flow = flow / √(1 − pressure / pump)."""
    left = np.clip(1.0 - pressure / max(control.pump_bar, LEAST_PUMP_BAR), NEAREST_SHARE, 1.0)
    free, turns = np.array(control.free_flow_ml_s), np.array(control.turns)
    rising = np.maximum.accumulate(free) + 1e-9 * np.arange(free.size)
    found: Floats = np.interp(flow / np.sqrt(left), rising, turns)
    return found


def command(control: Variable, start: float, end: float, machine: Machine) -> Command:
    """A command between two levels, on the machine's steps and within what it takes."""
    first, last = (within(control, level, machine) for level in (start, end))
    match control:
        case "pressure":
            return PressureCommand(from_=first, to=last)
        case "flow":
            return FlowCommand(from_=first, to=last)
        case "valve":
            return ValveCommand(from_=first, to=last)
        case "force":
            return ForceCommand(from_=first, to=last)
        case _:
            assert_never(control)


def step_of(control: Variable, machine: Machine) -> float:
    """The machine's smallest change of a control."""
    return float(getattr(machine.steps, COMMAND_STEPS[control]))


def within(control: Variable, level: float, machine: Machine) -> float:
    """The nearest level the machine takes."""
    top = levels_of(machine).get(control, machine.relief_bar)
    return max(0.0, to_step(min(level, top), step_of(control, machine), top))


def top_of(control: Variable, machine: Machine) -> float:
    """The highest level a machine takes of a control, in the control's unit."""
    return levels_of(machine).get(control, machine.relief_bar)


def bar_per_unit(control: Variable, machine: Machine) -> float:
    """What turns a level into the kernel's terms: a lever's kg are given in bar there."""
    if control == "force":
        assert isinstance(machine.control, HandLever)
        return machine.control.bar_per_kg
    return 1.0
