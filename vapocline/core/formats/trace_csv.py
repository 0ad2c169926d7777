"""Traces as CSV: one column a channel with its unit in the header, one row a moment."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.problems import Problem, Refused, shown
from vapocline.core.base.table import number_in, rows_of
from vapocline.core.shot.limits import LONGEST_S, MOST_SAMPLES
from vapocline.core.shot.traces import CHANNELS, Traces, cup_flow_ml_s

NEEDED = ("time_s", "pressure_bar")
MOST_PROBLEMS = 8


def traces_from_csv(text: str, needed: Sequence[str] = NEEDED) -> Traces:
    """Read traces. `needed` columns must be there, whole; what else is missing is unknown.

    Commas, semicolons and tabs part columns; columns of other names are passed over. Time must
    rise. Raises Refused naming the line and column of everything that is wrong.
    """
    rows = rows_of(text)
    if len(rows) < 3:
        got = f"{len(rows)} lines"
        raise Refused([Problem("csv", got, "a header and two or more rows of numbers")])
    if len(rows) > MOST_SAMPLES:
        raise Refused([Problem("csv", f"{len(rows)} rows", f"at most {MOST_SAMPLES}")])
    header = [name.strip().lower() for name in rows[0]]
    missing = [name for name in needed if name not in header]
    if missing:
        got = ", ".join(header[:8]) or "no header"
        raise Refused([Problem(f"csv.{missing[0]}", got, f"a column headed {missing[0]}")])
    channels = {name: header.index(name) for name in CHANNELS if name in header}
    problems: list[Problem] = []
    values = {
        name: _column(name, at, rows[1:], problems, whole=name in needed)
        for name, at in channels.items()
    }
    if not problems:
        problems += _time_problems(values["time_s"])
    if problems:
        raise Refused(problems[:MOST_PROBLEMS])
    return _whole(values)


def traces_to_csv(traces: Traces) -> str:
    """The same the other way round; what is unknown is left empty."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(CHANNELS)
    columns = [getattr(traces, name) for name in CHANNELS]
    for row in zip(*columns, strict=True):
        writer.writerow(["" if np.isnan(x) else f"{x:.6g}" for x in row])
    return out.getvalue()


def _column(
    name: str, at: int, rows: list[list[str]], problems: list[Problem], *, whole: bool
) -> Floats:
    found = np.full(len(rows), np.nan)
    for number, row in enumerate(rows):
        cell = row[at].strip() if at < len(row) else ""
        if not cell:
            if whole:
                problems.append(Problem(f"csv.{name}.{number + 2}", "nothing", "a number"))
            continue
        value = number_in(cell)
        if value is None and (whole or not _says_unknown(cell)):
            problems.append(Problem(f"csv.{name}.{number + 2}", shown(cell), "a number"))
        elif value is not None:
            found[number] = value
    return found


def _says_unknown(cell: str) -> bool:
    return cell.lower() == "nan"


def _time_problems(time_s: Floats) -> list[Problem]:
    """Times that do not rise, or last too long."""
    for number, (a, b) in enumerate(pairwise(time_s)):
        if b <= a:
            taken = f"more than {a:g}, the time before"
            return [Problem(f"csv.time_s.{number + 3}", f"{b:g}", taken)]
    lasted = float(time_s[-1] - time_s[0])
    if lasted > LONGEST_S:
        return [Problem("csv.time_s", f"{lasted:g} s in all", f"at most {LONGEST_S:g} s")]
    return []


def _whole(values: dict[str, Floats]) -> Traces:
    size = values["time_s"].size
    unknown = np.full(size, np.nan)
    columns = {name: values.get(name, unknown) for name in CHANNELS}
    columns["time_s"] = columns["time_s"] - columns["time_s"][0]
    for name in ("water_in_ml_s", "phase"):
        columns[name] = np.nan_to_num(columns[name])
    if "cup_out_ml_s" not in values and "cup_g" in values:
        columns["cup_out_ml_s"] = cup_flow_ml_s(columns["time_s"], columns["cup_g"])
    return Traces(**columns)
