"""Where the devices of the bench answer: their own address, or that of a simulator."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any
from urllib.parse import quote

from pydantic import BaseModel, ConfigDict, StringConstraints

from vapocline.core.base.problems import DeviceError, Problem, Refused
from vapocline.desk.context import Context, Resources
from vapocline.devices.adapters import open_machine, open_refractometer, open_scale, schemes
from vapocline.devices.line import LineAddress
from vapocline.devices.probing import probe
from vapocline.devices.simulators.hand_clock import NAMED
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.tables import BenchRow, MachineRow

Address = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]


class Connections(BaseModel):
    """Where a machine, its scale and the bench's refractometer answer; empty for the simulator.

    A machine that is not `wired` answers nowhere, and has no simulators: it is worked by hand.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    wired: bool = True
    machine: Address = ""
    scale: Address = ""
    refractometer: Address = ""


class ConnectionStatus(Connections):
    """The same, and why one does not answer, in words; None where it does or is a simulator."""

    silent: dict[str, str]


def machine_address(resources: Resources, row: MachineRow) -> str:
    """A machine's own address, its simulator's, or that of the clock that is kept for one that is
    not connected. Raises DeviceError where there is none."""
    if row.address is not None:
        return row.address
    if resources.simulators.machine is None:
        raise DeviceError("No simulated machine runs; start Vapocline with ./vapo start.")
    return f"{resources.simulators.machine}/{_in_address(row, '' if row.wired else NAMED)}"


def _in_address(row: MachineRow, before: str = "") -> str:
    """A machine's name as the last part of an address, whatever it is called."""
    return quote(before + row.name, safe="")


def is_simulated(row: MachineRow) -> bool:
    """Whether a simulator pulls for this machine."""
    return row.wired and row.address is None


def is_weighed(row: MachineRow) -> bool:
    """Whether some scale should tell what is in the cup."""
    return row.wired or row.scale_address is not None


def scale_address_of(resources: Resources, row: MachineRow) -> str | None:
    """Where the scale under a machine answers; None where the machine weighs, or nothing does."""
    if row.scale_address is not None:
        return row.scale_address
    if not is_simulated(row) or resources.simulators.scale is None:
        return None
    return f"{resources.simulators.scale}/{_in_address(row)}"


def refractometer_address(resources: Resources, bench: BenchRow, machine: MachineRow) -> str | None:
    """Where the bench's refractometer answers; the simulator reads a simulated machine's drink."""
    if bench.refractometer_address is not None:
        return bench.refractometer_address
    if not is_simulated(machine) or resources.simulators.refractometer is None:
        return None
    return f"{resources.simulators.refractometer}/{_in_address(machine)}"


def read_connections(context: Context, machine_id: int) -> ConnectionStatus:
    """Where the devices answer, and whether they do. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id)
        own = shelf.read_bench(session, context.bench_id).refractometer_address
    lines = Connections(
        wired=row.wired,
        machine=row.address or "",
        scale=row.scale_address or "",
        refractometer=own or "",
    )
    return ConnectionStatus(**lines.model_dump(), silent=_silent(lines))


def write_connections(context: Context, machine_id: int, lines: Connections) -> ConnectionStatus:
    """Set where the devices answer. Raises NotFoundError, Refused for what is no address."""
    problems = [
        _no_address(name, address)
        for name, address in _addresses(lines).items()
        if address and not _is_address(address)
    ]
    if not lines.wired and lines.machine:
        got = f"'{lines.machine}' for a machine that is not connected"
        problems.append(Problem("machine", got, "no address, or a connected machine"))
    if problems:
        raise Refused(problems)
    with transaction(context.sessions) as session:
        row = shelf.read_one(session, MachineRow, machine_id, lock=True)
        row.wired = lines.wired
        row.address, row.scale_address = lines.machine or None, lines.scale or None
        bench = shelf.read_bench(session, context.bench_id)
        bench.refractometer_address = lines.refractometer or None
    return ConnectionStatus(**lines.model_dump(), silent=_silent(lines))


def refuse_no_address(field: str, address: str) -> None:
    """Raise Refused for what is no address of a device."""
    if not _is_address(address):
        raise Refused([_no_address(field, address)])


def _no_address(field: str, address: str) -> Problem:
    accepted = f"host:port, code@host:port, or one of {', '.join(schemes())} before ://"
    return Problem(field, f"'{address}'", accepted)


def _addresses(lines: Connections) -> dict[str, str]:
    return lines.model_dump(exclude={"wired"})


def _is_address(address: str) -> bool:
    scheme, found, rest = address.partition("://")
    if found:
        return scheme in schemes() and bool(rest)
    try:
        LineAddress.parse(address)
    except ValueError:
        return False
    return True


def _silent(lines: Connections) -> dict[str, str]:
    opened: dict[str, Callable[[str, float], Any]] = {
        "machine": open_machine,
        "scale": open_scale,
        "refractometer": open_refractometer,
    }
    found = {}
    for name, address in _addresses(lines).items():
        if address:
            try:
                probe(partial(_reached, opened[name], address), name)
            except DeviceError as error:
                found[name] = str(error)
    return found


def _reached(way: Callable[[str, float], Any], address: str, wait_s: float) -> None:
    way(address, wait_s).close()
