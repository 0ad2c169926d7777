"""Pulling by hand in the browser: cues by the keyboard, a lever, a machine without a connection."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.factories import profile
from tests.web.at_the_machine import AtTheMachine
from vapocline.core.profile.profile import (
    Exit,
    FirstDripExit,
    ForceCommand,
    Phase,
    PressureBelowExit,
    Profile,
    SecondsExit,
)
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.read.review import review_shot
from vapocline.desk.shelf.connections import Connections, write_connections

DIVE = Profile.model_validate(
    {
        "name": "Dive",
        "stop": {"cup_g": 30, "time_s": 290},
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
                "exits": [{"when": "seconds", "value": 280}],
            },
        ],
    }
)


def lever_sheet(*soaked: Exit, cup_g: float) -> Profile:
    """Press 8 kg until one of the exits given, then 16 kg."""
    soak = Phase(
        name="Soak", kind="pre-infusion", command=ForceCommand(from_=8, to=8), exits=soaked
    )
    press = Phase(
        name="Press",
        kind="hold",
        command=ForceCommand(from_=16, to=16),
        exits=(SecondsExit(value=180),),
    )
    return profile(soak, press, cup_g=cup_g, time_s=290)


class ByHand(AtTheMachine):
    def test_a_lever_is_worked_through_its_cue_sheet_by_the_keyboard_alone(self) -> None:
        self.put("Oarlock")
        page = self.page
        sheet = lever_sheet(FirstDripExit(), SecondsExit(value=100), cup_g=25)
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
        page.keyboard.press("y")
        page.keyboard.press("Shift+ArrowUp")
        for _ in range(3):
            page.keyboard.press("ArrowUp")
        expect(pad).to_have_attribute("aria-valuenow", "16")
        expect(page.locator("[data-to-go]")).to_contain_text("past the stop")
        page.keyboard.press("x")
        expect(page.locator("[data-followed]")).to_contain_text("bar off on average")
        reviewed = review_shot(self.app, self.newest()).followed
        assert reviewed
        shown = page.locator("[data-followed]").get_attribute("data-followed")
        self.assertEqual(shown, f"{reviewed.score:g}")
        page.get_by_role("button", name=re.compile("What happened")).click()
        marked = page.locator("[data-log=marked]")
        expect(marked.filter(has_text="first drip seen")).to_have_count(1)
        expect(marked.filter(has_text="a dry side")).to_have_count(1)

    def test_a_pressure_to_fall_to_is_not_met_before_it_was_above(self) -> None:
        self.put("Oarlock")
        sheet = lever_sheet(PressureBelowExit(value=2), SecondsExit(value=200), cup_g=200)
        page = self.page
        page.goto(f"/pull/{self.started('Falls', sheet)}/1")
        self.start_the_pump()
        met = page.locator("[data-part='cue'][data-met]")
        expect(page.locator("[data-reading=Pressure]")).to_be_visible()
        self.reads("Time", "x > 3")
        expect(met).to_have_count(0)  # it fills: no pressure yet
        for _ in range(8):
            page.keyboard.press("ArrowUp")
        self.reads("Pressure", "x > 2.5")
        expect(met).to_have_count(0)
        for _ in range(8):
            page.keyboard.press("ArrowDown")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Press 16 kg")
        page.keyboard.press("x")
        expect(page.get_by_text("Stopped")).to_be_visible()

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

    def test_a_machine_not_connected_is_pulled_by_its_cues_and_weighed_by_hand(
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
        armed = page.locator("[data-part=armed]")
        expect(armed).to_contain_text("Lever down, pump off")
        page.keyboard.press("g")
        expect(armed).to_have_count(0)
        expect(page.locator("[data-figure='Peak pressure']")).to_contain_text("unknown")
        expect(page.locator("[data-figure='First drip'] b")).to_be_visible()
        expect(page.get_by_role("link", name="Tidy it into a profile")).to_have_count(0)
        page.get_by_label("Weighed drink").fill("29.5")
        expect(page.locator("[data-figure='Yield'] b")).to_have_text("29.5")
        expect(page.locator("[data-figure='Ratio'] b")).to_have_text("1.64")
        self.assertEqual(self.violations(page), [])
