"""Run every test, or one room's: python -m tests [room]. The last line says how many ran.

Asked for nothing, the pages' tests run beside all others: two cores are kept busy.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from tests.parts import close_all

HERE = Path(__file__).parent
ROOMS = ("core", "store", "devices", "desk", "api", "command", "web")
SHARES = (ROOMS[:-1], ROOMS[-1:])  # about as long as one another

Counts = dict[str, int]


def main() -> int:
    """Exit code 0 when all passed, 1 when not, 2 for a room there is none of."""
    asked = sys.argv[1:]
    counted = asked and asked[0].startswith("--counts=") and asked.pop(0).split("=", 1)[1]
    if unknown := [room for room in asked if room not in ROOMS]:
        print(f"no room named {', '.join(unknown)}; there are {', '.join(ROOMS)}", file=sys.stderr)
        return 2
    counts = run(asked) if asked else beside_each_other()
    if counted:
        Path(counted).write_text(json.dumps(counts))
    else:
        skipped = f", {counts['skipped']} skipped" if counts["skipped"] else ""
        how = f"{counts['wrong']} failed" if counts["wrong"] else "all passed"
        print(f"{counts['ran']} tests ran, {how}{skipped}")
    return 1 if counts["wrong"] or not counts["ran"] else 0


def run(rooms: list[str]) -> Counts:
    """Run some rooms' tests in this process."""
    loader = unittest.TestLoader()
    suite = unittest.TestSuite(
        loader.discover(str(HERE / room), top_level_dir=str(HERE.parent)) for room in rooms
    )
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(suite)
    close_all()
    wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return {"ran": result.testsRun, "wrong": wrong, "skipped": len(result.skipped)}


def beside_each_other() -> Counts:
    """Run the shares in processes of their own; what each says is printed whole when it ends."""
    total: Counts = {"ran": 0, "wrong": 0, "skipped": 0}
    with tempfile.TemporaryDirectory() as folder:
        started = []
        for number, rooms in enumerate(SHARES):
            counts, said = Path(folder, f"counts-{number}"), Path(folder, f"said-{number}")
            command = [sys.executable, "-m", "tests", f"--counts={counts}", *rooms]
            with said.open("w") as out:
                process = subprocess.Popen(command, stdout=out, stderr=subprocess.STDOUT)
            started.append((process, counts, said, rooms))
        for process, counts, said, rooms in started:
            process.wait()
            print(f"\n{', '.join(rooms)}:\n{said.read_text()}", flush=True)
            if not counts.exists():  # it broke before it could count
                total["wrong"] += 1
                continue
            for name, number in json.loads(counts.read_text()).items():
                total[name] += number
    return total


if __name__ == "__main__":
    sys.exit(main())
