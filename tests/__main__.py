"""Run every test, or one room's: python -m tests [room]. The last line says how many ran.

Asked for nothing, four processes share them: tests of devices and pages mostly wait, so two cores
serve four well.
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
# What each process runs, and how many tests of pages that is worth: the pages' own go, file by
# file, to whoever has least to do.
SHARES = (
    (("core", "store"), 70),
    (("command", "devices"), 50),
    (("desk", "api"), 55),
    ((), 0),
)

Counts = dict[str, int]


def main() -> int:
    """Exit code 0 when all passed, 1 when not, 2 for a room there is none of."""
    asked = sys.argv[1:]
    counted = asked and asked[0].startswith("--counts=") and asked.pop(0).split("=", 1)[1]
    if unknown := [one for one in asked if one.split("/")[0] not in ROOMS]:
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


def run(asked: list[str]) -> Counts:
    """Run some rooms' tests, or single files' as "web/test_pull.py", in this process."""
    suite = unittest.TestSuite(_found(one) for one in asked)
    result = unittest.TextTestRunner(verbosity=1, buffer=True).run(suite)
    close_all()
    wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return {"ran": result.testsRun, "wrong": wrong, "skipped": len(result.skipped)}


def _found(one: str) -> unittest.TestSuite:
    room, _, file = one.partition("/")
    loader = unittest.TestLoader()
    top = str(HERE.parent)
    return loader.discover(str(HERE / room), pattern=file or "test*.py", top_level_dir=top)


def shares() -> list[list[str]]:
    """What each process runs: every room and every file of the pages' tests once."""
    found, load = [list(rooms) for rooms, _ in SHARES], [worth for _, worth in SHARES]
    files = sorted((HERE / "web").glob("test_*.py"), key=_tests_in, reverse=True)
    for file in files:
        least = load.index(min(load))
        found[least].append(f"web/{file.name}")
        load[least] += _tests_in(file)
    return found


def _tests_in(file: Path) -> int:
    return file.read_text().count("    def test_")


def beside_each_other() -> Counts:
    """Run the shares in processes of their own; what each says is printed whole when it ends."""
    total: Counts = {"ran": 0, "wrong": 0, "skipped": 0}
    with tempfile.TemporaryDirectory() as folder:
        started = []
        for number, rooms in enumerate(shares()):
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
