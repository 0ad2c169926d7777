"""The start command: serves, keeps data, stops all it started, refuses what would do harm."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import socket
import subprocess
import sys
import unittest
from collections.abc import Iterator
from pathlib import Path

import httpx

from tests.parts import PATIENCE_S, folder, fresh_database, wait_for


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
def started(*words: str, env: dict[str, str] | None = None) -> Iterator[Started]:
    process = subprocess.Popen(
        [sys.executable, "-m", "vapocline.cli", *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env=os.environ | {"PYTHONUNBUFFERED": "1"} | (env or {}),
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


class Start(unittest.TestCase):
    def test_it_serves_and_told_to_end_it_stops_everything_and_the_data_are_kept(self) -> None:
        with folder() as home:
            where = ("--data-dir", str(home / "d"))
            with started("start", *where) as first:
                answer = httpx.post(
                    f"{first.address}/api/profiles", json={"name": "Kept"}, timeout=90
                )
                self.assertEqual(answer.status_code, 201)
                self.assertTrue(children_in(home), "a cluster runs in the folder")
                self.assertIn("Stopped.", first.stop(signal.SIGINT))
                self.assertEqual(first.process.returncode, 0)
            wait_for(lambda: not children_in(home), "the cluster to be gone")
            with started("start", *where) as second:
                names = [
                    one["name"]
                    for one in httpx.get(f"{second.address}/api/profiles", timeout=90).json()
                ]
                self.assertEqual(names, ["Kept"])
                self.assertIn("Stopped.", second.stop(signal.SIGTERM))
            wait_for(lambda: not children_in(home), "the cluster to be gone")
            with started("start", *where, "--fresh") as third:
                self.assertEqual(httpx.get(f"{third.address}/api/profiles", timeout=90).json(), [])
                self.assertIn("What was there is now in", "\n".join(third.said))
            self.assertEqual(len(list(home.glob("d.until-*"))), 1)

    def test_the_demo_brings_the_sample_world_and_a_second_start_adds_nothing(self) -> None:
        with folder() as home:
            counts = []
            for _ in range(2):
                with started("demo", "--data-dir", str(home / "d")) as demo:
                    shots = httpx.get(f"{demo.address}/api/shots", timeout=90).json()
                    profiles = httpx.get(f"{demo.address}/api/profiles", timeout=90).json()
                    bench = httpx.get(f"{demo.address}/api/bench", timeout=90).json()
                    counts.append((len(shots), len(profiles)))
            self.assertEqual(counts[0], counts[1])
            self.assertEqual(bench["name"], "Lantern Quay, bench 1")
            self.assertTrue(all(shot["state"] == "done" for shot in shots))
            self.assertGreaterEqual(sum(bool(shot["tastings"]) for shot in shots), 3)

    def test_one_folder_serves_one_vapocline(self) -> None:
        with folder() as home:
            where = ("--data-dir", str(home / "d"))
            with started("start", *where), started("start", *where) as second:
                self.assertIn("Another Vapocline is running on", "\n".join(second.said))
                self.assertEqual(second.process.wait(PATIENCE_S), 1)

    def test_a_port_that_is_taken_is_said(self) -> None:
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

    def test_with_a_database_by_url_it_starts_none(self) -> None:
        with folder() as home:
            env = {"VAPOCLINE_DATABASE_URL": fresh_database()}
            with started("start", "--data-dir", str(home / "d"), env=env) as given:
                self.assertNotIn("Starting PostgreSQL", "\n".join(given.said))
                self.assertEqual(httpx.get(f"{given.address}/api/profiles", timeout=90).json(), [])
            self.assertFalse((home / "d").exists())
            with started("start", "--fresh", env=env) as refused:
                self.assertIn("not a database by URL", "\n".join(refused.said))
