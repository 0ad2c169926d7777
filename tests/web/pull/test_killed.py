"""The whole application killed in mid shot, and what the next one makes of it."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
from itertools import pairwise
from typing import ClassVar

from playwright.sync_api import expect

from tests.factories import pressure, profile
from tests.marks import exhaustive
from tests.parts import MEMBERS, PATIENCE_S, url_of, wait_for
from tests.web.pages import InBrowser
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.read.shots import list_shots, read_shot

SERVER = """
import sys, uvicorn
from vapocline.runtime.settings import Settings
from vapocline.runtime.startup import application
url, machine, port, members = sys.argv[1:5]
app = application(Settings(database_url=url, simulated_machine=machine, members=members))
uvicorn.run(app, port=int(port), log_level="critical", ws="websockets-sansio")
"""


class Killed(InBrowser):
    """The whole application killed in mid shot: what came is kept, and the next one goes on."""

    speed: ClassVar[float] = 2.0

    def serve(self, port: int) -> subprocess.Popen[bytes]:
        url = url_of(self.app)
        machine = str(self.app.resources.simulators.machine)
        process = subprocess.Popen(
            [sys.executable, "-c", SERVER, url, machine, str(port), str(MEMBERS)]
        )
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        request = self.context.request

        def answers() -> bool:
            try:
                return request.get(f"http://127.0.0.1:{port}/api/health").ok
            except Exception:
                return False

        wait_for(answers, "the server", patience_s=4 * PATIENCE_S)
        return process

    @exhaustive
    def test_a_shot_whose_vapocline_is_killed_is_taken_up_by_the_next_without_a_gap(self) -> None:
        self.provokes_refusals = True
        self.heard = lambda *_said: None  # type: ignore[method-assign]  # the lost line is the test
        port = free_port()
        process = self.serve(port)
        page = self.page
        long = profile(pressure(4, name="Press"), cup_g=None, time_s=120)
        made = start_profile(self.app, NewProfile(name="Killed", profile=long))
        page.goto(f"http://127.0.0.1:{port}/pull/{made.profile_id}/1")
        self.start_the_pump()
        expect(page.locator("[data-part='cue']")).to_contain_text("Press")
        os.kill(process.pid, signal.SIGKILL)
        process.wait()
        expect(page.get_by_text("Connection to Vapocline lost")).to_be_visible()
        self.serve(port)
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        shot = read_shot(self.app, list_shots(self.app, limit=1)[0].id)
        self.assertEqual(shot.state, "done")
        steps = [round(b - a, 3) for a, b in pairwise(shot.traces.time_s)]
        self.assertEqual(set(steps), {0.05})
        page.get_by_role("button", name=re.compile("What happened")).click()
        expect(page.locator("[data-log=recording_resumed]")).to_contain_text("recording resumed")

    @exhaustive
    def test_a_shot_whose_machine_is_gone_too_is_kept_and_offered(self) -> None:
        self.provokes_refusals = True
        self.heard = lambda *_said: None  # type: ignore[method-assign]
        number = list_shots(self.app, limit=1)[0].id
        with self.app.resources.engine.begin() as connection:
            connection.exec_driver_sql(
                "update shots set state = 'running', token = 'gone' where id = %s", (number,)
            )
        port = free_port()
        self.serve(port)
        page = self.page
        page.goto(f"http://127.0.0.1:{port}/pull/4/3")
        expect(page.get_by_text(f"Shot {number}, ")).to_contain_text("was cut off")
        page.get_by_role("link", name="View", exact=True).click()
        page.wait_for_url("**/read/*")
        expect(page.get_by_text(f"shot {number}, incomplete")).to_be_visible()
        page.goto(f"http://127.0.0.1:{port}/pull/4/3")
        expect(page.get_by_role("button", name="Start the pump")).to_be_visible()
        expect(page.get_by_text("was cut off")).to_have_count(0)


def free_port() -> int:
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        return int(unused.getsockname()[1])
