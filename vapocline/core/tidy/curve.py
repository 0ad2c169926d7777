"""What of a recording is tidied: one variable along time, with all else one needs to read it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.machine.commands import Variable, bar_per_unit, turns_for
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.core.shot.result import FIRST_DRIP_G
from vapocline.core.shot.traces import Traces

GRID_S = 0.1
SMOOTH_S = 0.5  # a median over this long takes a gauge's noise off and leaves corners standing
LEAST_S = 2.0
FULL_PUMP = 0.93  # of what its curve gives, as a flow meter reads it
PUMP_COMES_UP_S = 0.4


class Curve(NamedTuple):
    """Channels on an even grid from pump on to the stop.

    `level` is the variable being tidied, as it was commanded; `recorded` as it was measured.
    """

    time_s: Floats
    level: Floats
    recorded: Floats
    pressure_bar: Floats
    flow_ml_s: Floats
    cup_g: Floats
    first_drip_s: float | None
    stop_s: float


def curve_of(
    traces: Traces,
    control: Variable,
    machine: Machine,
    *,
    stop_s: float | None,
    shift_s: float = 0.0,
    shift_level: float = 0.0,
) -> Curve:
    """A recording ready to be tidied.

    `shift_s` is cut off its beginning, or with a minus put before it; `shift_level` is added to
    what was read. A level that a hand held is taken as it was held. Raises Refused where there is
    too little to tidy.
    """
    end = float(traces.time_s[-1]) if traces.time_s.size else 0.0
    until = end if stop_s is None else min(stop_s, end)
    if until - shift_s < LEAST_S:
        got = f"{max(0.0, until - shift_s):.1f} s"
        raise Refused([Problem("traces", got, f"a recording of {LEAST_S:g} s or more")])
    t = np.arange(0.0, until - shift_s, GRID_S)
    pressure, flow = (_even(t, traces, name, shift_s) for name in ("pressure_bar", "water_in_ml_s"))
    cup = _even(t, traces, "cup_g", shift_s)
    held = traces.by_hand[traces.time_s <= until]
    if held.size and (~np.isnan(held)).mean() > 0.8:
        level = recorded = _even(t, traces, "by_hand", shift_s, smooth=False)
    else:
        recorded = _read(pressure, flow, control, machine)
        level = recorded
        if control == "pressure":
            level = _command_at_full_pump(pressure, flow, machine)
    dripping = np.flatnonzero(cup >= FIRST_DRIP_G)
    return Curve(
        time_s=t,
        level=np.maximum(0.0, level + shift_level),
        recorded=np.maximum(0.0, recorded + shift_level),
        pressure_bar=pressure,
        flow_ml_s=flow,
        cup_g=cup,
        first_drip_s=float(t[dripping[0]]) if dripping.size else None,
        stop_s=float(t[-1]),
    )


def _even(t: Floats, traces: Traces, name: str, shift_s: float, *, smooth: bool = True) -> Floats:
    values = getattr(traces, name)
    known = ~np.isnan(values)
    if not known.any():
        return np.zeros_like(t)
    even = np.interp(t + shift_s, traces.time_s[known], values[known])
    if not smooth:
        return np.asarray(even)
    smoothed: Floats = scipy.ndimage.median_filter(
        even, size=round(SMOOTH_S / GRID_S), mode="nearest"
    )
    return smoothed


def _read(pressure: Floats, flow: Floats, control: Variable, machine: Machine) -> Floats:
    """The level that would have given what was read."""
    if control == "flow":
        return flow
    if control == "valve":
        assert isinstance(machine.control, ValveAhead)
        return turns_for(pressure, flow, machine.control)
    return pressure / bar_per_unit(control, machine)


def _command_at_full_pump(pressure: Floats, flow: Floats, machine: Machine) -> Floats:
    """The pressure commanded: as measured, but while the pump is at its limit, where it ended up.

    At full output the rise is the pump's own and says nothing of the command.
    """
    most = machine.top_flow_ml_s * np.maximum(0.0, 1 - pressure / machine.pump_max_bar)
    full = flow >= FULL_PUMP * most
    full[: round(PUMP_COMES_UP_S / GRID_S)] |= full[round(PUMP_COMES_UP_S / GRID_S)]
    edges = np.flatnonzero(np.diff(np.concatenate([[False], full, [False]]).astype(int)))
    asked = pressure.copy()
    for begin, end in edges.reshape(-1, 2):
        asked[begin:end] = np.maximum(pressure[begin:end], pressure[min(end, pressure.size - 1)])
    return asked
