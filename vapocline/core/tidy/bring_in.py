"""Recordings from elsewhere as traces: a sheet of any columns and units, or a traced picture."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.base.problems import Problem, Refused, shown
from vapocline.core.base.table import number_in, rows_of
from vapocline.core.shot.limits import LONGEST_S, MOST_SAMPLES
from vapocline.core.shot.traces import CHANNELS, Traces, cup_flow_ml_s

ImportedColumn = Literal[
    "time_s", "pressure_bar", "water_in_ml_s", "cup_g", "group_c", "commanded"
]  # fmt: skip
# By channel, every unit that is taken: ours is factor times theirs plus a constant.
UNITS: dict[ImportedColumn, dict[str, tuple[float, float]]] = {
    "time_s": {"s": (1, 0), "ms": (0.001, 0), "min": (60, 0)},
    "pressure_bar": {
        "bar": (1, 0), "psi": (0.0689476, 0), "kPa": (0.01, 0), "MPa": (10, 0), "mbar": (0.001, 0),
    },
    "water_in_ml_s": {"mL/s": (1, 0), "g/s": (1, 0), "mL/min": (1 / 60, 0), "L/h": (1 / 3.6, 0)},
    "cup_g": {
        "g": (1, 0), "kg": (1000, 0), "oz": (28.3495, 0), "−g": (-1, 0), "−oz": (-28.3495, 0),
    },
    "group_c": {"°C": (1, 0), "°F": (5 / 9, -160 / 9)},
    "commanded": {"bar": (1, 0), "mL/s": (1, 0), "psi": (0.0689476, 0)},
}  # fmt: skip
# What a column's header says it is; the first that fits counts.
GUESSES: tuple[tuple[ImportedColumn, tuple[str, ...]], ...] = (
    ("commanded", ("commanded", "target pressure", "pressure target", "target flow",
                   "flow target", "set pressure")),
    ("time_s", ("time", "elapsed", "seconds", "sec")),
    ("pressure_bar", ("pressure", "bar", "psi")),
    ("cup_g", ("cup", "weight", "scale", "yield", "mass", "gram")),
    ("water_in_ml_s", ("water", "flow", "pump")),
    ("group_c", ("group", "temp")),
)  # fmt: skip
MOST_COLUMNS, MOST_PROBLEMS, SHOWN_ROWS = 60, 8, 6
LEAST_POINTS, MOST_POINTS = 4, 2000
PICTURE_STEP_S = 0.1
Finite = Annotated[float, Field(allow_inf_nan=False)]


class Ask(BaseModel):
    """A part of a request: nothing beyond what it knows."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


class Column(Ask):
    """Which column is which channel, in which unit, and what is added after (in our unit)."""

    column: Annotated[int, Field(ge=0, lt=MOST_COLUMNS)]
    channel: ImportedColumn
    unit: str
    offset: Annotated[float, Field(ge=-1000, le=1000)] = 0


class Sheet(Answer):
    """A text as a sheet: its headers, its first rows, and what the columns seem to be."""

    headers: list[str]
    rows: list[list[str]]
    lines: int
    guessed: list[Column]
    units: dict[ImportedColumn, list[str]]


class Axis(Ask):
    """Two places along a picture, px, and the values that stand there."""

    first_px: Finite
    first: Finite
    second_px: Finite
    second: Finite


class TracedLine(Ask):
    """A curve of a picture, clicked along: its channel, its axis upward, and points (x, y) px."""

    channel: ImportedColumn
    axis: Axis
    points: Annotated[list[tuple[Finite, Finite]], Field(max_length=MOST_POINTS)]


class Picture(Ask):
    """A traced picture: the time axis and its lines."""

    time: Axis
    lines: Annotated[list[TracedLine], Field(min_length=1, max_length=4)]


def sheet_of(text: str) -> Sheet:
    """Read a text as a sheet, with or without headers. Raises Refused where it is none."""
    headers, rows = _cells(text)
    return Sheet(
        headers=headers,
        rows=rows[:SHOWN_ROWS],
        lines=len(rows),
        guessed=_guessed(headers),
        units={channel: list(units) for channel, units in UNITS.items()},
    )


def _cells(text: str) -> tuple[list[str], list[list[str]]]:
    rows = rows_of(text)
    if len(rows) < LEAST_POINTS:
        raise Refused([Problem("csv", f"{len(rows)} lines", "a row a moment, four or more")])
    if len(rows) > MOST_SAMPLES or max(map(len, rows)) > MOST_COLUMNS:
        got = f"{len(rows)} rows of up to {max(map(len, rows))} columns"
        raise Refused([Problem("csv", got, f"at most {MOST_SAMPLES} of {MOST_COLUMNS}")])
    if all(number_in(cell) is not None for cell in rows[0] if cell.strip()):
        return [f"Column {i + 1}" for i in range(len(rows[0]))], rows
    return [cell.strip() or f"Column {i + 1}" for i, cell in enumerate(rows[0])], rows[1:]


def _guessed(headers: Sequence[str]) -> list[Column]:
    found: list[Column] = []
    taken: set[int] = set()
    for channel, words in GUESSES:
        for at, header in enumerate(headers):
            name = header.lower()
            if at in taken or not any(word in name for word in words):
                continue
            if channel == "water_in_ml_s" and any(word in name for word in ("out", "weight")):
                continue
            taken.add(at)
            found.append(Column(column=at, channel=channel, unit=_unit_in(name, channel)))
            break
    return found


def _unit_in(name: str, channel: ImportedColumn) -> str:
    units = list(UNITS[channel])
    said = [unit for unit in units[1:] if unit.lower().replace("/", "_") in name.replace("/", "_")]
    return max(said, key=len) if said else units[0]


def mapped(
    text: str, columns: Sequence[Column], begins_s: float = 0.0, ends_s: float | None = None
) -> Traces:
    """The traces of a sheet by its columns; `begins_s` of its clock becomes pump on, and what comes
    after `ends_s` is left out.

    Raises Refused naming the line and column of what is no number, and what is missing.
    """
    headers, rows = _cells(text)
    _refuse_bad_columns(columns, headers)
    problems: list[Problem] = []
    values: dict[ImportedColumn, Floats] = {}
    for one in columns:
        factor, constant = UNITS[one.channel][one.unit]
        read = _column(rows, one.column, headers, problems, whole=one.channel == "time_s")
        values[one.channel] = read * factor + constant + one.offset
    if problems:
        raise Refused(problems[:MOST_PROBLEMS])
    return _traces(values, begins_s, ends_s)


def _refuse_bad_columns(columns: Sequence[Column], headers: Sequence[str]) -> None:
    names = [one.channel for one in columns]
    if "time_s" not in names or len(names) < 2:
        got = ", ".join(names) or "none"
        raise Refused([Problem("columns", got, "a column of time and one or more channels")])
    if len(set(names)) < len(names):
        raise Refused([Problem("columns", ", ".join(names), "each channel once")])
    for at, one in enumerate(columns):
        if one.column >= len(headers):
            taken = f"one of the {len(headers)} columns"
            raise Refused([Problem(f"columns.{at}.column", str(one.column + 1), taken)])
        if one.unit not in UNITS[one.channel]:
            taken = ", ".join(UNITS[one.channel])
            raise Refused([Problem(f"columns.{at}.unit", shown(one.unit), taken)])


def _column(
    rows: Sequence[Sequence[str]],
    at: int,
    headers: Sequence[str],
    problems: list[Problem],
    *,
    whole: bool,
) -> Floats:
    found = np.full(len(rows), np.nan)
    for number, row in enumerate(rows):
        cell = row[at].strip() if at < len(row) else ""
        value = number_in(cell)
        if value is not None:
            found[number] = value
        elif whole or cell.lower() not in ("", "nan", "null", "-"):
            field = f"csv.{headers[at]}.{number + 2}"
            problems.append(Problem(field, shown(cell) if cell else "nothing", "a number"))
    return found


def _traces(
    values: dict[ImportedColumn, Floats], begins_s: float, ends_s: float | None = None
) -> Traces:
    if ends_s is not None:
        within = values["time_s"] <= ends_s
        values = {name: column[within] for name, column in values.items()}
    time_s = values["time_s"] - begins_s
    # A clock told in whole seconds repeats itself: of one moment the last counts.
    kept = (time_s >= -1e-9) & np.append(np.diff(time_s) > 0, True)
    if kept.sum() < LEAST_POINTS:
        got = f"{int(kept.sum())} rows from {begins_s:g} s on whose time rises"
        raise Refused([Problem("columns", got, f"{LEAST_POINTS} or more")])
    if np.any(np.diff(time_s[kept]) <= 0):
        raise Refused([Problem("columns", "a time that falls back", "a time that rises")])
    lasted = float(time_s[kept][-1])
    if lasted > LONGEST_S:
        taken = f"at most {LONGEST_S:g} s; a clock in ms has to be read in ms"
        raise Refused([Problem("columns", f"{lasted:g} s in all", taken)])
    told = {name: column[kept] for name, column in values.items()}
    clock = time_s[kept]
    unknown = np.full(clock.size, np.nan)
    columns = {name: told.get(name, unknown) for name in CHANNELS}  # type: ignore[call-overload]
    columns["time_s"] = clock
    columns["phase"] = np.zeros(clock.size)
    if "cup_g" in told:
        columns["cup_out_ml_s"] = cup_flow_ml_s(clock, told["cup_g"])
    return Traces(**columns)


def traced(picture: Picture) -> Traces:
    """A picture's lines as traces on one clock, straight between the clicks.

    Raises Refused for an axis whose two points are one, and for a line of too few points.
    """
    _refuse_flat(picture.time, "picture.time")
    lines: list[tuple[ImportedColumn, Floats, Floats]] = []
    for at, line in enumerate(picture.lines):
        field = f"picture.lines.{at}"
        _refuse_flat(line.axis, f"{field}.axis")
        if line.channel == "time_s" or line.channel in [name for name, _t, _v in lines]:
            raise Refused([Problem(f"{field}.channel", line.channel, "each channel once")])
        points = np.array(sorted(line.points)).reshape(-1, 2)
        time_s, value = _along(picture.time, points[:, 0]), _along(line.axis, points[:, 1])
        order = np.argsort(time_s)
        time_s, first = np.unique(time_s[order], return_index=True)
        if time_s.size < LEAST_POINTS:
            got = f"{time_s.size} points"
            raise Refused([Problem(f"{field}.points", got, f"{LEAST_POINTS} or more")])
        lines.append((line.channel, time_s, value[order][first]))
    end = max(float(time_s[-1]) for _name, time_s, _value in lines)
    if not 0 < end <= LONGEST_S:
        raise Refused([Problem("picture.time", f"{end:g} s", f"an end up to {LONGEST_S:g} s")])
    clock = np.arange(0.0, end + 1e-9, PICTURE_STEP_S)
    values: dict[ImportedColumn, Floats] = {"time_s": clock}
    for name, time_s, value in lines:
        values[name] = np.interp(clock, time_s, value, left=np.nan, right=np.nan)
    return _traces(values, 0.0)


def _refuse_flat(axis: Axis, field: str) -> None:
    if axis.first_px == axis.second_px or axis.first == axis.second:
        got = f"{axis.first:g} and {axis.second:g} at {axis.first_px:g} and {axis.second_px:g} px"
        raise Refused([Problem(field, got, "two different values at two different places")])


def _along(axis: Axis, px: Floats) -> Floats:
    scale = (axis.second - axis.first) / (axis.second_px - axis.first_px)
    value: Floats = axis.first + (px - axis.first_px) * scale
    return value
