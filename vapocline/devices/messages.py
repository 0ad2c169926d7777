"""What goes over the line between desk and devices: one JSON object a line. docs/devices.md."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter, ValidationError

from vapocline.core.base.problems import DeviceError
from vapocline.core.shot.events import Mark
from vapocline.core.shot.limits import HEAVIEST_G, LEAST_ML_S, LIGHTEST_G, MOST_ML_S

PROTOCOL_VERSION = 3
LONGEST_LINE = 1_000_000  # bytes
LONGEST_NAME = 300  # characters, of a device
LONGEST_WORD = 80  # of an id, a code, a reason
LATEST_S = 3600.0  # of a clock: a record ends before, whatever a machine goes on to say

Fault = Literal[
    "water_empty",
    "pump_stall",
    "relief_opens",
    "channel",
    "scale_off",
    "cup_missing",
    "packets_dropped",
    "packets_late",
]
EventLineKind = Literal[
    "phase",
    "stop",
    "nudge",
    "hold",
    "go_on",
    "take",
    "give_back",
    "mark",
    "relief",
    "water_empty",
]


class Message(BaseModel):
    """A line: unknown fields are ignored, so that a newer device may say more."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)


def _none_beyond(low: float, high: float) -> Callable[[Any], Any]:
    """A reading that no gauge can give is none: devices say 3.4e38 or -999 for "no sensor"."""

    def reading(value: Any) -> Any:
        number = isinstance(value, int | float) and not isinstance(value, bool)
        return None if number and not low <= value <= high else value  # nan is within nothing

    return reading


Bar = Annotated[float | None, BeforeValidator(_none_beyond(-1.5, 30))]
MlPerS = Annotated[float | None, BeforeValidator(_none_beyond(LEAST_ML_S, MOST_ML_S))]
ReportedGrams = Annotated[float | None, BeforeValidator(_none_beyond(LIGHTEST_G, HEAVIEST_G))]
Celsius = Annotated[float | None, BeforeValidator(_none_beyond(-40, 200))]
ReportedNumber = Annotated[float | None, BeforeValidator(_none_beyond(-10_000, 10_000))]
ClockS = Annotated[float, Field(ge=0, le=LATEST_S)]
Seq = Annotated[int, Field(ge=0, le=10_000_000)]
PhaseIndex = Annotated[int, Field(ge=0, le=1000)]
Word = Annotated[str, Field(max_length=LONGEST_WORD)]


class OrderMessage(Message):
    """What the desk sends. A device carries out an `id` once, and answers it again as at first."""

    id: Word = ""


class PlainOrder(OrderMessage):
    """An order that carries nothing."""

    do: Literal["status", "stop", "next", "skip", "take", "give_back", "tare", "read"]


class Hello(OrderMessage):
    """The first order on a line: the pairing `code`, which `desk` speaks, and which device of
    several at one address is meant."""

    do: Literal["hello"] = "hello"
    name: Annotated[str, Field(max_length=LONGEST_NAME)] = ""
    code: Word = ""
    desk: Word = ""


class Beat(OrderMessage):
    """The desk is there. It is not answered."""

    do: Literal["beat"] = "beat"


class BasketOrder(OrderMessage):
    """What a simulated machine tamps, of which coffee by which grinder, prepared how: each pair and
    each preparation has a hidden truth of its own. A real machine lets it pass."""

    do: Literal["basket"] = "basket"
    setup: dict[str, Any]
    coffee: Word = ""
    grinder: Word = ""
    preparation: Word = ""


class Load(OrderMessage):
    """The profile to run."""

    do: Literal["load"] = "load"
    profile: dict[str, Any]


class Start(OrderMessage):
    """Start the pump; `by_hand` leaves the level, or each step, to the hand at the machine.

    `shot` is what the desk calls it. A machine that hears nothing of its desk for `alone_s` seconds
    ends its program by itself; None lets it run on.
    """

    do: Literal["start"] = "start"
    by_hand: bool = False
    shot: Word = ""
    alone_s: Annotated[float | None, Field(gt=0, le=60)] = None


class Nudge(OrderMessage):
    """Change the variable in force by so much, now and in later phases."""

    do: Literal["nudge"] = "nudge"
    by: float


class Hold(OrderMessage):
    """Let the phase stand still, or go on."""

    do: Literal["hold"] = "hold"
    on: bool = True


class Level(OrderMessage):
    """The level a hand holds, in the unit of what it holds."""

    do: Literal["level"] = "level"
    level: float


class MarkIt(OrderMessage):
    """Something seen at the machine."""

    do: Literal["mark"] = "mark"
    mark: Mark


class Watch(OrderMessage):
    """From now on say everything from a sequence number on; from -1 only what is yet to come.

    Refused where `shot` is named and is not the machine's. Simulators tell each other of the cup as
    well.
    """

    do: Literal["watch"] = "watch"
    since: Annotated[int, Field(ge=-1)] = 0
    shot: Word = ""
    of: Literal["shot", "cup"] = "shot"


class GoWrong(OrderMessage):
    """To a simulated device only: what is to go wrong, now or at a time of the shot, or no more.

    `share` is how many packets in a hundred are dropped or late.
    """

    do: Literal["go_wrong"] = "go_wrong"
    fault: Fault
    on: bool = True
    at_s: float | None = None
    share: float = 10


Order = (
    PlainOrder | Hello | Beat | BasketOrder | Load | Start | Nudge | Hold | Level | MarkIt | Watch
    | GoWrong
)  # fmt: skip
_ORDERS: TypeAdapter[Order] = TypeAdapter(Annotated[Order, Field(discriminator="do")])


class MachineStatus(Message):
    """How a machine stands; None for what it cannot tell."""

    group_c: Celsius = None
    water_left_ml: ReportedNumber = None
    loaded: str | None = None
    shot: str | None = None  # the shot that runs, or the last one
    running: bool = False


class ScaleStatus(Message):
    """What a scale shows; `cup` None where it cannot tell whether one stands on it."""

    weight_g: ReportedGrams = None
    tared: bool = False
    cup: bool | None = None


class StrengthReading(Message):
    """One measured strength. `sample_c` is how warm the sample was."""

    tds_pct: Annotated[float, Field(ge=0, le=100)]
    sample_c: Celsius = None


class Reply(Message):
    """A device's answer to the order of that `id`; `error` says why not."""

    is_: Literal["reply"] = Field(default="reply", alias="is")
    to: str
    id: Word = ""
    ok: bool
    error: str | None = None
    name: str | None = None
    protocol: int = PROTOCOL_VERSION
    shot: str | None = None
    machine: MachineStatus | None = None
    scale: ScaleStatus | None = None
    strength: StrengthReading | None = None


class SampleLine(Message):
    """One reading of a machine. `t` is its own clock from pump on, s; `at` the day's, s.

    None is what it cannot tell: `weight_g` without a scale of its own, all of them on a machine
    that is not connected. `by_hand` is the level a hand holds, if one does.
    """

    is_: Literal["sample"] = Field(default="sample", alias="is")
    seq: Seq
    t: ClockS
    at: float | None = None
    pressure_bar: Bar = None
    water_ml_s: MlPerS = None
    weight_g: ReportedGrams = None
    group_c: Celsius = None
    commanded: ReportedNumber
    control: Word
    phase: PhaseIndex
    by_hand: ReportedNumber = None


class EventLine(Message):
    """Something that happened: a phase began, the shot stopped and why, a hand did something."""

    is_: Literal["event"] = Field(default="event", alias="is")
    seq: Seq
    t: ClockS
    what: EventLineKind
    phase: PhaseIndex | None = None
    because: Word | None = None
    value: ReportedNumber = None


class EndLine(Message):
    """The shot is over and the drips are in."""

    is_: Literal["end"] = Field(default="end", alias="is")
    seq: Seq


class WeightLine(Message):
    """One reading of a scale, on its own clock from when it was switched on, s."""

    is_: Literal["weight"] = Field(default="weight", alias="is")
    seq: Annotated[int, Field(ge=0)]
    t: float
    at: float | None = None
    weight_g: Annotated[float, Field(ge=LIGHTEST_G, le=HEAVIEST_G)]


class CupLine(Message):
    """Between simulators only: what truly is in the cup, for the scale and the refractometer."""

    is_: Literal["cup"] = Field(default="cup", alias="is")
    t: float
    yield_g: float
    cup_g: float
    tds_pct: float
    sees: bool = True


MessageLine = Reply | SampleLine | EventLine | EndLine | WeightLine | CupLine
_LINES: TypeAdapter[MessageLine] = TypeAdapter(Annotated[MessageLine, Field(discriminator="is_")])


def written(message: Message) -> bytes:
    """A message as its line."""
    return orjson.dumps(message.model_dump(by_alias=True)) + b"\n"


def read_line(raw: bytes) -> MessageLine:
    """A device's line as a message. Raises DeviceError for anything that is none."""
    try:
        return _LINES.validate_json(raw)
    except ValidationError as error:
        raise DeviceError(f"The machine sent a line that is no message: {raw[:80]!r}") from error


def read_order(raw: bytes) -> Order:
    """A desk's line as an order. Raises DeviceError."""
    try:
        return _ORDERS.validate_json(raw)
    except ValidationError as error:
        raise DeviceError(f"not an order: {raw[:80]!r}") from error
