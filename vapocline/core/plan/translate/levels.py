"""What a machine would have to be commanded, moment by moment, to do what a shot did."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.machine.commands import Variable, turns_for
from vapocline.core.machine.machine import HandLever, Machine, ValveAhead
from vapocline.core.plan.translate.runs import ShotRun
from vapocline.core.puck import columns

RUNS_ML_S = 0.2  # a flow that counts as running
LEAST_BAR = 0.4  # below this a pressure command hardly moves water


def needed(shot: ShotRun, t: Floats, control: Variable, machine: Machine) -> Floats:
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
