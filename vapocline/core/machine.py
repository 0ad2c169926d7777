"""Machines: what can be commanded, and the water path between pump and puck."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self, assert_never

from pydantic import AfterValidator, Field, model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.document import Document, Name, Note, supported_version
from vapocline.core.quantities import (
    BarPerKg,
    DialDrop,
    FloorBar,
    FlowMlS,
    HeadMl,
    LagS,
    PressureBar,
    PumpMaxBar,
    ReliefBar,
    RiseS,
    StepBar,
    StepKg,
    StepMlS,
    StepS,
    StepTurns,
    StrokeMl,
    TopFlowMlS,
    ValveTurns,
)


class PressureLoop(Document):
    """The machine tracks a pressure."""

    kind: Literal["pressure-loop"] = "pressure-loop"


class FlowLoop(Document):
    """The machine tracks a flow."""

    kind: Literal["flow-loop"] = "flow-loop"


class BothLoops(Document):
    """The machine tracks a pressure or a flow, as the phase says."""

    kind: Literal["both-loops"] = "both-loops"


class ValveAhead(Document):
    """A needle valve ahead of a pump at fixed pressure; free flow by turns from calibration."""

    kind: Literal["valve"] = "valve"
    pump_bar: PressureBar
    turns: tuple[ValveTurns, ...]
    free_flow_ml_s: tuple[FlowMlS, ...]

    @model_validator(mode="after")
    def _rising_table(self) -> Self:
        pairs = list(zip(self.turns, self.free_flow_ml_s, strict=False))
        rising = all(a[0] < b[0] and a[1] <= b[1] for a, b in pairwise(pairs))
        if len(self.turns) != len(self.free_flow_ml_s) or len(pairs) < 2 or not rising:
            raise PydanticCustomError(
                "valve",
                "valve table",
                {"accepted": "two or more positions, turns rising, free flow never falling"},
            )
        return self


class Spring(Document):
    """One spring of a lever: the pressure it adds when drawn, and at the end of its stroke, bar."""

    top_bar: PressureBar
    end_bar: PressureBar

    @model_validator(mode="after")
    def _falls(self) -> Self:
        if self.end_bar > self.top_bar:
            raise PydanticCustomError(
                "spring", "spring", {"accepted": "an end_bar no higher than the top_bar"}
            )
        return self


class SpringLever(Document):
    """A lever drawn against one or two springs, which then press; drawn, it lets line water in."""

    kind: Literal["spring-lever"] = "spring-lever"
    springs: Annotated[tuple[Spring, ...], Field(min_length=1, max_length=2)]
    stroke_ml: StrokeMl = 60
    line_bar: PressureBar = 1.2


class HandLever(Document):
    """A lever pressed by hand: bar at the puck for each kg at the handle."""

    kind: Literal["hand-lever"] = "hand-lever"
    bar_per_kg: BarPerKg = 0.4
    stroke_ml: StrokeMl = 60


class SoftStart(Document):
    """A pump that is on or off and comes up slowly to the one pressure it has."""

    kind: Literal["soft-start"] = "soft-start"
    pump_bar: PressureBar = 9
    rise_s: RiseS = 4


Control = Annotated[
    PressureLoop | FlowLoop | BothLoops | ValveAhead | SpringLever | HandLever | SoftStart,
    Field(discriminator="kind"),
]


class Steps(Document):
    """The smallest change a machine takes of each thing it is told. Units are in the names."""

    pressure_bar: StepBar = 0.1
    flow_ml_s: StepMlS = 0.1
    valve_turns: StepTurns = 0.05
    force_kg: StepKg = 0.5
    seconds: StepS = 0.1


class Machine(Document):
    """One machine: its control, limits, pump, and the head above the puck.

    Units are in the names. `relief_bar` is the setting pressure cannot pass, `floor_bar` what a
    plumbed feed always gives. The pump delivers `top_flow_ml_s` freely, nothing at `pump_max_bar`.
    The machine's own dial reads the puck's pressure plus `dial_drop` times the flow squared.
    """

    format: Literal["vapocline/machine"] = "vapocline/machine"
    version: Annotated[int, AfterValidator(supported_version)] = 1
    name: Name
    note: Note = ""
    control: Control = BothLoops()
    relief_bar: ReliefBar = 11
    floor_bar: FloorBar = 0
    top_flow_ml_s: TopFlowMlS = 9
    pump_max_bar: PumpMaxBar = 15
    when_off: Literal["hold", "dump"] = "dump"
    head_free_ml: HeadMl = 7
    head_trapped_ml: HeadMl = 4
    pressure_lag_s: LagS = 0.4
    flow_lag_s: LagS = 0.12
    scale_lag_s: LagS = 0.2
    dial_drop: DialDrop = 0
    steps: Steps = Steps()


REFERENCE = Machine(name="Reference", note="The built-in machine, and the simulated one's kin.")


def levels_of(machine: Machine) -> dict[str, float]:
    """The highest level of each command a machine takes, in that command's unit."""
    control = machine.control
    tops = {"pressure": machine.relief_bar, "flow": machine.top_flow_ml_s}
    if isinstance(control, ValveAhead):
        tops["valve"] = control.turns[-1]
    if isinstance(control, HandLever):
        tops["force"] = round(machine.relief_bar / control.bar_per_kg, 1)
    if isinstance(control, SpringLever):
        tops["pressure"] = control.line_bar
    if isinstance(control, SoftStart):
        tops["pressure"] = control.pump_bar
    return {name: top for name, top in tops.items() if name in commands_of(machine)}


def commands_of(machine: Machine) -> tuple[str, ...]:  # noqa: PLR0911 - one a kind
    """The phase controls this machine takes."""
    control = machine.control
    match control.kind:
        case "pressure-loop":
            return ("pressure", "off")
        case "flow-loop":
            return ("flow", "off")
        case "both-loops":
            return ("pressure", "flow", "off")
        case "valve":
            return ("valve", "off")
        case "spring-lever":
            return ("pressure", "spring", "off")
        case "hand-lever":
            return ("force", "off")
        case "soft-start":
            return ("pressure", "off")
        case _:
            assert_never(control.kind)
