"""Temperatures in words, in the unit of who reads them. What is stored and computed is in °C."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Literal

TemperatureUnit = Literal["C", "F"]
FAHRENHEIT_PER_C, FREEZING_F = 1.8, 32.0

_reads: ContextVar[TemperatureUnit] = ContextVar("temperature_unit", default="C")


@contextmanager
def read_in(unit: TemperatureUnit) -> Iterator[None]:
    """Whatever is put into words within is for somebody who reads temperatures so."""
    token = _reads.set(unit)
    try:
        yield
    finally:
        _reads.reset(token)


def temperature_unit() -> str:
    """°C or °F, as it is read."""
    return f"°{_reads.get()}"


def temperature_number(value_c: float, digits: int | None = None) -> str:
    """A temperature without its unit; with `digits` decimals, else at most two."""
    value = value_c if _reads.get() == "C" else value_c * FAHRENHEIT_PER_C + FREEZING_F
    return _number(value, digits)


def temperature(value_c: float, digits: int | None = None) -> str:
    """A temperature with its unit."""
    return f"{temperature_number(value_c, digits)} {temperature_unit()}"


def temperature_apart(by_c: float, digits: int | None = None) -> str:
    """A difference of temperatures with its unit."""
    return f"{_number(_apart(by_c, '°C'), digits)} {temperature_unit()}"


def amount(value: float, unit: str, digits: int | None = None) -> str:
    """A number with its unit, which is converted where it is °C."""
    if unit == "°C":
        return temperature(value, digits)
    return f"{_number(value, digits)} {unit}".rstrip()


def from_to(before: float, after: float, unit: str) -> str:
    """Two numbers of a unit, "93 to 92 °C"; converted where that is °C."""
    was = temperature_number(before) if unit == "°C" else _number(before, None)
    return f"{was} to {amount(after, unit)}"


def change(by: float, unit: str, digits: int) -> str:
    """By how much a number changed, with its sign and unit; converted where that is °C."""
    return f"{_apart(by, unit):+.{digits}f} {read_unit(unit)}".rstrip()


def read_unit(unit: str) -> str:
    """A unit as it is read."""
    return temperature_unit() if unit == "°C" else unit


def _apart(by: float, unit: str) -> float:
    return by * FAHRENHEIT_PER_C if unit == "°C" and _reads.get() == "F" else by


def _number(value: float, digits: int | None) -> str:
    return f"{value:.{digits}f}" if digits is not None else f"{round(value, 2):g}"
