"""Run the tests, or some: python -m tests [--exhaustive] [--changed] [room | room/folder | file] …
The last line says how many ran. `--exhaustive` runs the half that only repeats behaviours with more
cases (tests/marks.py), `--changed` what the uncommitted changes reach (tests/changed.py).

Worker processes take one test file after the other, the slowest first, so that no core waits; they
are forked once all is loaded, and share one database cluster and the simulators. Tests of devices
and pages mostly wait: a worker a core drives pages, and one more than that does the rest.
"""

from __future__ import annotations

import gc
import io
import os
import sys
import threading
import time
import unittest
from collections.abc import Iterable, Iterator
from functools import cache
from multiprocessing import get_context
from multiprocessing.connection import Connection
from pathlib import Path
from queue import Empty, SimpleQueue
from typing import Any, TypedDict

from tests import marks, parts
from tests.changed import changed_files, reached_by
from tests.fork_server import ForkServer
from vapocline.core.base.problems import VapoclineError
from vapocline.desk.context import Simulators
from vapocline.devices.simulators.machine import load_kernel

HERE = Path(__file__).parent
ROOMS = ("core", "store", "devices", "desk", "api", "runtime", "demo", "command", "house", "web")
SLOWEST = (  # begun first; what else is slow has many tests
    "core/plan/test_translation.py",
    "command/test_start.py",
    "core/plan/test_styles.py",
    "core/puck/test_reference.py",
    "desk/pull/test_pull.py",
    "api/test_pull.py",
    "desk/pull/test_recording.py",
    "desk/read/test_review.py",
    "core/pull/test_hands.py",
)

EXHAUSTIVE, CHANGED = "--exhaustive", "--changed"
FORK = get_context("fork")

Counts = dict[str, int]


class FileResult(TypedDict):
    """What a file of tests came to."""

    ran: int
    wrong: int
    skipped: int
    took_s: float
    cpu_s: float  # of its worker and what that started and saw end; shared processes apart
    said: str


def main() -> int:
    """Exit code 0 when all passed, 1 when not, 2 for what there is none of."""
    asked = [one for one in sys.argv[1:] if not one.startswith("--")]
    flags = set(sys.argv[1:]) - set(asked)
    if unknown_flags := flags - {EXHAUSTIVE, CHANGED}:
        print(f"tests take {EXHAUSTIVE} and {CHANGED}, not {', '.join(unknown_flags)}",
              file=sys.stderr)  # fmt: skip
        return 2
    os.environ[marks.VARIABLE] = "1" if EXHAUSTIVE in flags else "0"
    found = [file for one in asked or ROOMS for file in files_of(one)]
    if CHANGED in flags:
        reached = reached_by(changed_files())
        found = [file for file in found if file in reached]
        if not found:
            print("0 tests ran: no test reaches what was changed")
            return 0
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
    return [
        str(file.relative_to(HERE))
        for file in found
        if not marks.is_exhaustive() or "tests.marks" in file.read_text()
    ]


def _rank(file: str) -> tuple[int, int]:
    if file in SLOWEST:
        return 0, SLOWEST.index(file)
    return 1, -(HERE / file).read_text().count("    def test_") * (3 if "web/" in file else 1)


class Worker:
    """A process that runs the files it is sent, one after the other."""

    def __init__(self, others: Iterable[Worker], lending: threading.Lock) -> None:
        self.link, theirs = FORK.Pipe()
        not_ours = [self.link, *(other.link for other in others)]
        self.process = FORK.Process(target=work, args=(theirs, not_ours))
        self.process.start()
        theirs.close()
        self._lending = lending

    def run(self, file: str) -> FileResult | None:
        """What a file came to; None when the process ended before it could say."""
        try:
            self.link.send(file)
            while isinstance(said := self.link.recv(), tuple):  # simulators, by what they are
                self.link.send(self._lent(*said))
        except (EOFError, OSError):
            return None
        result: FileResult = said
        return result

    def _lent(self, *asked: Any) -> Simulators | VapoclineError:
        with self._lending:
            try:
                return parts.shared_simulators(*asked)
            except VapoclineError as error:  # the test that asked fails by it, and says why
                return error

    def end(self) -> None:
        """Let it end: it runs until its link is closed."""
        self.link.close()
        self.process.join()


def share(files: list[str]) -> Counts:
    """Run files in worker processes; what each file says is printed whole when it ends."""
    pages, others = (
        queue_of(f for f in files if "web/" in f),
        queue_of(f for f in files if "web/" not in f),
    )
    total: Counts = {"ran": 0, "wrong": 0, "skipped": 0}
    parts.cluster()
    load_kernel()
    gc.freeze()  # what all of them share is not looked through again by each
    parts.fork_server = fork_server = ForkServer()
    reporting, lending, workers = threading.Lock(), threading.Lock(), list[Worker]()
    for _ in range(min(len(files), 2 * (os.cpu_count() or 1) + 1)):
        workers.append(Worker(workers, lending))  # all of them before the first thread

    def feed(worker: Worker, *queues: SimpleQueue[str]) -> None:
        for waiting in queues:
            while (file := next_of(waiting)) is not None:
                result = worker.run(file)
                with reporting:
                    _report(file, result, total)
                if result is None:
                    return  # it broke: the others go on

    # A browser leaves an event loop in its process: whoever drives pages does nothing else after.
    feeding = [
        threading.Thread(target=feed, args=(one, pages) if number % 2 else (one, others, pages))
        for number, one in enumerate(workers)
    ]
    for thread in feeding:
        thread.start()
    for thread in feeding:
        thread.join()
    for waiting in (others, pages):
        while (file := next_of(waiting)) is not None:
            _report(file, None, total)  # no worker was left to run it
    for worker in workers:
        worker.end()
    fork_server.close()
    parts.close_all()
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


def _report(file: str, result: FileResult | None, total: Counts) -> None:
    if result is None:
        total["wrong"] += 1
        print(f"{file}: its process ended before it could say how it went", flush=True)
        return
    for name in total:
        total[name] += result[name]
    said = result["said"] if result["wrong"] else ""
    took = f"{result['took_s']:.1f} s, {result['cpu_s']:.1f} of processor"
    print(f"{file}: {result['ran']} in {took}\n{said}", end="", flush=True)


def work(link: Connection, not_ours: list[Connection]) -> None:
    """Run each file that is sent, and answer each with what it came to, until the link closes."""
    for theirs in not_ours:
        theirs.close()

    @cache
    def lend(*asked: Any) -> Simulators:
        link.send(asked)
        lent: Simulators | VapoclineError = link.recv()
        if isinstance(lent, VapoclineError):
            raise lent
        return lent

    parts.leave_open()
    parts.lend = lend
    sys.stdout = sys.stderr
    try:
        while True:
            link.send(run(Path(link.recv())))
    except EOFError:
        pass
    finally:
        parts.close_all()


def _processor_s() -> float:
    times = os.times()
    return times.user + times.system + times.children_user + times.children_system


def each_of(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """Every test of a suite, and of those in it."""
    for part in suite:
        if isinstance(part, unittest.TestSuite):
            yield from each_of(part)
        else:
            yield part


def run(file: Path) -> FileResult:
    """Run one file of tests."""
    said, began, used_s = io.StringIO(), time.monotonic(), _processor_s()
    every = unittest.TestLoader().discover(
        str(HERE / file.parent), pattern=file.name, top_level_dir=str(HERE.parent)
    )
    suite = unittest.TestSuite(test for test in each_of(every) if marks.belongs(test))
    result = unittest.TextTestRunner(said, verbosity=1, buffer=True).run(suite)
    wrong = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    return {
        "ran": result.testsRun,
        "wrong": wrong,
        "skipped": len(result.skipped),
        "took_s": time.monotonic() - began,
        "cpu_s": _processor_s() - used_s,
        "said": said.getvalue(),
    }


if __name__ == "__main__":
    sys.exit(main())
