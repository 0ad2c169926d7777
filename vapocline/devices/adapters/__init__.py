"""Ways to reach a device, one file each: the file's name is the scheme of its addresses.

"scheme://rest" is opened by the module of that name, which has a class for each kind of device it
reaches: `Machine`, `Scale`, `Refractometer`, each made from "rest" and the seconds to wait for it.
An address without a scheme speaks our own line. To reach a new device, add a file here; nothing
else changes.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module
from typing import Any, cast

from vapocline.core.base.problems import DeviceError
from vapocline.devices.line import ANSWER_WAIT_S
from vapocline.devices.machine import MachinePort
from vapocline.devices.refractometer import RefractometerPort
from vapocline.devices.scale import ScalePort

OWN = "line"


def schemes() -> list[str]:
    """Every way there is."""
    return sorted(module.name for module in pkgutil.iter_modules(__path__))


def open_machine(address: str, patience_s: float = ANSWER_WAIT_S) -> MachinePort:
    """The machine at an address. Raises DeviceError where there is none."""
    return cast(MachinePort, _opened("Machine", address, patience_s))


def open_scale(address: str, patience_s: float = ANSWER_WAIT_S) -> ScalePort:
    """The scale at an address. Raises DeviceError where there is none."""
    return cast(ScalePort, _opened("Scale", address, patience_s))


def open_refractometer(address: str, patience_s: float = ANSWER_WAIT_S) -> RefractometerPort:
    """The refractometer at an address. Raises DeviceError where there is none."""
    return cast(RefractometerPort, _opened("Refractometer", address, patience_s))


def _opened(kind: str, address: str, patience_s: float) -> Any:
    scheme, found, rest = address.partition("://")
    if not found:
        scheme, rest = OWN, address
    if scheme not in schemes():
        there = ", ".join(schemes())
        raise DeviceError(f"No adapter is named '{scheme}'; there are: {there}.")
    made = getattr(import_module(f"{__name__}.{scheme}"), kind, None)
    if made is None:
        raise DeviceError(f"The adapter '{scheme}' reaches no {kind.lower()}.")
    return made(rest, patience_s)
