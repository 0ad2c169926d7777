"""What reading finds in a curve: one type a kind, each with its own figures, units in the names."""

from __future__ import annotations

from typing import Annotated, Any, Literal, get_args

from pydantic import Field

from vapocline.core.base.document import Answer

Weight = Literal["finding", "note"]
Sure = Literal["sure", "likely", "possible"]
ChangedNumber = Literal[
    "command.from", "command.to", "over", "exit", "grind_um"
]  # fmt: skip


class Change(Answer):
    """One number in Plan that answers a finding: nothing is applied until the user does.

    `phase` is None for the grind, which a grinder's `setting` gives where one is known; `exit` is
    the place among the phase's exits.
    """

    phase: int | None
    number: ChangedNumber
    exit: int | None = None
    value: float
    unit: str
    words: str
    setting: float | None = None


class Evidence(Answer):
    """A line of what a finding rests on: what, what it was, and what it is by rights."""

    what: str
    was: str
    usual: str | None = None


class Found(Answer):
    """What every finding says: its span, how much it weighs, in words, and its way into Plan.

    `size_s` is what it moved the shot by, in seconds; the list is in order of it. `how` says how
    it was detected.
    """

    from_s: float
    to_s: float
    weight: Weight = "finding"
    sure: Sure = "likely"
    size_s: float = 0.0
    title: str
    words: str
    how: str = ""
    evidence: list[Evidence] = Field(default_factory=list)
    schools: str | None = None
    change: Change | None = None

    def figures(self) -> dict[str, Any]:
        """Its own figures: what its kind has and others do not."""
        own = type(self).model_fields.keys() - Found.model_fields.keys() - {"kind"}
        return {name: getattr(self, name) for name in type(self).model_fields if name in own}


class RecordBroken(Found):
    """Part of the record is missing, the cup was knocked or tared, or the scale drifts."""

    kind: Literal["record"] = "record"
    missing_s: float = 0.0
    knocked_g: float | None = None


class MeterOff(Found):
    """Flow meter and scale disagree; positive where the meter reads too little."""

    kind: Literal["meter"] = "meter"
    off_pct: float


class RanLike(Found):
    """The whole shot ran as if ground coarser (positive) or finer."""

    kind: Literal["ran_like"] = "ran_like"
    grind_um: float
    error_um: float
    shot_time_s: float
    extraction_yield_pct: float


class Opened(Found):
    """The puck gave way at once: a channel."""

    kind: Literal["opened"] = "opened"
    at_s: float
    flow_pct: float


class RunAway(Found):
    """The puck wore on and on: resistance fell throughout."""

    kind: Literal["run_away"] = "run_away"
    flow_pct: float


class EarlyResistance(Found):
    """The puck resisted more at first than the rest of the shot explains."""

    kind: Literal["early_resistance"] = "early_resistance"
    flow_pct: float
    until_s: float


class Loosened(Found):
    """The puck gave way; whether at once or gradually the record does not say."""

    kind: Literal["loosened"] = "loosened"
    flow_pct: float


class NotReached(Found):
    """A command was not reached for longer than the puck explains."""

    kind: Literal["not_reached"] = "not_reached"
    phase: int
    asked: float
    reached: float
    unit: str
    seconds: float
    limit: str | None


class PressureOvershoot(Found):
    """Above what was commanded, with water flowing."""

    kind: Literal["overshoot"] = "overshoot"
    phase: int
    asked: float
    peak: float
    unit: str
    seconds: float


class WaterCount(Found):
    """More or less water stayed behind than head and puck hold."""

    kind: Literal["water_count"] = "water_count"
    retained_ml: float
    usual_ml: float


class LateMeeting(Found):
    """Water in and cup out met late: the puck went on drinking after the first drip."""

    kind: Literal["late_meeting"] = "late_meeting"
    gap_ml: float
    usual_ml: float


class Choked(Found):
    """Next to nothing came out under full pressure."""

    kind: Literal["choked"] = "choked"
    seconds: float
    pressure_bar: float
    flow_g_s: float


class OverSoaked(Found):
    """Much was in the cup before the press began."""

    kind: Literal["over_soaked"] = "over_soaked"
    cup_g: float
    usual_g: float


class FirstDripSeen(Found):
    """When the first drip fell, on the scale's lag taken out."""

    kind: Literal["first_drip"] = "first_drip"
    at_s: float
    usual_s: float | None


class LevelFlow(Found):
    """The cup's flow stood level from a third of the cup on."""

    kind: Literal["level"] = "level"
    flow_g_s: float
    within_pct: float


class StopSeen(Found):
    """What was in the cup at the stop, and what dripped after; hand delay apart."""

    kind: Literal["stop"] = "stop"
    cup_g: float
    after_drip_g: float | None
    delay_s: float | None


class PulledByHand(Found):
    """A hand ran ahead of or behind its cues; positive is behind."""

    kind: Literal["by_hand"] = "by_hand"
    phase: int
    behind_s: float


class PreInfusionEnd(Found):
    """Pre-infusion ended sooner or later than forecast."""

    kind: Literal["pre_infusion_end"] = "pre_infusion_end"
    at_s: float
    forecast_s: float


class TemperatureOff(Found):
    """Water was not as warm as set, or sagged."""

    kind: Literal["temperature"] = "temperature"
    group_c: float
    set_c: float
    sag_c: float


class Wetting(Found):
    """The face was covered late after the first bead, or a side stayed dry."""

    kind: Literal["wetting"] = "wetting"
    covered_after_s: float | None
    dry_side: bool


GaveWay = Opened | RunAway | EarlyResistance | Loosened
Finding = Annotated[
    RecordBroken
    | MeterOff
    | RanLike
    | Opened
    | RunAway
    | EarlyResistance
    | Loosened
    | NotReached
    | PressureOvershoot
    | WaterCount
    | LateMeeting
    | Choked
    | OverSoaked
    | FirstDripSeen
    | LevelFlow
    | StopSeen
    | PulledByHand
    | PreInfusionEnd
    | TemperatureOff
    | Wetting,
    Field(discriminator="kind"),
]
FindingKind = Literal[
    "record", "meter", "ran_like", "opened", "run_away", "early_resistance", "loosened",
    "not_reached", "overshoot", "water_count", "late_meeting", "choked", "over_soaked",
    "first_drip", "level", "stop", "by_hand", "pre_infusion_end", "temperature", "wetting",
]  # fmt: skip
FINDING_KINDS: tuple[FindingKind, ...] = get_args(FindingKind)
# These only measure: they say nothing is wrong.
MEASURED: frozenset[FindingKind] = frozenset({"first_drip", "level", "stop"})


class CannotTell(Answer):
    """A kind that this recording cannot tell, and why."""

    kind: FindingKind
    because: str
