"""Measure and print a table: python -m benchmarks [core] [web] [live]."""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable

from benchmarks.core import core_rows
from benchmarks.live import live_rows
from benchmarks.stop import stop_rows
from benchmarks.timing import Row, printed
from benchmarks.web import web_rows

PARTS: dict[str, Callable[[], list[Row]]] = {
    "core": core_rows,
    "web": web_rows,
    "live": lambda: live_rows() + stop_rows(),
}


def main() -> int:
    """Run what was asked for, or everything. Returns 2 for a part there is none of."""
    asked = sys.argv[1:] or list(PARTS)
    if unknown := [name for name in asked if name not in PARTS]:
        print(f"nothing named {', '.join(unknown)}; there are {', '.join(PARTS)}", file=sys.stderr)
        return 2
    cores = len(os.sched_getaffinity(0))
    print(f"{cores} cores, {platform.machine()}, Python {platform.python_version()}", flush=True)
    printed([row for name in asked for row in PARTS[name]()])
    return 0


if __name__ == "__main__":
    sys.exit(main())
