"""What a machine would have to be told, moment by moment, to do what a shot did."""

from __future__ import annotations

from typing import Literal, assert_never

import numpy as np

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
from vapocline.core.profile import (
    Command,
    FlowCommand,
    ForceCommand,
    PressureCommand,
    ValveCommand,
)
from vapocline.core.puck import columns
from vapocline.core.puck.program import Floats
from vapocline.core.rounding import COMMAND_STEPS, to_step
from vapocline.core.translate.shots import Ran

Control = Literal["pressure", "flow", "valve", "force"]
RUNS_ML_S = 0.2  # a flow that counts as running
LEAST_BAR = 0.4  # below this a pressure command hardly moves water
NEAREST_SHARE = 0.02  # of the pump's pressure: a valve is told open when nearer to it


def steered_by(machine: Machine) -> Control | None:
    """The variable a translation steers; None where the machine has but on and off, or springs."""
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


def needed(shot: Ran, t: Floats, control: Control, machine: Machine) -> Floats:
    """The levels of a control that would have given a shot's pressure and flow, one a moment."""
    pressure, flow = shot.at(columns.S_P, t), shot.at(columns.S_Q_IN, t)
    if control == "flow":
        return np.clip(flow, 0.0, machine.top_flow_ml_s)
    running = flow > RUNS_ML_S
    pressed = np.where(running, np.maximum(pressure, LEAST_BAR), pressure)
    if control == "pressure":
        return np.clip(pressed, 0.0, machine.relief_bar)
    if control == "force":
        assert isinstance(machine.control, HandLever)
        return np.clip(pressed, 0.0, machine.relief_bar) / machine.control.bar_per_kg
    assert isinstance(machine.control, ValveAhead)
    return turns_for(pressure, flow, machine.control)


def turns_for(pressure: Floats, flow: Floats, control: ValveAhead) -> Floats:
    """The orifice law turned round: free flow = flow / √(1 − pressure / pump)."""
    left = np.clip(1.0 - pressure / control.pump_bar, NEAREST_SHARE, 1.0)
    free, turns = np.array(control.free_flow_ml_s), np.array(control.turns)
    rising = np.maximum.accumulate(free) + 1e-9 * np.arange(free.size)
    found: Floats = np.interp(flow / np.sqrt(left), rising, turns)
    return found


def command(control: Control, start: float, end: float, machine: Machine) -> Command:
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


def step_of(control: Control, machine: Machine) -> float:
    """The machine's smallest change of a control."""
    return float(getattr(machine.steps, COMMAND_STEPS[control]))


def within(control: Control, level: float, machine: Machine) -> float:
    """The nearest level the machine takes."""
    top = levels_of(machine).get(control, machine.relief_bar)
    return max(0.0, to_step(min(level, top), step_of(control, machine), top))
