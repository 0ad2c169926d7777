"""Pulling in the browser: checks, a nudge, manual control, two pages, a fault."""

from __future__ import annotations

import re

from playwright.sync_api import Route, expect

from tests.factories import flow, pressure, profile, seconds
from tests.marks import exhaustive
from tests.parts import wait_for
from tests.web.at_the_machine import AtTheMachine
from tests.web.pages import LOOKS
from vapocline.core.profile.profile import SecondsExit
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.store.tables import ShotRow


class Before(AtTheMachine):
    def test_what_is_missing_is_shown_before_the_pump_starts_and_can_be_accepted(self) -> None:
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
        page.get_by_role("button", name=re.compile("^Planned and actual")).click()
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

    def test_a_levelled_dose_is_ticked_or_weighed_all_the_same(self) -> None:
        change_bench(self.app, BenchChange(levelled=True))
        self.addCleanup(change_bench, self.app, BenchChange(levelled=False))
        page = self.page
        page.goto("/pull/4/3")
        dose = page.locator("[data-check=dose]")
        dose.get_by_label("The basket full and levelled").check()
        expect(page.locator("[data-check=dose][data-state=ready]")).to_be_visible()
        page.get_by_label("Dose weighed").fill("18.1")
        expect(dose).to_contain_text("18.1 g, within 0.2 g")
        expect(dose.get_by_role("checkbox")).to_have_count(0)

    @exhaustive
    def test_no_serious_barrier_before_during_and_after_in_the_dark_and_on_a_phone(self) -> None:
        number = self.started("Barriers")
        page = self.page
        for scheme, size in LOOKS[1:]:
            self.look(scheme, size)
            page.goto(f"/pull/{number}/1")
            expect(page.locator("[data-check=armed]")).to_be_visible()
            self.assertEqual(self.violations(page), [], "before")
            self.start_the_pump(page)
            expect(page.locator("[data-reading=Pressure]")).to_be_visible()
            self.assertEqual(self.violations(page), [], "during")
            page.keyboard.press("x")
            expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
            page.get_by_role("button", name=re.compile("^Planned and actual")).click()
            expect(page.locator("[data-done]").first).to_be_visible()
            self.assertEqual(self.violations(page), [], "after")
            wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
            self.assertLessEqual(wide, 0)

    def test_confirming_all_weighs_nothing(self) -> None:
        page = self.pulling(self.started("Unweighed"))
        page.keyboard.press("x")
        expect(page.locator("[data-part='cue']")).to_contain_text("Stopped")
        [shot] = list_shots(self.app, limit=1)
        with self.app.sessions() as session:
            conditions = session.get(ShotRow, shot.id).conditions
        self.assertEqual(conditions["sources"]["dose_g"], "bench")


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
        expect(offer).to_contain_text("stop weight 500 to")
        page.get_by_role("button", name="Save as v2").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("heading", name="Nudged")).to_contain_text("v2")
        self.phase("Press, nudged").last.click()  # one phase or two, as fast as the keys came
        expect(page.get_by_label("Level", exact=True)).to_have_value("7")

    def test_the_correction_offered_with_an_alarm_stays_when_later_messages_come(self) -> None:
        """The relief valve opens a moment later, and says so."""
        gushing = profile(flow(7, None, seconds(280), name="Push"), cup_g=500, time_s=290)
        change_bench(self.app, BenchChange(grind_setting=10))  # the finest it has
        self.addCleanup(change_bench, self.app, BenchChange(grind_setting=14.5))
        page = self.page
        page.goto(f"/pull/{self.started('Too much', gushing)}/1")
        self.start_the_pump()
        alarm = page.locator("[data-trouble=over_pressure]")
        expect(page.locator("[data-trouble=relief_opened]")).to_be_visible()
        expect(alarm).to_contain_text("Pressure is close to what the relief valve lets pass")
        expect(alarm.get_by_role("button", name="Halve the flow")).to_be_visible()
        expect(page.get_by_text("At the stop it drains hot water")).to_be_visible()
        page.keyboard.press("a")
        expect(page.locator("[data-offset^='-3.']")).to_be_visible()
        expect(alarm).to_have_count(0)
        page.keyboard.press("x")
        expect(page.locator("[data-part='cue']")).to_contain_text("Stopped")

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
            pressure(4, None, SecondsExit(value=250), name="Soak"),
            pressure(7, name="Press"),
            cup_g=None,
            time_s=290,
        )
        page = self.pulling(self.started("Two", two))
        page.keyboard.press("h")
        expect(page.locator("[data-part='cue']")).to_contain_text("held")
        page.keyboard.press("n")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Press")
        with page.expect_response(re.compile("/orders$")):
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
        page = self.page
        short = self.started("Closed", profile(pressure(9, name="Press"), cup_g=30))
        page.goto(f"/pull/{short}/1")
        self.start_the_pump()
        number = self.newest()
        page.close()
        wait_for(lambda: read_shot(self.app, number).state == "done", "the end")
        self.assertGreater(len(read_shot(self.app, number).traces.time_s), 300)

    def test_a_simulated_fault_is_shown_and_the_shot_is_stopped_by_hand(self) -> None:
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


PHASES = profile(
    *(pressure(4, None, SecondsExit(value=95), name=name) for name in ("One", "Two", "Three")),
    pressure(7, name="Four"),
    cup_g=None,
    time_s=290,
)


class TheStop(AtTheMachine):
    """Nothing on the page holds the stop up."""

    def stopped(self) -> None:
        expect(self.page.locator("[data-part='cue']")).to_contain_text("Stopped")

    def test_it_is_given_while_other_orders_still_wait(self) -> None:
        page = self.pulling(self.started("Waiting"))
        asked: list[str] = []

        def hold(route: Route) -> None:
            asked.append(str(route.request.post_data))

        with self.intercepting(page, "**/orders", hold):
            for key in "hdb":
                page.keyboard.press(key)
            wait_for(lambda: page.evaluate("1") and asked, "the first order to be on its way")
            page.keyboard.press("x")
            self.stopped()
            self.assertEqual(len(asked), 1, "what still waited is not given after a stop")

    def test_it_is_given_by_request_where_the_live_line_is_away(self) -> None:
        page = self.pulling(self.started("Requested"))
        page.evaluate("WebSocket.prototype.send = () => {}")
        page.keyboard.press("x")
        self.stopped()

    def test_its_key_works_in_a_checkbox_and_in_a_number_field(self) -> None:
        page = self.pulling(self.started("Ticked"))
        page.get_by_label("tones before").focus()
        page.keyboard.press("x")
        self.stopped()
        page = self.pulling(self.started("Ticked"))
        page.get_by_role("button", name=re.compile("^Dose:")).click()
        expect(page.get_by_role("textbox", name="Dose", exact=True)).to_be_focused()
        page.keyboard.press("x")
        self.stopped()

    def test_its_key_works_over_a_dialog_and_after_back_closed_one(self) -> None:
        page = self.pulling(self.started("Covered"))
        page.keyboard.press("?")
        expect(page.get_by_role("dialog")).to_have_count(1)
        page.keyboard.press("x")
        self.stopped()
        page = self.pulling(self.started("Covered"))
        page.get_by_role("link", name="Plan").click()
        self.settled()
        page.get_by_role("button", name="Versions").click()
        expect(page.get_by_role("dialog")).to_have_count(1)
        page.go_back()
        expect(page.locator("[data-reading=Pressure]")).to_be_visible()
        page.keyboard.press("x")
        self.stopped()

    def test_a_key_held_down_gives_an_order_once(self) -> None:
        page = self.pulling(self.started("Held down", PHASES))
        for _ in range(8):
            page.keyboard.down("n")
        page.keyboard.up("n")
        expect(page.locator("[data-part='cue-now'] strong")).to_have_text("Two")
        for _ in range(8):
            page.keyboard.down("ArrowUp")
        page.keyboard.up("ArrowUp")
        expect(page.locator("[data-offset='0.5']")).to_be_visible()
        page.keyboard.press("x")
        self.stopped()
        kinds = [event.kind for event in read_shot(self.app, self.newest()).events]
        self.assertEqual((kinds.count("phase_began"), kinds.count("nudged")), (2, 1))
