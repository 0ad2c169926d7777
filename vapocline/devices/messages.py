"""What goes over the line between desk and devices: one JSON object a line. docs/devices.md."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from vapocline.core.base.problems import DeviceError
from vapocline.core.shot.events import Mark

PROTOCOL_VERSION = 2
LONGEST_LINE = 1_000_000  # bytes

Fault = Literal[
    "water_empty",
    "pump_stall",
    "relief_opens",
    "scale_off",
    "cup_missing",
    "packets_dropped",
    "packets_late",
]
What = Literal[
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

    model_config = ConfigDict(frozen=True, extra="ignore")


class Plain(Message):
    """An order that carries nothing."""

    do: Literal["status", "stop", "next", "skip", "take", "give_back", "tare", "read"]


class Hello(Message):
    """The first order on a line: which device of several at one address is meant."""

    do: Literal["hello"] = "hello"
    name: str = ""


class BasketOrder(Message):
    """What a simulated machine tamps; a real one lets it pass."""

    do: Literal["basket"] = "basket"
    setup: dict[str, Any]


class Load(Message):
    """The profile to run."""

    do: Literal["load"] = "load"
    profile: dict[str, Any]


class Start(Message):
    """Start the pump; `by_hand` leaves the level, or each step, to the hand at the machine."""

    do: Literal["start"] = "start"
    by_hand: bool = False


class Nudge(Message):
    """Change the variable in force by so much, now and in later phases."""

    do: Literal["nudge"] = "nudge"
    by: float


class Hold(Message):
    """Let the phase stand still, or go on."""

    do: Literal["hold"] = "hold"
    on: bool = True


class Level(Message):
    """The level a hand holds, in the unit of what it holds."""

    do: Literal["level"] = "level"
    level: float


class MarkIt(Message):
    """Something seen at the machine."""

    do: Literal["mark"] = "mark"
    mark: Mark


class Watch(Message):
    """From now on say everything from a sequence number on; from -1 only what is yet to come.

    Simulators tell each other of the cup as well.
    """

    do: Literal["watch"] = "watch"
    since: int = 0
    of: Literal["shot", "cup"] = "shot"


class GoWrong(Message):
    """To a simulated device only: what is to go wrong, now or at a time of the shot, or no more.

    `share` is how many packets in a hundred are dropped or late.
    """

    do: Literal["go_wrong"] = "go_wrong"
    fault: Fault
    on: bool = True
    at_s: float | None = None
    share: float = 10


Order = (
    Plain | Hello | BasketOrder | Load | Start | Nudge | Hold | Level | MarkIt | Watch | GoWrong
)  # fmt: skip
_ORDERS: TypeAdapter[Order] = TypeAdapter(Annotated[Order, Field(discriminator="do")])


class MachineStatus(Message):
    """How a machine stands; None for what it cannot tell."""

    group_c: float | None = None
    water_left_ml: float | None = None
    loaded: str | None = None
    shot: str | None = None  # the shot that runs, or the last one
    running: bool = False


class ScaleStatus(Message):
    """What a scale shows; `cup` None where it cannot tell whether one stands on it."""

    weight_g: float | None = None
    tared: bool = False
    cup: bool | None = None


class StrengthReading(Message):
    """One measured strength. `sample_c` is how warm the sample was."""

    tds_pct: float
    sample_c: float | None = None


class Reply(Message):
    """A device's answer to one order; `error` says why not."""

    is_: Literal["reply"] = Field(default="reply", alias="is")
    to: str
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
    seq: int
    t: float
    at: float | None = None
    pressure_bar: float | None = None
    water_ml_s: float | None = None
    weight_g: float | None = None
    group_c: float | None = None
    commanded: float | None
    control: str
    phase: int
    by_hand: float | None = None


class EventLine(Message):
    """Something that happened: a phase began, the shot stopped and why, a hand did something."""

    is_: Literal["event"] = Field(default="event", alias="is")
    seq: int
    t: float
    what: What
    phase: int | None = None
    because: str | None = None
    value: float | None = None


class EndLine(Message):
    """The shot is over and the drips are in."""

    is_: Literal["end"] = Field(default="end", alias="is")
    seq: int


class WeightLine(Message):
    """One reading of a scale, on its own clock from when it was switched on, s."""

    is_: Literal["weight"] = Field(default="weight", alias="is")
    seq: int
    t: float
    at: float | None = None
    weight_g: float


class CupLine(Message):
    """Between simulators only: what truly is in the cup, for the scale and the refractometer."""

    is_: Literal["cup"] = Field(default="cup", alias="is")
    t: float
    yield_g: float
    cup_g: float
    tds_pct: float
    sees: bool = True


Line = Reply | SampleLine | EventLine | EndLine | WeightLine | CupLine
_LINES: TypeAdapter[Line] = TypeAdapter(Annotated[Line, Field(discriminator="is_")])


def written(message: Message) -> bytes:
    """A message as its line."""
    return orjson.dumps(message.model_dump(by_alias=True)) + b"\n"


def read_line(raw: bytes) -> Line:
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
