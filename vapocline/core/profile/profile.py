"""Profiles: ordered phases and a stop rule, as written in `vapocline/profile` documents."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from vapocline.core.base.document import (
    Document,
    Name,
    Note,
    Versioned,
    nested_parts_changed,
    unknown_fields_in_place,
)
from vapocline.core.base.quantities import (
    CupG,
    FlowMlS,
    ForceKg,
    Over,
    PressureBar,
    Seconds,
    ValveTurns,
    WaterC,
    WaterMl,
)

Kind = Literal["fill", "pre-infusion", "bloom", "ramp", "hold", "decline", "finish"]
Along = Literal["time", "water", "cup"]
Shape = Literal["step", "linear", "smooth", "spring"]
MOST_PHASES = 24
MOST_EXITS = 6


class PressureCommand(Document):
    """Track a pressure at the puck, bar."""

    control: Literal["pressure"] = "pressure"
    from_: PressureBar = Field(alias="from")
    to: PressureBar


class FlowCommand(Document):
    """Track a flow of pumped water, mL/s."""

    control: Literal["flow"] = "flow"
    from_: FlowMlS = Field(alias="from")
    to: FlowMlS


class ValveCommand(Document):
    """Open a needle valve ahead of a pump at fixed pressure, turns."""

    control: Literal["valve"] = "valve"
    from_: ValveTurns = Field(alias="from")
    to: ValveTurns


class SpringCommand(Document):
    """Let a spring lever go, with one spring engaged or both; pressure falls with its stroke."""

    control: Literal["spring"] = "spring"
    springs: Literal[1, 2] = 1


class ForceCommand(Document):
    """Press a hand lever, kg at the handle."""

    control: Literal["force"] = "force"
    from_: ForceKg = Field(alias="from")
    to: ForceKg


class OffCommand(Document):
    """Pump off; the machine holds or dumps its pressure."""

    control: Literal["off"] = "off"


Command = Annotated[
    PressureCommand | FlowCommand | ValveCommand | SpringCommand | ForceCommand | OffCommand,
    Field(discriminator="control"),
]


class SecondsExit(Document):
    """Leave after so many seconds in the phase."""

    when: Literal["seconds"] = "seconds"
    value: Seconds


class PressureAboveExit(Document):
    """Leave when the puck's pressure reaches the value, bar."""

    when: Literal["pressure_above"] = "pressure_above"
    value: PressureBar


class PressureBelowExit(Document):
    """Leave when the pressure, having been above the value, falls to it, bar."""

    when: Literal["pressure_below"] = "pressure_below"
    value: PressureBar


class FlowAboveExit(Document):
    """Leave when the pumped flow, having settled below the value, rises to it, mL/s: the rush that
    fills head and hoses at a phase's start does not count."""

    when: Literal["flow_above"] = "flow_above"
    value: FlowMlS


class FlowBelowExit(Document):
    """Leave when the pumped flow, having been above the value, falls to it, mL/s."""

    when: Literal["flow_below"] = "flow_below"
    value: FlowMlS


class WaterExit(Document):
    """Leave when so much water was pumped in the phase, mL."""

    when: Literal["water_ml"] = "water_ml"
    value: WaterMl


class CupExit(Document):
    """Leave when the cup weighs so much in all, g."""

    when: Literal["cup_g"] = "cup_g"
    value: CupG


class FirstDripExit(Document):
    """Leave at the first drip."""

    when: Literal["first_drip"] = "first_drip"


class HandExit(Document):
    """Leave when the barista says so."""

    when: Literal["hand"] = "hand"


Exit = Annotated[
    SecondsExit
    | PressureAboveExit
    | PressureBelowExit
    | FlowAboveExit
    | FlowBelowExit
    | WaterExit
    | CupExit
    | FirstDripExit
    | HandExit,
    Field(discriminator="when"),
]
ExitName = Literal[
    "seconds",
    "pressure_above",
    "pressure_below",
    "flow_above",
    "flow_below",
    "water_ml",
    "cup_g",
    "first_drip",
    "hand",
]


class Limit(Document):
    """What the other variable may reach meanwhile; empty for none."""

    pressure_bar: PressureBar | None = None
    flow_ml_s: FlowMlS | None = None


class Stop(Document):
    """When the shot ends whatever phase it is in: the first of these that comes."""

    cup_g: CupG | None = None
    water_ml: WaterMl | None = None
    time_s: Seconds = 90


class Phase(Document):
    """One command along time, water pumped or cup weight, with exits of which the first counts.
    `water_c` where it takes water of its own."""

    name: Name
    kind: Kind
    command: Command
    along: Along = "time"
    over: Over = 0
    shape: Shape = "linear"
    limit: Limit = Limit()
    water_c: WaterC | None = None
    exits: Annotated[tuple[Exit, ...], Field(max_length=MOST_EXITS)] = ()


class Profile(Versioned):
    """A whole profile, and the water it is meant for, None for any. Runnable only once
    `check.refuse_unrunnable` has let it pass."""

    UPGRADES = (unknown_fields_in_place, nested_parts_changed)

    format: Literal["vapocline/profile"] = "vapocline/profile"
    version: Literal[3] = 3
    name: Name
    note: Note = ""
    water_c: WaterC | None = None
    stop: Stop = Stop()
    phases: Annotated[tuple[Phase, ...], Field(max_length=MOST_PHASES)] = ()
