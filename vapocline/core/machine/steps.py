"""A profile's numbers in the steps a machine takes."""

from __future__ import annotations

from typing import Any

from vapocline.core.base.rounding import to_step
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import Phase, Profile

EXIT_STEPS = {
    "seconds": "seconds",
    "pressure_above": "pressure_bar",
    "pressure_below": "pressure_bar",
    "flow_above": "flow_ml_s",
    "flow_below": "flow_ml_s",
}
COMMAND_STEPS = {
    "pressure": "pressure_bar",
    "flow": "flow_ml_s",
    "valve": "valve_turns",
    "force": "force_kg",
}


def to_machine_steps(profile: Profile, machine: Machine) -> Profile:
    """The same profile with every number on the machine's steps; other fields as they were."""
    return profile.model_copy(
        update={"phases": tuple(_phase(phase, machine) for phase in profile.phases)}
    )


def _phase(phase: Phase, machine: Machine) -> Phase:
    steps = machine.steps
    document: dict[str, Any] = phase.written()
    command = document["command"]
    name = COMMAND_STEPS.get(command["control"])
    if name is not None:
        for end in ("from", "to"):
            command[end] = to_step(command[end], getattr(steps, name))
    if document["along"] == "time" and document["over"] > 0:
        document["over"] = max(steps.seconds, to_step(document["over"], steps.seconds))
    limit = document["limit"]
    for field, step in (("pressure_bar", steps.pressure_bar), ("flow_ml_s", steps.flow_ml_s)):
        if limit[field] is not None:
            limit[field] = to_step(limit[field], step)
    for rule in document["exits"]:
        if rule["when"] in EXIT_STEPS:
            step = getattr(steps, EXIT_STEPS[rule["when"]])
            rule["value"] = max(step, to_step(rule["value"], step))
    return Phase.model_validate(document)
