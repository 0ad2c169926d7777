"""Run every test, or one room's: python -m tests [room]. The last line says how many ran."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path

from tests.parts import close_all

HERE = Path(__file__).parent
ROOMS = ("core", "store", "devices", "desk", "api", "command", "web")


def main() -> int:
    """Exit code 0 when all passed, 1 when not, 2 for a room there is none of."""
    asked = sys.argv[1:]
    if unknown := [room for room in asked if room not in ROOMS]:
        print(f"no room named {', '.join(unknown)}; there are {', '.join(ROOMS)}", file=sys.stderr)
        return 2
    loader = unittest.TestLoader()
    suite = unittest.TestSuite(
        loader.discover(str(HERE / room), top_level_dir=str(HERE.parent)) for room in asked or ROOMS
    )
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(suite)
    close_all()
    wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = f", {len(result.skipped)} skipped" if result.skipped else ""
    ran = result.testsRun
    print(
        f"{ran} tests ran, {wrong} failed{skipped}"
        if wrong
        else f"{ran} tests ran, all passed{skipped}"
    )
    return 1 if wrong or not ran else 0


if __name__ == "__main__":
    sys.exit(main())
