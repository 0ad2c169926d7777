"""A machine's needle valve: its curve, and asked either way, with the error of its calibration."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.machine.calibration.fit import Point
from vapocline.core.machine.machine import ValveAhead
from vapocline.core.machine.valve import ValveFlow, flow_at, position_for
from vapocline.desk.context import Context
from vapocline.desk.shelf.calibrations import Kept, list_calibrations
from vapocline.desk.shelf.machines import read_machine


class ValveAsked(BaseModel):
    """Asked of a valve: the flow at a position, or the position for a flow; one of the two."""

    model_config = ConfigDict(extra="forbid")

    turns: Annotated[float, Field(ge=0)] | None = None
    free_flow_ml_s: Annotated[float, Field(ge=0)] | None = None


class ValveCurve(Answer):
    """A valve's free flow by turns as it is used, with the measured places and their error, mL/s;
    no places and None where it was never calibrated here."""

    turns: list[float]
    free_flow_ml_s: list[float]
    measured: list[Point]
    error_ml_s: float | None
    measured_at: datetime | None


def valve_curve(context: Context, machine_id: int) -> ValveCurve:
    """A valve's curve. Raises NotFoundError, Refused for a machine without one."""
    valve, used = _valve(context, machine_id)
    return ValveCurve(
        turns=list(valve.turns),
        free_flow_ml_s=list(valve.free_flow_ml_s),
        measured=used.fitted.points if used else [],
        error_ml_s=used.fitted.error if used else None,
        measured_at=used.measured_at if used else None,
    )


def ask_valve(context: Context, machine_id: int, asked: ValveAsked) -> ValveFlow:
    """The flow at a position or the position for a flow. Raises NotFoundError, Refused."""
    valve, used = _valve(context, machine_id)
    error = used.fitted.error if used else None
    if (asked.turns is None) == (asked.free_flow_ml_s is None):
        raise Refused([Problem("turns", "both or neither", "turns, or free_flow_ml_s")])
    if asked.turns is not None:
        return flow_at(valve, asked.turns, error)
    assert asked.free_flow_ml_s is not None
    return position_for(valve, asked.free_flow_ml_s, error)


def _valve(context: Context, machine_id: int) -> tuple[ValveAhead, Kept | None]:
    machine = read_machine(context, machine_id)
    if not isinstance(machine.control, ValveAhead):
        raise Refused([Problem("machine", machine.name, "a machine with a needle valve")])
    kept = list_calibrations(context, "machine", machine_id)
    return machine.control, next((one for one in kept if one.in_use and one.what == "valve"), None)
