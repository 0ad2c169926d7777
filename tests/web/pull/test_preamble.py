"""A machine that wets the puck by itself: greyed in the plan, told while it runs, timed apart."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.parts import wait_for
from tests.web.at_the_machine import AtTheMachine
from vapocline.core.machine.machine import Machine, Preamble
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.machines import add_machine

OWN = Preamble(flow_ml_s=3, wet_s=2, soak_s=28)


class Preambles(AtTheMachine):
    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        add_machine(cls.app, Machine(name="Undertow", preamble=OWN))

    def test_it_is_greyed_in_the_plan_and_the_first_phase_begins_after_it(self) -> None:
        page, number = self.page, self.started("Undertow plan")
        self.put("Undertow")
        page.goto(f"/plan/{number}")
        self.settled()
        expect(page.locator("[data-span=preamble] rect").first).to_be_visible()
        rail = page.get_by_role("group", name="Phases")
        expect(rail).to_contain_text("wets the puck at 3 mL/s for 2 s, then soaks 28 s")
        # It is nobody's to change: the blocks one can choose are the phases and the stop.
        expect(rail.get_by_role("button")).to_have_count(2)

    def test_while_it_runs_the_page_says_so_and_the_shot_begins_after_it(self) -> None:
        number = self.started("Undertow pull")
        self.put("Undertow")
        page = self.page
        page.goto(f"/pull/{number}/1")
        self.start_the_pump(page)
        cue = page.locator("[data-part=cue]")
        expect(cue).to_contain_text("Before the program")
        expect(cue).to_contain_text("then soaks 28 s")
        shot = int(page.url.rpartition("/")[2])

        def began() -> list[float]:
            told = read_shot(self.app, shot).events
            return [event.time_s for event in told if event.kind == "phase_began"]

        wait_for(began, "the program to begin")
        self.assertAlmostEqual(began()[0], OWN.lasts_s, delta=0.1)
        expect(cue).not_to_contain_text("Before the program")

    def test_the_shelf_gives_a_machine_one_and_takes_it_away(self) -> None:
        page = self.page
        page.goto("/shelf")
        page.get_by_role("link", name="Tide Mill").click()
        expect(page.get_by_role("form", name="Tide Mill")).to_be_visible()
        before = page.get_by_role("region", name="Before any program")
        expect(before).to_contain_text("It does nothing before a program")
        before.get_by_role("button", name="Change: Before any program").click()
        page.get_by_role("button", name="Add pre-wetting").click()
        page.get_by_label("Soak", exact=True).fill("4")
        page.get_by_role("button", name="Remove pre-wetting").click()
        expect(page.get_by_label("Soak", exact=True)).to_have_count(0)
