"""The wheel: installed in a fresh virtual environment, it brings all but PostgreSQL."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import unittest
from pathlib import Path

import httpx

from tests.marks import exhaustive
from tests.parts import PATIENCE_S, folder

HERE = Path(__file__).parents[2]
OF_NODE = ("node", "npm", "npx", "corepack")


def without_node(into: Path) -> str:
    """PATH, with links to all but Node.js in place of the folders that have one."""
    into.mkdir()
    kept = []
    for folder_on_path in map(Path, os.environ["PATH"].split(os.pathsep)):
        if not (folder_on_path / "node").exists():
            kept.append(str(folder_on_path))
            continue
        for tool in folder_on_path.iterdir():
            if tool.name not in OF_NODE and not (into / tool.name).exists():
                (into / tool.name).symlink_to(tool)
    return os.pathsep.join([*kept, str(into)])


@exhaustive
class WheelTests(unittest.TestCase):
    def test_it_serves_pages_and_sample_world_where_no_node_is(self) -> None:
        with folder() as home:
            wheel = self.build(home / "dist")
            environment = home / "venv"
            uv = [sys.executable, "-m", "uv"]
            subprocess.run([*uv, "venv", "-q", "--python", sys.executable, environment], check=True)
            subprocess.run(
                [*uv, "pip", "install", "-q", "--python", environment / "bin" / "python", wheel],
                check=True,
            )  # fmt: skip
            clean = {
                name: value for name, value in os.environ.items()
                if not name.startswith(("PYTHON", "VAPOCLINE_"))
            }  # fmt: skip
            process = subprocess.Popen(
                [environment / "bin" / "vapocline", "demo", "--data-dir", home / "data"],
                cwd=home,
                env=clean | {"PATH": without_node(home / "bin"), "VAPOCLINE_MEMBERS": "8",
                             "PYTHONUNBUFFERED": "1"},
                stdout=subprocess.PIPE,
                stderr=subprocess.STDOUT,
                text=True,
            )  # fmt: skip
            said = self.address_of(process)
            try:
                page = httpx.get(said, timeout=PATIENCE_S).text
                script = re.search(r'src="(/assets/[^"]+\.js)"', page)
                assert script, page
                self.assertEqual(httpx.get(said + script[1], timeout=PATIENCE_S).status_code, 200)
                shots = httpx.get(f"{said}/api/shots", timeout=PATIENCE_S).json()
                self.assertTrue(shots)
            finally:
                process.send_signal(signal.SIGINT)
                process.communicate(timeout=PATIENCE_S)
            self.assertEqual(process.returncode, 0)

    def build(self, into: Path) -> Path:
        subprocess.run([HERE / "vapo", "wheel", into], check=True, stdout=subprocess.DEVNULL)
        (wheel,) = into.glob("vapocline-*.whl")
        return wheel

    def address_of(self, process: subprocess.Popen[str]) -> str:
        said = []
        assert process.stdout
        for line in process.stdout:
            said.append(line)
            if found := re.search(r"Vapocline is at (http://[\d.:]+)", line):
                return found[1]
        raise AssertionError("".join(said))
