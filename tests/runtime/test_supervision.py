"""What ends beside the application is started again where it was."""

from __future__ import annotations

import contextlib
import dataclasses
import os
import signal
import subprocess
import sys
import unittest
from pathlib import Path
from unittest.mock import patch

import psycopg

from tests.parts import folder, wait_for
from vapocline.core.base.problems import DeviceError, VapoclineError
from vapocline.devices.line import DeviceLine
from vapocline.runtime import supervision
from vapocline.runtime.cluster import Cluster
from vapocline.runtime.processes import running
from vapocline.runtime.supervision import supervised


def simulators_of_ours() -> set[int]:
    """Simulators' processes that this one started."""
    found = set()
    for status in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            words = status.with_name("cmdline").read_bytes().split(b"\0")
            parent = int(status.read_text().rpartition(")")[2].split()[1])
            if parent == os.getpid() and b"vapocline.devices" in words:
                found.add(int(status.parent.name))
    return found


class Everything(unittest.TestCase):
    def test_the_database_and_the_simulators_come_back_where_they_were_after_kill_9(self) -> None:
        before = simulators_of_ours()
        with folder() as home, running(home / "d", None, lambda _text: None) as parts:
            cluster = Cluster(home / "d", 0, parts.database_url)
            first = cluster.pid()
            assert first
            os.kill(first, signal.SIGKILL)
            wait_for(lambda: cluster.pid() not in (None, first), "another server")
            wait_for(lambda: self.answers(parts.database_url), "the database")
            for process in simulators_of_ours() - before:
                os.kill(process, signal.SIGKILL)
            for address in dataclasses.astuple(parts.simulators):
                wait_for(lambda at=address: self.greets(at), "the simulator")
        self.assertIsNone(cluster.pid(), "asked to end, nothing is started again")

    def answers(self, url: str) -> bool:
        with contextlib.suppress(psycopg.OperationalError), psycopg.connect(url) as connection:
            return connection.execute("select 1").fetchone() == (1,)
        return False

    def greets(self, address: str) -> bool:
        with contextlib.suppress(DeviceError), DeviceLine(address):
            return True
        return False


class Stubborn:
    """A part that does not start again at first."""

    name = "the stubborn one"

    def __init__(self, refusals: int) -> None:
        self.refusals = refusals
        self.processes = [self.process()]

    def process(self) -> subprocess.Popen[bytes]:
        return subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)

    def pid(self) -> int | None:
        last = self.processes[-1]
        return last.pid if last.poll() is None else None

    def start_again(self) -> None:
        if self.refusals:
            self.refusals -= 1
            raise VapoclineError("not yet")
        self.processes.append(self.process())


class Pauses(unittest.TestCase):
    def test_what_does_not_start_is_tried_again_and_nothing_after_the_end(self) -> None:
        part = Stubborn(refusals=2)
        self.addCleanup(lambda: [one.communicate() for one in part.processes])
        with (
            patch.object(supervision, "FIRST_PAUSE_S", 0.01),
            self.assertLogs(supervision.log, "WARNING") as logged,
            supervised([part]),
        ):
            for number in (1, 2):
                part.processes[-1].kill()
                wait_for(lambda n=number: len(part.processes) > n, "another process")
        self.assertIn("the stubborn one did not start: not yet", "\n".join(logged.output))
        part.processes[-1].kill()
        part.processes[-1].wait()
        self.assertEqual(len(part.processes), 3)
