"""Put a calibration's numbers to use in the document of a machine, a coffee or a grinder."""

from __future__ import annotations

from vapocline.core.base.problems import Problem, Refused
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.machine.calibration.fit import CalibrationFit
from vapocline.core.machine.calibration.measured import MeasurementKind
from vapocline.core.machine.machine import GroupLine, Machine, ValveAhead


def on_machine(machine: Machine, what: MeasurementKind, found: CalibrationFit) -> Machine:
    """The machine with a calibration's numbers. Raises Refused for a valve it does not have."""
    gives = found.gives
    if what == "valve":
        control = machine.control
        if not isinstance(control, ValveAhead):
            raise Refused([Problem("what", "valve", f"what {machine.name} has: no needle valve")])
        table = {
            "turns": tuple(gives["turns"]),
            "free_flow_ml_s": tuple(gives["free_flow_ml_s"]),
        }
        return machine.model_copy(update={"control": control.model_copy(update=table)})
    if what == "group-temperature":
        line = GroupLine(
            offset_c=gives["group_offset_c"][0], per_boiler=gives["group_per_boiler"][0]
        )
        return machine.model_copy(update={"group": line})
    return machine.model_copy(update={name: values[0] for name, values in gives.items()})


def on_coffee(coffee: Coffee, found: CalibrationFit) -> Coffee:
    """The coffee with its crema as measured."""
    return coffee.model_copy(update={"crema_ml_per_g": found.gives["crema_ml_per_g"][0]})


def on_grinder(grinder: Grinder, found: CalibrationFit) -> Grinder:
    """The grinder with its points as measured."""
    points = {name: tuple(values) for name, values in found.gives.items()}
    return grinder.model_copy(update=points)


def boiler_c(machine: Machine, group_c: float) -> float | None:
    """What to set the boiler to for a temperature at the group, °C; None before it is measured."""
    if machine.group is None:
        return None
    return round((group_c - machine.group.offset_c) / machine.group.per_boiler, 1)
