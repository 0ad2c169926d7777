"""Tables as text: rows of cells parted by commas, semicolons or tabs, and numbers in them."""

from __future__ import annotations

import csv
import io
import math

from vapocline.core.base.problems import Problem, Refused


def rows_of(text: str) -> list[list[str]]:
    """The rows of a table, empty ones left out. Raises Refused where it is none."""
    stripped = text.lstrip("\ufeff").strip()
    first = stripped.split("\n", 1)[0]

    class Parted(csv.excel):
        delimiter = max(",;\t", key=first.count)

    try:
        return [row for row in csv.reader(io.StringIO(stripped), dialect=Parted) if any(row)]
    except csv.Error as error:  # a cell of 131,072 characters or more, a carriage return in one
        raise Refused([Problem("csv", str(error), "cells with a number each")]) from error


def number_in(cell: str) -> float | None:
    """A finite number, a comma taken as the decimal point; None for anything else."""
    try:
        value = float(cell.strip().replace(",", "."))
    except ValueError:
        return None
    return value if math.isfinite(value) else None
