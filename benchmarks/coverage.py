"""How often a forecast's range holds what happens, on hidden truths drawn wide."""

from __future__ import annotations

from benchmarks.timing import Row
from tests.devices.coverage import FIGURES, coverage

PULLS = 200


def coverage_rows() -> list[Row]:
    """For `./vapo bench coverage`."""
    rows = []
    for known in (True, False):
        found = coverage(known, PULLS)
        kind = "known" if known else "new"
        for name in FIGURES:
            wide = f"aim 80; the range is {100 * found.width[name]:.0f} % of the value"
            rows.append(Row(f"{kind} coffee: {name}", 100 * found.within[name], None, "%", wide))
    return rows
