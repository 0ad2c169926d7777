"""Pulling in the browser: checks, a nudge, the hand on the level, cues by the keyboard, a crash."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
from itertools import pairwise
from typing import ClassVar

from playwright.sync_api import Page, expect

from tests.factories import pressure, profile
from tests.parts import url_of, wait_for
from tests.web.pages import PHONE, InBrowser
from vapocline.core.profile.profile import FirstDripExit, ForceCommand, Phase, Profile, SecondsExit
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import NewProfile, list_profiles, start_profile
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.desk.shelf.machines import list_machines

LONG = profile(pressure(6, name="Press"), cup_g=60, time_s=100)
DIVE = Profile.model_validate(
    {
        "name": "Dive",
        "stop": {"cup_g": 30, "time_s": 90},
        "phases": [
            {
                "name": "Draw",
                "kind": "pre-infusion",
                "command": {"control": "pressure", "from": 1.2, "to": 1.2},
                "exits": [{"when": "seconds", "value": 4}],
            },
            {
                "name": "Release",
                "kind": "decline",
                "command": {"control": "spring", "springs": 1},
                "exits": [{"when": "seconds", "value": 80}],
            },
        ],
    }
)


class AtTheMachine(InBrowser):
    speed: ClassVar[float] = 3.0
    instruments: ClassVar[bool] = True

    def setUp(self) -> None:
        super().setUp()
        self.put("Sluice Two")

    def put(self, machine: str) -> None:
        """Put a machine on the bench."""
        found = {one.name: one.id for one in list_machines(self.app)}
        change_bench(self.app, BenchChange(machine_id=found[machine]))

    def started(self, name: str, document: Profile = LONG) -> int:
        there = {one.name: one.id for one in list_profiles(self.app)}
        if name in there:
            return there[name]
        return start_profile(self.app, NewProfile(name=name, profile=document)).profile_id

    def pulling(self, number: int, page: Page | None = None) -> Page:
        """A pull of a profile's first version, under way."""
        here = page or self.page
        here.goto(f"/pull/{number}/1")
        self.start_the_pump(here)
        expect(here.locator("[data-reading=Pressure] b")).not_to_have_text("0.0")
        return here

    def reads(self, name: str, what: str) -> None:
        """Wait in the page itself until a reading, x, is so: asking from here slows it down."""
        self.page.wait_for_function(
            f"""() => {{
                const x = parseFloat(document.querySelector("[data-reading='{name}'] b").innerText);
                return {what};
            }}"""
        )

    def newest(self) -> int:
        return list_shots(self.app, limit=1)[0].id


class Before(AtTheMachine):
    def test_what_is_missing_is_said_before_the_pump_starts_and_can_be_let_pass(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/pull/4/3")
        expect(page.locator("[data-check=armed][data-state=ready]")).to_be_visible()
        expect(page.locator("[data-check=cup][data-state=ready]")).to_be_visible()
        page.get_by_label("Dose weighed").fill("18.7")
        expect(page.get_by_text("18.7 g is +0.7 g off")).to_be_visible()
        page.get_by_role("button", name="Confirm all").click()
        expect(page.get_by_text("1 to go")).to_be_visible()
        before = len(list_shots(self.app))
        page.get_by_role("button", name="Start the pump").click()
        expect(page.get_by_role("alert")).to_contain_text("Not yet")
        expect(page.get_by_role("alert")).to_contain_text("+0.7 g off")
        self.assertEqual(len(list_shots(self.app)), before)
        page.get_by_role("button", name="Start all the same").click()
        page.wait_for_url("**/pull/shot/*")
        expect(page.locator("[data-done=Dose][data-flagged]")).to_contain_text("18.7 g")

    def test_a_machine_just_switched_on_counts_down(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        page.get_by_role("button", name="Switched on just now").click()
        expect(page.get_by_role("timer")).to_have_text(re.compile(r"19:\d\d|20:00"))
        expect(page.locator("[data-check=warm][data-state=missing]")).to_be_visible()
        page.get_by_label("steam too").check()
        expect(page.get_by_role("timer")).to_have_text(re.compile(r"27:\d\d|28:00"))
        page.get_by_role("button", name="not so").click()
        expect(page.locator("[data-check=warm][data-state=ready]")).to_be_visible()

    def test_what_was_confirmed_is_still_so_after_a_look_elsewhere(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        page.get_by_label("The basket is wiped dry").check()
        page.get_by_label("Dose weighed").fill("18.1")
        page.get_by_role("link", name="Change it in Plan").click()
        page.go_back()
        expect(page.get_by_label("The basket is wiped dry")).to_be_checked()
        expect(page.get_by_label("Dose weighed")).to_have_value("18.1")

    def test_no_serious_barrier_before_during_and_after_in_the_dark_and_on_a_phone(self) -> None:
        number = self.started("Barriers", profile(pressure(9, name="Press"), cup_g=20))
        for options in ({"color_scheme": "dark"}, {"viewport": PHONE}):
            page = self.new_page(self.new_context(**options))
            page.goto(f"/pull/{number}/1")
            expect(page.locator("[data-check=armed]")).to_be_visible()
            self.assertEqual(self.violations(page), [], "before")
            self.start_the_pump(page)
            expect(page.locator("[data-reading=Pressure]")).to_be_visible()
            self.assertEqual(self.violations(page), [], "during")
            expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
            expect(page.locator("[data-done]").first).to_be_visible()
            self.assertEqual(self.violations(page), [], "after")
            wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
            self.assertLessEqual(wide, 0)


class DuringTheShot(AtTheMachine):
    def test_an_automatic_shot_nudged_by_the_keyboard_becomes_a_version(self) -> None:
        page = self.pulling(self.started("Nudged"))
        self.reads("Time", "x > 8")
        page.keyboard.press("ArrowUp")
        expect(page.locator("[data-offset='0.5']")).to_have_text("+0.5 bar")
        page.keyboard.press("ArrowUp")
        expect(page.locator("[data-offset='1']")).to_be_visible()
        self.reads("Pressure", "x > 6.7")
        self.reads("In the cup", "x > 6")
        page.keyboard.press("x")
        expect(page.locator("[data-part='cue']")).to_contain_text("Stopped")
        offer = page.locator("[data-correction]")
        expect(offer).to_contain_text("press, nudged added")
        expect(offer).to_contain_text("stop weight 60 to")
        page.get_by_role("button", name="Save as v2").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("heading", name="Nudged")).to_contain_text("v2")
        self.phase("Press, nudged").last.click()  # one phase or two, as fast as the keys came
        expect(page.get_by_label("Level", exact=True)).to_have_value("7")

    def test_taking_over_by_key_pointer_and_wheel_and_giving_back(self) -> None:
        page = self.pulling(self.started("Taken"))
        page.keyboard.press("t")
        pad = page.get_by_role("slider", name="Pressure by hand")
        expect(pad).to_have_attribute("aria-valuenow", "6")
        page.keyboard.press("ArrowDown")
        expect(pad).to_have_attribute("aria-valuenow", "5.5")
        box = pad.bounding_box()
        assert box
        page.mouse.move(box["x"] + 30, box["y"] + box["height"] * 0.7)
        page.mouse.down()
        page.mouse.up()
        expect(pad).to_have_attribute("aria-valuetext", re.compile(r"^3\.\d bar"))
        page.mouse.wheel(0, -100)
        expect(pad).to_have_attribute("aria-valuetext", re.compile(r"^3\.[4-9]|^3\.5"))
        self.reads("Pressure", "x > 3 && x < 4.2")
        expect(page.locator("[data-part='cue']")).to_contain_text("by hand")
        page.keyboard.press("t")
        expect(pad).to_have_count(0)
        self.reads("Pressure", "x > 5.5")
        page.get_by_role("button", name="Stop now").click()
        page.get_by_role("button", name=re.compile("What happened")).click()
        expect(page.locator("[data-log=taken_over]")).to_contain_text("manual control: pressure")
        expect(page.locator("[data-log=given_back]")).to_be_visible()

    def test_a_held_phase_waits_and_a_skip_goes_on(self) -> None:
        two = profile(
            pressure(4, None, SecondsExit(value=60), name="Soak"),
            pressure(7, name="Press"),
            cup_g=60,
            time_s=100,
        )
        page = self.pulling(self.started("Two", two))
        page.keyboard.press("h")
        expect(page.locator("[data-part='cue']")).to_contain_text("held")
        page.keyboard.press("n")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Press")
        page.keyboard.press("b")
        page.keyboard.press("x")
        page.get_by_role("button", name=re.compile("What happened")).click()
        expect(page.locator("[data-log=marked]")).to_contain_text("blond")

    def test_a_second_page_watches_until_it_takes_the_controls(self) -> None:
        first = self.pulling(self.started("Watched"))
        second = self.new_page(self.new_context())
        second.goto(first.url)
        expect(second.get_by_text("Another page commands this shot")).to_be_visible()
        expect(second.get_by_role("button", name="Hold", exact=False)).to_have_count(0)
        second.get_by_role("button", name="Take control").click()
        expect(second.get_by_role("button", name="Hold", exact=False)).to_be_visible()
        expect(first.get_by_text("Another page commands this shot")).to_be_visible()
        first.get_by_role("button", name="Stop now").click()
        for page in (first, second):
            expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()

    def test_closing_the_page_does_not_stop_the_record(self) -> None:
        page = self.pulling(self.started("Closed", profile(pressure(9, name="Press"), cup_g=30)))
        number = self.newest()
        page.close()
        wait_for(lambda: read_shot(self.app, number).state == "done", "the end")
        self.assertGreater(len(read_shot(self.app, number).traces.time_s), 300)

    def test_a_fault_that_is_rehearsed_is_told_and_the_shot_is_stopped_by_hand(self) -> None:
        page = self.page
        page.goto(f"/pull/{self.started('Dry')}/1")
        page.get_by_role("button", name="Repeat or rehearse").click()
        page.get_by_role("button", name="What goes wrong: nothing goes wrong").click()
        page.get_by_role("option", name="the pump stalls").click()
        page.get_by_label("From, s").fill("1")
        self.start_the_pump()
        expect(page.locator("[data-trouble=no_flow]")).to_contain_text("No water is moving")
        page.keyboard.press("x")
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()


class ByHand(AtTheMachine):
    def test_a_lever_is_worked_through_its_cue_sheet_by_the_keyboard_alone(self) -> None:
        self.put("Oarlock")
        page = self.page
        sheet = profile(
            Phase(
                name="Soak",
                kind="pre-infusion",
                command=ForceCommand(from_=8, to=8),
                exits=(FirstDripExit(), SecondsExit(value=25)),
            ),
            Phase(
                name="Press",
                kind="hold",
                command=ForceCommand(from_=16, to=16),
                exits=(SecondsExit(value=60),),
            ),
            cup_g=25,
            time_s=100,
        )
        page.goto(f"/pull/{self.started('Oar', sheet)}/1")
        expect(page.get_by_label("Cue sheet")).to_contain_text("Press 8 kg, until the first drip")
        page.keyboard.press("c")
        checks = page.locator("[aria-label='Start checks']")
        expect(checks.get_by_text("all ready")).to_be_visible()
        page.keyboard.press("p")
        page.wait_for_url("**/pull/shot/*")
        cue = page.locator("[data-part='cue-now'] strong")
        expect(cue).to_have_text("Press 8 kg")
        pad = page.get_by_role("slider", name="Lever by hand")
        expect(page.locator("[data-part='pad-words']")).to_contain_text("wanted 8.0 kg")
        for _ in range(8):
            page.keyboard.press("ArrowUp")
        expect(pad).to_have_attribute("aria-valuenow", "8")
        expect(cue).to_have_text("Press 16 kg")
        page.keyboard.press("d")
        page.keyboard.press("Shift+ArrowUp")
        for _ in range(3):
            page.keyboard.press("ArrowUp")
        expect(pad).to_have_attribute("aria-valuenow", "16")
        expect(page.locator("[data-to-go]")).to_contain_text("past the stop")
        page.keyboard.press("x")
        expect(page.locator("[data-followed]")).to_contain_text("bar off on average")
        score = float(page.locator("[data-followed]").get_attribute("data-followed") or 0)
        self.assertGreater(score, 40)
        page.get_by_role("button", name=re.compile("What happened")).click()
        expect(page.locator("[data-log=marked]")).to_contain_text("first drip seen")

    def test_a_spring_lever_says_when_and_waits_for_the_hand(self) -> None:
        self.put("Gannet")
        page = self.pulling(self.started("Dive", DIVE))
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Draw the lever down")
        expect(page.locator("[data-part='cue'][data-met]")).to_be_visible()
        expect(page.locator("[data-part='cue-then']")).to_contain_text("Let the lever go")
        page.keyboard.press("g")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Let the lever go")
        self.reads("Pressure", "x > 3")
        page.keyboard.press("x")
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()

    def test_a_machine_without_a_wire_is_pulled_by_its_cues_and_its_drink_weighed_by_hand(
        self,
    ) -> None:
        self.put("Gannet")
        page = self.page
        page.goto("/shelf/machines")
        page.get_by_role("link", name=re.compile("^Gannet")).click()
        expect(page.get_by_role("form", name="Gannet")).to_be_visible()
        gannet = read_bench(self.app).machine.id
        self.addCleanup(write_connections, self.app, gannet, Connections())
        page.get_by_label("The machine is connected").uncheck()
        expect(page.get_by_label("Machine", exact=True)).to_be_hidden()
        page.get_by_role("button", name="Save connections").click()
        expect(page.get_by_text("nothing reports when a stage begins")).to_be_visible()
        page.goto(f"/pull/{self.started('By its gauge', DIVE)}/1")
        expect(page.locator("[data-check=armed][data-state=ask]")).to_be_visible()
        page.keyboard.press("c")
        page.get_by_label("Dose weighed").fill("18.0")
        page.get_by_role("button", name="Start the clock").click()
        page.wait_for_url("**/pull/shot/*")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Draw the lever down")
        expect(page.locator("[data-event=now]")).to_be_visible()
        expect(page.locator("[data-reading=Pressure]")).to_have_count(0)
        self.reads("Time", "x > 5")
        page.keyboard.press("d")
        page.keyboard.press("g")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Let the lever go")
        expect(page.get_by_role("button", name="Done: next cue")).to_have_count(0)
        expect(page.locator("[data-part='cue-then']")).to_contain_text("30 g with the drips")
        page.keyboard.press("x")
        expect(page.locator("[data-figure='Peak pressure']")).to_contain_text("unknown")
        expect(page.locator("[data-figure='First drip'] b")).to_be_visible()
        expect(page.get_by_role("link", name="Tidy it into a profile")).to_have_count(0)
        page.get_by_label("Weighed drink").fill("29.5")
        expect(page.locator("[data-figure='Yield'] b")).to_have_text("29.5")
        expect(page.locator("[data-figure='Ratio'] b")).to_have_text("1.64")
        self.assertEqual(self.violations(page), [])


class Afterwards(AtTheMachine):
    def test_a_strength_is_read_and_a_series_shows_its_spread(self) -> None:
        page = self.page
        number = self.started("Series", profile(pressure(9, name="Press"), cup_g=20))
        page.goto(f"/pull/{number}/1")
        page.get_by_role("button", name="Repeat or rehearse").click()
        page.get_by_label("Pulls", exact=True).fill("2")
        page.get_by_role("button", name="Begin").click()
        expect(page.get_by_text("pull 1 of 2")).to_be_visible()
        self.start_the_pump()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        expect(page.get_by_role("button", name="Read the refractometer")).to_be_visible()
        page.keyboard.press("r")
        expect(self.figure("Strength (TDS)")).to_have_text(re.compile(r"\d+\.\d"))
        expect(self.figure("Extraction (EY)")).to_be_visible()
        page.keyboard.press("p")
        page.wait_for_url(f"**/pull/{number}/1")
        expect(page.get_by_text("pull 2 of 2")).to_be_visible()
        self.start_the_pump()
        expect(page.locator("[data-spread=shot_time_s]")).to_be_visible()
        expect(page.get_by_text(re.compile("2 of 2 pulled"))).to_be_visible()
        page.get_by_label("Shot time, tolerance").fill("0.01")
        expect(page.locator("[data-spread=shot_time_s][data-within=false]")).to_be_visible()
        expect(page.get_by_text("more than the tolerance")).to_be_visible()

    def test_a_shot_is_tidied_looked_at_and_saved_only_when_said_so(self) -> None:
        page = self.page
        rising = pressure(3, 8, SecondsExit(value=90), over=9, name="Rise")
        self.pulling(self.started("Rough", profile(rising, cup_g=25)))
        page.get_by_role("link", name="Tidy it into a profile").click()
        page.wait_for_url("**/tidy/*")
        expect(page.get_by_text(re.compile(r"\d phases?, nine tenths"))).to_be_visible()
        before = len(list_profiles(self.app))
        page.get_by_label("Tolerance", exact=True).fill("2")
        expect(page.get_by_text(re.compile(r"^[12] phases?, nine tenths"))).to_be_visible()
        for trace in ("tidied", "predicted", "pressure_bar"):
            expect(page.locator(f"[data-trace={trace}] path").first).to_be_attached()
        self.assertEqual(len(list_profiles(self.app)), before)
        page.get_by_label("Name of the tidied profile").fill("Smooth")
        page.get_by_role("button", name="Save as a profile").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("heading", name="Smooth")).to_be_visible()

    def test_a_trace_is_brought_in_and_what_is_wrong_with_it_is_said(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/tidy")
        rows = [f"{i / 10},{min(9, i / 4):.2f},{max(0, i - 60) / 5:.1f}" for i in range(250)]
        page.get_by_label("Trace as CSV").fill("time_s,pressure_bar,cup_g\n" + "\n".join(rows))
        page.get_by_role("button", name="Tidy it").click()
        expect(page.get_by_text(re.compile("phases?, nine tenths"))).to_be_visible()
        page.reload()
        expect(page.get_by_text(re.compile("phases?, nine tenths"))).to_be_visible()
        page.get_by_role("button", name="Another recording").click()
        page.get_by_label("Trace as CSV").fill("time_s,pressure_bar\n0,1\n1,high\n2,3")
        page.get_by_role("button", name="Tidy it").click()
        expect(page.get_by_role("alert")).to_contain_text("csv.pressure_bar.3: got 'high'")
        page.get_by_role("button", name="Another recording").click()

    def test_where_devices_answer_is_set_on_the_shelf(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf")
        page.get_by_role("link", name="Millrace").click()
        expect(page.get_by_role("form", name="Millrace")).to_be_visible()
        form = page.get_by_role("form", name="Connections")
        form.get_by_label("Machine", exact=True).fill("nowhere")
        form.get_by_role("button", name="Save connections").click()
        expect(form.get_by_text("got 'nowhere'; takes host:port")).to_be_visible()
        form.get_by_label("Machine", exact=True).fill("127.0.0.1:1")
        form.get_by_role("button", name="Save connections").click()
        expect(page.get_by_text("No machine responds at 127.0.0.1:1")).to_be_visible()


SERVER = """
import sys, uvicorn
from vapocline.runtime.settings import Settings
from vapocline.runtime.startup import application
url, machine, port = sys.argv[1:4]
app = application(Settings(database_url=url, simulated_machine=machine))
uvicorn.run(app, port=int(port), log_level="critical", ws="websockets-sansio")
"""


class Killed(InBrowser):
    """The whole application killed in mid shot: what came is kept, and the next one goes on."""

    speed: ClassVar[float] = 2.0

    def serve(self, port: int) -> subprocess.Popen[bytes]:
        url = url_of(self.app)
        machine = str(self.app.resources.simulators.machine)
        process = subprocess.Popen([sys.executable, "-c", SERVER, url, machine, str(port)])
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        request = self.context.request

        def answers() -> bool:
            try:
                return request.get(f"http://127.0.0.1:{port}/api/health").ok
            except Exception:
                return False

        wait_for(answers, "the server")
        return process

    def test_a_shot_whose_vapocline_is_killed_is_taken_up_by_the_next_without_a_gap(self) -> None:
        self.provokes_refusals = True
        self.heard = lambda *_said: None  # type: ignore[method-assign]  # the lost line is the test
        port = free_port()
        process = self.serve(port)
        page = self.page
        page.goto(f"http://127.0.0.1:{port}/pull/4/3")
        self.start_the_pump()
        expect(page.locator("[data-part='cue']")).to_contain_text("Hold")
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
        expect(page.locator("[data-part='cue']")).to_contain_text("Shot incomplete")
        page.goto(f"http://127.0.0.1:{port}/pull/4/3")
        expect(page.get_by_role("button", name="Start the pump")).to_be_visible()
        expect(page.get_by_text("was cut off")).to_have_count(0)


def free_port() -> int:
    with socket.socket() as unused:
        unused.bind(("127.0.0.1", 0))
        return int(unused.getsockname()[1])
