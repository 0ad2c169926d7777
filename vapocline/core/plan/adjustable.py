"""What a user can change in a plan: where it stands in the document, what one step of it is."""

from __future__ import annotations

from collections.abc import Iterator
from copy import deepcopy
from typing import Any, NamedTuple

from pydantic import ValidationError

from vapocline.core.base.problems import Problem, Refused, refused_by_pydantic, shown
from vapocline.core.profile.profile import ForceCommand, OffCommand, Phase, SpringCommand
from vapocline.core.puck.plan import Plan


class Adjustable(NamedTuple):
    """One number of a plan: its path in the document, its name, its value, one step, its unit."""

    path: str
    name: str
    value: float
    step: float
    unit: str


SETUP = (
    ("grind_um", "grind", 10.0, "µm"),
    ("dose_g", "dose", 0.5, "g"),
    ("water_c", "water", 1.0, "°C"),
    ("rest_days", "rest", 2.0, "days"),
)
STOP = (("cup_g", "stop weight", 1.0, "g"), ("water_ml", "stop water", 2.0, "mL"))
COMMAND = {
    "pressure": (0.5, "bar"),
    "flow": (0.2, "mL/s"),
    "valve": (0.1, "turns"),
    "force": (1.0, "kg"),
}
EXITS = {
    "seconds": (1.0, "s"),
    "pressure_above": (0.5, "bar"),
    "pressure_below": (0.5, "bar"),
    "flow_above": (0.2, "mL/s"),
    "flow_below": (0.2, "mL/s"),
    "water_ml": (2.0, "mL"),
    "cup_g": (1.0, "g"),
}
ALONG = {"time": (1.0, "s"), "water": (2.0, "mL"), "cup": (1.0, "g")}


def adjustables_of(plan: Plan) -> list[Adjustable]:
    """Everything in a plan that a user may turn, in the order of the shot."""
    found = [
        Adjustable(f"setup.{field}", name, float(getattr(plan.setup, field)), step, unit)
        for field, name, step, unit in SETUP
    ]
    for index, phase in enumerate(plan.profile.phases):
        found.extend(_of_phase(phase, f"profile.phases.{index}"))
    for field, name, step, unit in STOP:
        value = getattr(plan.profile.stop, field)
        if value is not None:
            found.append(Adjustable(f"profile.stop.{field}", name, float(value), step, unit))
    return found


def _of_phase(phase: Phase, path: str) -> Iterator[Adjustable]:
    name, command = phase.name.lower(), phase.command
    if not isinstance(command, OffCommand | SpringCommand):
        step, unit = COMMAND[command.control]
        if phase.over == 0 or command.from_ == command.to:
            yield Adjustable(f"{path}.command.level", f"{name} level", command.to, step, unit)
        else:
            yield Adjustable(f"{path}.command.from", f"{name} from", command.from_, step, unit)
            yield Adjustable(f"{path}.command.to", f"{name} to", command.to, step, unit)
            step, unit = ALONG[phase.along]
            yield Adjustable(f"{path}.over", f"{name} length", phase.over, step, unit)
    limit = phase.limit.pressure_bar, phase.limit.flow_ml_s
    for field, value, (step, unit) in zip(
        ("pressure_bar", "flow_ml_s"), limit, ((0.5, "bar"), (0.2, "mL/s")), strict=True
    ):
        if value is not None and not isinstance(command, ForceCommand):
            yield Adjustable(f"{path}.limit.{field}", f"{name} limit", value, step, unit)
    for index, rule in enumerate(phase.exits):
        if rule.when in EXITS:
            step, unit = EXITS[rule.when]
            value = float(getattr(rule, "value", 0.0))
            words = f"{name} exit at {rule.when.replace('_', ' ')}"
            yield Adjustable(f"{path}.exits.{index}.value", words, value, step, unit)


def adjustable_at(plan: Plan, path: str) -> Adjustable:
    """The number at a path. Raises Refused for a path that leads to none a user may turn."""
    for number in adjustables_of(plan):
        if number.path == path:
            return number
    paths = ", ".join(number.path for number in adjustables_of(plan))
    raise Refused([Problem("what", shown(path), f"one of {paths}")])


def adjusted(plan: Plan, changes: dict[str, float]) -> Plan:
    """The plan with some numbers changed. Raises Refused where one leaves its range."""
    document = deepcopy(plan.written())
    for path, value in changes.items():
        *way, last = path.split(".")
        place: Any = document
        for part in way:
            place = place[int(part)] if isinstance(place, list) else place[part]
        if last == "level":  # a held level is written as both its ends
            place["from"] = place["to"] = value
        else:
            place[last] = value
    try:
        return Plan.model_validate(document)
    except ValidationError as error:
        raise refused_by_pydantic(error) from error
