"""Run every test, or some: python -m tests [room | room/folder | room/file.py] … The last line says
how many ran.

Worker processes take one test file after the other, the slowest first, so that no core waits; they
share one database cluster. Tests of devices and pages mostly wait: twice as many workers as cores.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
import threading
import time
import unittest
from collections.abc import Iterable
from pathlib import Path
from queue import Empty, SimpleQueue

from tests.parts import CLUSTER, close_all, cluster

HERE = Path(__file__).parent
ROOMS = ("core", "store", "devices", "desk", "api", "runtime", "command", "house", "web")
SLOWEST = (  # begun first; what else is slow has many tests
    "core/plan/test_translation.py",
    "command/test_start.py",
    "core/plan/test_styles.py",
    "core/puck/test_reference.py",
    "core/pull/test_hands.py",
)
WORKER = "--worker"

Counts = dict[str, int]


def main() -> int:
    """Exit code 0 when all passed, 1 when not, 2 for what there is none of."""
    asked = sys.argv[1:]
    if asked == [WORKER]:
        return work()
    found = [file for one in asked or ROOMS for file in files_of(one)]
    if unknown := [one for one in asked if not files_of(one)]:
        print(
            f"no tests at {', '.join(unknown)}; the rooms are {', '.join(ROOMS)}", file=sys.stderr
        )
        return 2
    counts = share(sorted(set(found), key=_rank))
    skipped = f", {counts['skipped']} skipped" if counts["skipped"] else ""
    how = f"{counts['wrong']} failed" if counts["wrong"] else "all passed"
    print(f"{counts['ran']} tests ran, {how}{skipped}")
    return 1 if counts["wrong"] or not counts["ran"] else 0


def files_of(one: str) -> list[str]:
    """The test files of a room, a folder or a file, by their paths below tests/."""
    place = HERE / one
    found = [place] if place.is_file() else place.rglob("test_*.py")
    return [str(file.relative_to(HERE)) for file in found]


def _rank(file: str) -> tuple[int, int]:
    if file in SLOWEST:
        return 0, SLOWEST.index(file)
    return 1, -(HERE / file).read_text().count("    def test_") * (3 if "web/" in file else 1)


def share(files: list[str]) -> Counts:
    """Run files in worker processes; what each file says is printed whole when it ends."""
    pages, others = (
        queue_of(f for f in files if "web/" in f),
        queue_of(f for f in files if "web/" not in f),
    )
    total: Counts = {"ran": 0, "wrong": 0, "skipped": 0}
    workers = min(len(files), 2 * (os.cpu_count() or 1))
    environment = os.environ | {CLUSTER: cluster().as_json()}
    lock = threading.Lock()

    def feed(*queues: SimpleQueue[str]) -> None:
        worker = subprocess.Popen(
            [sys.executable, "-m", "tests", WORKER],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env=environment,
        )
        assert worker.stdin
        assert worker.stdout
        for waiting in queues:
            while (file := next_of(waiting)) is not None:
                with contextlib.suppress(BrokenPipeError):
                    worker.stdin.write(file + "\n")
                    worker.stdin.flush()
                line = worker.stdout.readline()
                with lock:
                    _report(file, line, total)
                if not line:
                    return  # it broke: the others go on
        worker.stdin.close()
        worker.wait()

    # A browser leaves an event loop in its process: whoever drives pages does nothing else after.
    feeding = [
        threading.Thread(target=feed, args=(pages,) if number % 2 else (others, pages))
        for number in range(workers)
    ]
    if workers == 1:
        feeding = [threading.Thread(target=feed, args=(others, pages))]
    for thread in feeding:
        thread.start()
    for thread in feeding:
        thread.join()
    for waiting in (others, pages):
        while (file := next_of(waiting)) is not None:
            _report(file, "", total)  # no worker was left to run it
    close_all()
    return total


def queue_of(files: Iterable[str]) -> SimpleQueue[str]:
    """Files that wait for a worker."""
    waiting: SimpleQueue[str] = SimpleQueue()
    for file in files:
        waiting.put(file)
    return waiting


def next_of(waiting: SimpleQueue[str]) -> str | None:
    """The next file, None when there is none left."""
    try:
        return waiting.get_nowait()
    except Empty:
        return None


def _report(file: str, line: str, total: Counts) -> None:
    if not line:
        total["wrong"] += 1
        print(f"{file}: its process ended before it could say how it went", flush=True)
        return
    answer = json.loads(line)
    for name in total:
        total[name] += answer[name]
    said = answer["said"] if answer["wrong"] else ""
    print(f"{file}: {answer['ran']} in {answer['took_s']:.1f} s\n{said}", end="", flush=True)


def work() -> int:
    """Run each file named on standard input, and answer each with a line of JSON."""
    answers, sys.stdout = sys.stdout, sys.stderr
    loader = unittest.TestLoader()
    for line in sys.stdin:
        file, began, said = Path(line.strip()), time.monotonic(), io.StringIO()
        suite = loader.discover(
            str(HERE / file.parent), pattern=file.name, top_level_dir=str(HERE.parent)
        )
        result = unittest.TextTestRunner(said, verbosity=1, buffer=True).run(suite)
        wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        answer = {
            "ran": result.testsRun,
            "wrong": wrong,
            "skipped": len(result.skipped),
            "took_s": time.monotonic() - began,
            "said": said.getvalue(),
        }
        print(json.dumps(answer), file=answers, flush=True)
    close_all()
    return 0


if __name__ == "__main__":
    sys.exit(main())
