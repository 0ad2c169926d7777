"""A needle valve's free flow and its position, asked either way, with how well they are known."""

from __future__ import annotations

import numpy as np

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.machine.commands import turns_for
from vapocline.core.machine.machine import ValveAhead

GLASS_S = 30.0  # how long one lets it run to weigh it


class ValveFlow(Answer):
    """A position with its free flow, as it would be weighed. The errors are how far a measured
    position lies from the curve drawn without it, root mean square; None where the valve was never
    calibrated here."""

    turns: float
    turns_error: float | None
    free_flow_ml_s: float
    free_flow_error_ml_s: float | None
    grams_30_s: float
    grams_30_s_error: float | None


def flow_at(valve: ValveAhead, turns: float, error_ml_s: float | None = None) -> ValveFlow:
    """The free flow at a position. Raises Refused beyond the valve's positions."""
    _refuse_beyond("turns", turns, valve.turns, "turns")
    return _flow(
        valve, turns, float(np.interp(turns, valve.turns, valve.free_flow_ml_s)), error_ml_s
    )


def position_for(valve: ValveAhead, flow_ml_s: float, error_ml_s: float | None = None) -> ValveFlow:
    """The position that gives a free flow. Raises Refused for more or less than it gives."""
    _refuse_beyond("free_flow_ml_s", flow_ml_s, valve.free_flow_ml_s, "mL/s")
    return _flow(valve, _position(valve, flow_ml_s), flow_ml_s, error_ml_s)


def _position(valve: ValveAhead, flow_ml_s: float) -> float:
    """Where a stretch gives the same all along, its first position."""
    freely = np.zeros(1)
    return float(turns_for(freely, np.array([flow_ml_s]), valve)[0])


def _flow(valve: ValveAhead, turns: float, flow: float, error_ml_s: float | None) -> ValveFlow:
    turns_error = None
    if error_ml_s is not None:
        low, high = (_position(valve, flow + by) for by in (-error_ml_s, error_ml_s))
        turns_error = round((high - low) / 2, 3)
    return ValveFlow(
        turns=round(turns, 3),
        turns_error=turns_error,
        free_flow_ml_s=round(flow, 3),
        free_flow_error_ml_s=error_ml_s,
        grams_30_s=round(flow * GLASS_S, 1),
        grams_30_s_error=None if error_ml_s is None else round(error_ml_s * GLASS_S, 1),
    )


def _refuse_beyond(field: str, value: float, of: tuple[float, ...], unit: str) -> None:
    if not of[0] <= value <= of[-1]:
        raise Refused([Problem(field, f"{value:g}", f"{of[0]:g} to {of[-1]:g} {unit}")])
