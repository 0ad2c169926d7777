"""Measure and print tables: python -m benchmarks [core] [web] [live] and so on, by their names.

The long ones take some minutes: only when asked for.
"""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable

from benchmarks.advising import advising_rows
from benchmarks.beginning import beginning_rows
from benchmarks.claims import claims_rows
from benchmarks.core import core_rows
from benchmarks.coverage import coverage_rows
from benchmarks.faults import print_faults
from benchmarks.learning import learning_rows
from benchmarks.live import live_rows
from benchmarks.preparing import preparing_rows
from benchmarks.reading import reading_rows
from benchmarks.scale import print_scale
from benchmarks.stop import stop_rows
from benchmarks.timing import Row, printed
from benchmarks.web import web_rows

TABLES: dict[str, Callable[[], list[Row]]] = {
    "core": core_rows,
    "web": web_rows,
    "live": lambda: live_rows() + stop_rows(),
}
LONG: dict[str, Callable[[], None]] = {
    "faults": print_faults,
    "scale": print_scale,
    "begin": lambda: printed(beginning_rows()),
    "coverage": lambda: printed(coverage_rows()),
    "read": lambda: printed(reading_rows()),
    "advise": lambda: printed(advising_rows()),
    "learn": lambda: printed(learning_rows()),
    "prepare": lambda: printed(preparing_rows()),
    "claims": lambda: printed(claims_rows()),
}


def main() -> int:
    """Run what was asked for, or everything. Returns 2 for a part there is none of."""
    asked = sys.argv[1:] or list(TABLES)
    known = [*TABLES, *LONG]
    if unknown := [name for name in asked if name not in known]:
        print(f"nothing named {', '.join(unknown)}; there are {', '.join(known)}", file=sys.stderr)
        return 2
    cores = len(os.sched_getaffinity(0))
    print(f"{cores} cores, {platform.machine()}, Python {platform.python_version()}", flush=True)
    if rows := [row for name in asked if name in TABLES for row in TABLES[name]()]:
        printed(rows)
    for name in asked:
        if name in LONG:
            LONG[name]()
    return 0


if __name__ == "__main__":
    sys.exit(main())
