"""What is measured in each calibration, as entered. Units are in the names."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from vapocline.core.base.document import Document, Name
from vapocline.core.base.quantities import (
    BoilerC,
    CupG,
    FlowMlS,
    GlassMl,
    GrindSetting,
    GrindUm,
    GroupC,
    LagS,
    Over,
    PressureBar,
    Seconds,
    ValveTurns,
    WaterMl,
)

MOST_ROWS = 60


class ValveRun(Document):
    """Water run freely, no basket, at one position: for how long, and what it weighed."""

    turns: ValveTurns
    seconds: Seconds
    water_g: CupG | Literal[0]


class DialReading(Document):
    """What the machine's dial and a gauge at the puck read at the same moment, at a flow."""

    dial_bar: PressureBar
    puck_bar: PressureBar
    flow_ml_s: FlowMlS


Probe = Literal["thermocouple", "resistance", "thermometer", "infrared"]
ProbePlace = Literal["in the stream", "in the basket", "in the cup", "on the group"]


class GroupReading(Document):
    """What the boiler was set to, and what was read at the group: with what, and where; None where
    nobody said."""

    boiler_c: BoilerC
    group_c: GroupC
    probe: Probe | None = None
    place: ProbePlace | None = None


class Drip(Document):
    """The cup's weight when the shot stopped, and when it dripped no more."""

    at_stop_g: CupG
    settled_g: CupG


class Glass(Document):
    """Where the top of the crema stood in a marked glass, and what the drink weighed."""

    glass_ml: GlassMl
    yield_g: CupG


class GrindPoint(Document):
    """A grinder's setting and the size it gives."""

    setting: GrindSetting
    grind_um: GrindUm


class StageTiming(Document):
    """When a stage should have begun and when it did, s from pump on."""

    stage: Name
    planned_s: Over
    began_s: Over


def _rows(most: int = MOST_ROWS) -> object:
    return Field(max_length=most)


class Valve(Document):
    """Valve position to free flow."""

    what: Literal["valve"] = "valve"
    rows: Annotated[tuple[ValveRun, ...], _rows()]


class Dial(Document):
    """Dial to puck pressure, by flow."""

    what: Literal["dial"] = "dial"
    rows: Annotated[tuple[DialReading, ...], _rows()]


class GroupTemperature(Document):
    """Boiler to group temperature."""

    what: Literal["group-temperature"] = "group-temperature"
    rows: Annotated[tuple[GroupReading, ...], _rows()]


class Fill(Document):
    """Water pumped into an empty basket before the first drip, mL: what fills the head."""

    what: Literal["fill"] = "fill"
    rows: Annotated[tuple[WaterMl, ...], _rows()]


class AfterDrip(Document):
    """What drips after the stop, shot by shot."""

    what: Literal["after-drip"] = "after-drip"
    rows: Annotated[tuple[Drip, ...], _rows()]


class ScaleLag(Document):
    """How long after a known weight lands the scale shows it, s each time."""

    what: Literal["scale-lag"] = "scale-lag"
    rows: Annotated[tuple[LagS, ...], _rows()]


class Crema(Document):
    """What a marked glass reads of a coffee's drink."""

    what: Literal["crema"] = "crema"
    rows: Annotated[tuple[Glass, ...], _rows()]


class Grind(Document):
    """A grinder's settings to sizes."""

    what: Literal["grind"] = "grind"
    rows: Annotated[tuple[GrindPoint, ...], _rows()]


class DryRun(Document):
    """A run on a drilled disc, without coffee: whether the stages come when they should."""

    what: Literal["dry-run"] = "dry-run"
    rows: Annotated[tuple[StageTiming, ...], _rows()]


Calibration = Annotated[
    Valve | Dial | GroupTemperature | Fill | AfterDrip | ScaleLag | Crema | Grind | DryRun,
    Field(discriminator="what"),
]
MeasurementKind = Literal[
    "valve",
    "dial",
    "group-temperature",
    "fill",
    "after-drip",
    "scale-lag",
    "dry-run",
    "crema",
    "grind",
]
Subject = Literal["machine", "coffee", "grinder"]
SUBJECT_OF: dict[MeasurementKind, Subject] = {
    "valve": "machine",
    "dial": "machine",
    "group-temperature": "machine",
    "fill": "machine",
    "after-drip": "machine",
    "scale-lag": "machine",
    "dry-run": "machine",
    "crema": "coffee",
    "grind": "grinder",
}
# In a sentence: "measure … again".
CALIBRATION_WORDS: dict[MeasurementKind, str] = {
    "valve": "the valve's free flow",
    "dial": "the dial against the puck",
    "group-temperature": "the group's temperature",
    "fill": "what fills the head",
    "after-drip": "the after-drip",
    "scale-lag": "the scale's lag",
    "dry-run": "the stages' timing",
    "crema": "the crema's volume",
    "grind": "the grinder's points",
}
