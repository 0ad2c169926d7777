"""The start command: serves, keeps data, stops all it started, refuses what would do harm."""

from __future__ import annotations

import contextlib
import os
import pty
import re
import signal
import socket
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

import httpx

from tests.factories import EVERY_CHECK, pressure, profile
from tests.marks import is_exhaustive, more_cases
from tests.parts import MEMBERS, PATIENCE_S, folder, fresh_database, sample_world, wait_for
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import open_resources
from vapocline.desk.read.shots import read_shot
from vapocline.runtime.processes import database_of

FOR_TESTS = {"PYTHONUNBUFFERED": "1", "VAPOCLINE_MEMBERS": str(MEMBERS)}


class Started:
    """A running start command: its address, and all it has said."""

    def __init__(self, process: subprocess.Popen[str], said: list[str]) -> None:
        self.process = process
        self.said = said
        found = re.search(r"http://[\d.:]+", said[-1])
        self.address = found.group() if found else ""

    def stop(self, how: signal.Signals) -> str:
        self.process.send_signal(how)
        rest, _ = self.process.communicate(timeout=PATIENCE_S)
        return rest


@contextlib.contextmanager
def started(
    *words: str, env: dict[str, str] | None = None, stdin: int | None = None
) -> Iterator[Started]:
    process = subprocess.Popen(
        [sys.executable, "-m", "vapocline.cli", *words],
        stdin=stdin,
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env=os.environ | FOR_TESTS | (env or {}),
    )
    try:
        said: list[str] = []
        assert process.stdout
        for line in process.stdout:
            said.append(line.rstrip())
            if "Vapocline is at" in line:
                break
        yield Started(process, said)
    finally:
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
            process.wait(PATIENCE_S)
        if process.stdout:
            process.stdout.close()


def children_in(home: Path) -> list[str]:
    """Command lines of processes that mention a folder."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            with contextlib.suppress(OSError):
                words = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode()
                if str(home) in words and "vapocline.cli" not in words:
                    found.append(words)
    return found


def profiles_at(address: str) -> list[str]:
    answer = httpx.get(f"{address}/api/profiles", timeout=PATIENCE_S).json()
    return [one["name"] for one in answer]


class Start(unittest.TestCase):
    def test_it_serves_a_folder_once_ends_in_mid_shot_asking_at_a_terminal_and_keeps_the_data(
        self,
    ) -> None:
        with folder() as home:
            where = ("--data-dir", str(home / "d"))
            with started("start", *where) as first:
                answer = httpx.post(
                    f"{first.address}/api/profiles", json={"name": "Kept"}, timeout=PATIENCE_S
                )
                self.assertEqual(answer.status_code, 201)
                self.assertTrue(children_in(home), "a cluster runs in the folder")
                (home / "link").symlink_to(home / "d")  # another path to the same
                with started("start", "--data-dir", str(home / "link")) as second:
                    self.assertIn("Another Vapocline is running on", "\n".join(second.said))
                    self.assertEqual(second.process.wait(PATIENCE_S), 1)
                number = self.pulling(first.address)
                rest = first.stop(signal.SIGTERM)
                self.assertIn(f"Stopping shot {number} and saving it", rest)
                self.assertIn("Stopped.", rest)
                self.assertEqual(first.process.returncode, 0)
            wait_for(lambda: not children_in(home), "the cluster to be gone")
            terminal, end = pty.openpty()
            self.addCleanup(os.close, terminal)
            with started("start", *where, stdin=end) as third:
                os.close(end)
                self.assertEqual(profiles_at(third.address), ["Kept", "Press"])
                self.assertEqual(self.ended(third.address, number), ("done", "hand"))
                again = self.pulling(third.address, "Again")
                self.asked_once(third, again)
                self.assertIn(f"Stopping shot {again}", third.stop(signal.SIGINT))
            wait_for(lambda: not children_in(home), "the cluster to be gone")
            with (
                database_of(home / "d") as url,
                contextlib.closing(open_resources(url)) as resources,
            ):
                self.assertEqual(read_shot(open_bench(resources), again).state, "done")

    def ended(self, address: str, number: int) -> tuple[str, str]:
        """How a shot's record ended, and who stopped it."""
        shot = httpx.get(f"{address}/api/shots/{number}", timeout=PATIENCE_S).json()
        return shot["state"], shot["events"][-1]["reason"]

    def asked_once(self, ours: Started, number: int) -> None:
        """Ctrl-C at a terminal in mid shot only asks."""
        ours.process.send_signal(signal.SIGINT)
        assert ours.process.stdout
        self.assertIn("Ctrl-C again stops the pump", ours.process.stdout.readline())
        path = f"{ours.address}/api/shots/{number}"
        self.assertEqual(httpx.get(path, timeout=PATIENCE_S).json()["state"], "running")

    @more_cases
    def test_the_demo_brings_the_sample_world_and_a_database_by_url_needs_no_other(self) -> None:
        """The exhaustive tests build the sample data here; the usual ones use the copy that all
        tests share."""
        with folder() as home:
            template = "vapocline" if is_exhaustive() else sample_world()
            env = {"VAPOCLINE_DATABASE_URL": fresh_database(template)}
            with started("demo", "--data-dir", str(home / "d"), env=env) as demo:
                self.assertNotIn("Starting PostgreSQL", "\n".join(demo.said))
                shots = httpx.get(f"{demo.address}/api/shots", timeout=PATIENCE_S).json()
                bench = httpx.get(f"{demo.address}/api/bench", timeout=PATIENCE_S).json()
                self.assertIn("Steady nine", profiles_at(demo.address))
            self.assertEqual(bench["name"], "Lantern Quay, bench 1")
            self.assertTrue(all(shot["state"] == "done" for shot in shots))
            self.assertGreaterEqual(sum(bool(shot["tastings"]) for shot in shots), 3)
            self.assertFalse((home / "d").exists())
            with started("start", "--fresh", env=env) as refused:
                self.assertIn("not a database by URL", "\n".join(refused.said))

    def pulling(self, address: str, name: str = "Press") -> int:
        """A shot that runs until it is stopped."""
        client = httpx.Client(base_url=address, timeout=PATIENCE_S)
        self.addCleanup(client.close)
        document = profile(pressure(4, name="Press"), cup_g=None, time_s=280).written()
        made = client.post("/api/profiles", json={"name": name, "profile": document}).json()
        asked = {"profile_id": made["profile_id"], "number": 1, "despite": sorted(EVERY_CHECK)}
        number: int = client.post("/api/shots", json=asked).json()["id"]
        path = f"/api/shots/{number}"
        wait_for(lambda: client.get(path).json()["traces"]["time_s"], "samples")
        return number

    def test_a_port_that_is_taken_is_reported(self) -> None:
        with folder() as home, socket.create_server(("127.0.0.1", 0)) as taken:
            port = str(taken.getsockname()[1])
            with started("start", "--data-dir", str(home / "d"), "--port", port) as refused:
                self.assertIn(f"Port {port} is taken", "\n".join(refused.said))
                self.assertEqual(refused.process.wait(PATIENCE_S), 1)
            self.assertFalse((home / "d").exists())

    def test_a_folder_that_is_not_ours_is_never_cleared(self) -> None:
        with folder() as home:
            (home / "letters.txt").write_text("dear")
            with started("start", "--data-dir", str(home), "--fresh") as refused:
                self.assertIn("is not a folder of Vapocline's", "\n".join(refused.said))
            self.assertTrue((home / "letters.txt").exists())
