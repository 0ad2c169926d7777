"""Amounts in words, in the units of who reads them. What is stored and computed is °C, g and mL."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Literal, NamedTuple

TemperatureUnit = Literal["C", "F"]
WeightUnit = Literal["g", "oz"]
VolumeUnit = Literal["mL", "fl oz"]
DrinkMeasure = Literal["weight", "glass"]


class Units(NamedTuple):
    """What somebody reads temperatures, weights and volumes in."""

    temperature: TemperatureUnit = "C"
    weight: WeightUnit = "g"
    volume: VolumeUnit = "mL"


class _ReadIn(NamedTuple):
    """How a unit is read in another: times `factor`, plus `zero`, with `finer` more decimals."""

    unit: str
    factor: float
    zero: float
    finer: int


OZ_G, FL_OZ_ML = 28.349523, 29.573530  # avoirdupois; United States customary
SCALES = {
    ("°C", "F"): _ReadIn("°F", 1.8, 32.0, 0),
    ("g", "oz"): _ReadIn("oz", 1 / OZ_G, 0.0, 2),
    ("mL", "fl oz"): _ReadIn("fl oz", 1 / FL_OZ_ML, 0.0, 2),
}

AS_STORED = Units()
_reads: ContextVar[Units] = ContextVar("units", default=AS_STORED)


def asked_units(words: str) -> Units:
    """The units named in "F, oz, fl oz", any of them in any order; the others are °C, g and mL."""
    named = {word.strip() for word in words.split(",")}
    return Units(
        temperature="F" if "F" in named else "C",
        weight="oz" if "oz" in named else "g",
        volume="fl oz" if "fl oz" in named else "mL",
    )


@contextmanager
def read_in(units: Units) -> Iterator[None]:
    """Whatever is put into words within is for somebody who reads amounts so."""
    token = _reads.set(units)
    try:
        yield
    finally:
        _reads.reset(token)


def read_unit(unit: str) -> str:
    """A unit as it is read."""
    return _read_in(unit).unit


def amount_number(value: float, unit: str, digits: int | None = None) -> str:
    """An amount without its unit; with `digits` decimals of `unit`, else at most two."""
    scale = _read_in(unit)
    return _number(value * scale.factor + scale.zero, digits, scale.finer)


def amount(value: float, unit: str, digits: int | None = None) -> str:
    """An amount with its unit as it is read; `digits` are decimals of `unit`."""
    return f"{amount_number(value, unit, digits)} {read_unit(unit)}".rstrip()


def from_to(before: float, after: float, unit: str) -> str:
    """Two amounts of a unit, "93 to 92 °C"."""
    return f"{amount_number(before, unit)} to {amount(after, unit)}"


def change(by: float, unit: str, digits: int) -> str:
    """By how much an amount changed, with its sign and unit."""
    scale = _read_in(unit)
    decimals = _decimals(by * scale.factor, digits, scale.finer)
    return f"{by * scale.factor:+.{decimals}f} {scale.unit}".rstrip()


def apart(by: float, unit: str, digits: int | None = None) -> str:
    """A difference of amounts with its unit, unsigned."""
    scale = _read_in(unit)
    return f"{_number(by * scale.factor, digits, scale.finer)} {scale.unit}".rstrip()


def grams(value_g: float, digits: int | None = None) -> str:
    """A weight with its unit."""
    return amount(value_g, "g", digits)


def millilitres(value_ml: float, digits: int | None = None) -> str:
    """A volume with its unit."""
    return amount(value_ml, "mL", digits)


def temperature_unit() -> str:
    """°C or °F, as it is read."""
    return read_unit("°C")


def temperature_number(value_c: float, digits: int | None = None) -> str:
    """A temperature without its unit; with `digits` decimals, else at most two."""
    return amount_number(value_c, "°C", digits)


def temperature(value_c: float, digits: int | None = None) -> str:
    """A temperature with its unit."""
    return amount(value_c, "°C", digits)


def temperature_apart(by_c: float, digits: int | None = None) -> str:
    """A difference of temperatures with its unit."""
    return apart(by_c, "°C", digits)


def _read_in(unit: str) -> _ReadIn:
    reads = _reads.get()
    for wanted in reads:
        if (unit, wanted) in SCALES:
            return SCALES[unit, wanted]
    return _ReadIn(unit, 1.0, 0.0, 0)


def _number(value: float, digits: int | None, finer: int) -> str:
    if digits is not None:
        return f"{value:.{_decimals(value, digits, finer)}f}"
    return f"{round(value, 3 if finer else 2):g}"


def _decimals(value: float, digits: int, finer: int) -> int:
    """Decimals that keep the fineness of `digits`: more for ounces, fewer once there are ten."""
    whole = len(f"{abs(value):.0f}") if finer else 1
    return max(0, digits + finer + 1 - whole)
