"""What goes over the line between desk and machine: one JSON object a line. docs/devices.md."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import orjson
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from vapocline.core.problems import DeviceError

PROTOCOL_VERSION = 1
LONGEST_LINE = 1_000_000  # bytes


class Message(BaseModel):
    """A line: unknown fields are let pass, so that a newer device may say more."""

    model_config = ConfigDict(frozen=True, extra="ignore")


class Order(Message):
    """What the desk asks. `load` brings a profile, `basket` what the simulated stand-in tamps."""

    do: Literal["hello", "basket", "load", "start", "stop", "next", "watch"]
    profile: dict[str, Any] | None = None
    setup: dict[str, Any] | None = None
    since: int = 0


class Reply(Message):
    """The machine's answer to one order; `error` says why not."""

    is_: Literal["reply"] = Field(default="reply", alias="is")
    to: str
    ok: bool
    error: str | None = None
    name: str | None = None
    protocol: int = PROTOCOL_VERSION


class SampleLine(Message):
    """One reading of machine and scale. `t` is the machine's own clock from pump on, s."""

    is_: Literal["sample"] = Field(default="sample", alias="is")
    seq: int
    t: float
    pressure_bar: float
    water_ml_s: float
    weight_g: float
    group_c: float
    commanded: float | None
    control: str
    phase: int


class EventLine(Message):
    """Something that happened: a phase began or the shot stopped, and what for."""

    is_: Literal["event"] = Field(default="event", alias="is")
    seq: int
    t: float
    what: Literal["phase", "stop"]
    phase: int | None = None
    because: str | None = None


class EndLine(Message):
    """The shot is over and the drips are in."""

    is_: Literal["end"] = Field(default="end", alias="is")
    seq: int


Line = Annotated[Reply | SampleLine | EventLine | EndLine, Field(discriminator="is_")]
_LINES: TypeAdapter[Reply | SampleLine | EventLine | EndLine] = TypeAdapter(Line)


def written(message: Message) -> bytes:
    """A message as its line."""
    return orjson.dumps(message.model_dump(by_alias=True)) + b"\n"


def read_line(raw: bytes) -> Reply | SampleLine | EventLine | EndLine:
    """A machine's line as a message. Raises DeviceError for anything that is none."""
    try:
        return _LINES.validate_json(raw)
    except ValidationError as error:
        raise DeviceError(f"The machine sent a line that is no message: {raw[:80]!r}") from error


def read_order(raw: bytes) -> Order:
    """A desk's line as an order. Raises DeviceError."""
    try:
        return Order.model_validate_json(raw)
    except ValidationError as error:
        raise DeviceError(f"not an order: {raw[:80]!r}") from error
