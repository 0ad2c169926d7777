"""Read in the browser: from a finding into Plan, other shots laid over, a shot set aside."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.parts import wait_for
from tests.web.pages import PHONE, InBrowser
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.machines import change_machine, plain_machine
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow


class Reading(InBrowser):
    def strange(self, shot: int) -> None:
        """Let a stored shot be one whose grind was not what its plan says."""
        with transaction(self.app.sessions) as session:
            row = session.get(ShotRow, shot)
            assert row
            size = row.plan["setup"]["grind_um"] * 1.5
            row.plan = row.plan | {
                "setup": row.plan["setup"] | {"grind_um": size, "dialled_in": True}
            }

    def test_a_finding_leads_into_plan_where_its_number_stands_unapplied(self) -> None:
        page = self.page
        self.strange(5)
        page.goto("/read/5")
        item = page.locator("[data-finding=ran_like]")
        expect(item.get_by_role("button")).to_have_attribute("aria-expanded", "true")
        expect(item.locator("[data-evidence='shot time on this puck']")).to_be_visible()
        expect(page.locator("[data-part=verdict]")).to_contain_text("It ran like")
        before = read_bench(self.app).grind_setting
        item.get_by_role("link", name="Change this in Plan").click()
        page.wait_for_url("**/plan/4?*")
        strip = page.get_by_role("form", name="Suggested change")
        expect(strip).to_contain_text("Shot 5 suggests")
        field = strip.get_by_label("Suggested grind on Ratline")
        expect(field).to_be_focused()
        expect(field).not_to_have_value("")
        self.assertEqual(read_bench(self.app).grind_setting, before)
        field.fill("15")
        page.keyboard.press("Enter")
        expect(strip).to_have_count(0)
        wait_for(lambda: read_bench(self.app).grind_setting == 15, "the grind on the bench")

    def test_a_suggested_level_is_applied_once_said_and_can_be_undone_or_dismissed(self) -> None:
        page = self.page
        page.goto("/plan/4?from=5&suggest=command.to&value=7.4&phase=2")
        level = page.get_by_label("Level", exact=True)
        was = level.input_value()
        strip = page.get_by_role("form", name="Suggested change")
        expect(strip.get_by_label("Suggested level")).to_have_value("7.4")
        expect(level).to_have_value(was)
        strip.get_by_role("button", name="Dismiss").click()
        expect(strip).to_have_count(0)
        expect(level).to_have_value(was)
        page.goto("/plan/4?from=5&suggest=command.to&value=7.4&phase=2")
        strip.get_by_role("button", name="Apply").click()
        expect(level).to_have_value("7.4")
        page.get_by_role("button", name="Undo").click()
        expect(level).to_have_value(was)
        page.goto("/plan/4?from=5&suggest=exit&value=7&phase=40")
        expect(strip).to_contain_text("nothing is changed")

    def test_shots_are_laid_over_and_aligned_by_the_keyboard_alone(self) -> None:
        page = self.page
        page.goto("/read/6")
        expect(page.locator("[data-pane=resistance]")).to_be_visible()
        page.keyboard.press("o")
        page.keyboard.type("Shot 5")
        expect(page.get_by_role("option", name=re.compile("^Shot 5"))).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.locator("[data-over='5']")).to_be_visible()
        expect(page.locator("[data-trace=over-5] path").first).to_be_visible()
        bar = page.get_by_role("group", name="Aligned on")
        for words in ("First drip", "Full pressure", "10 g", "Pump on"):
            page.keyboard.press("a")
            expect(bar.get_by_role("button", name=words)).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("i")
        expect(page.locator("[data-pane=resistance]")).to_have_count(0)
        page.keyboard.press("i")
        page.get_by_role("button", name="g in the cup").click()
        expect(
            page.locator("[data-ui=shot-chart] .tick").filter(has_text=" g").last
        ).to_be_visible()
        page.get_by_role("button", name="Remove shot 5").click()
        expect(page.locator("[data-trace=over-5]")).to_have_count(0)

    def test_findings_are_walked_by_keys_and_lit_in_every_pane(self) -> None:
        page = self.page
        self.strange(4)
        page.goto("/read/4")
        expect(page.locator("[data-mark=ran_like]")).to_be_visible()
        expect(page.locator("[data-span=ran_like] rect")).to_have_count(3)
        page.keyboard.press("n")
        page.keyboard.press("b")
        expect(page.locator("[data-span=ran_like] rect")).to_have_count(3)
        page.locator("[data-finding=ran_like] button").click()
        page.mouse.move(0, 0)
        expect(page.locator("[data-span]")).to_have_count(0)
        page.locator("[data-finding=ran_like]").hover()
        expect(page.locator("[data-span=ran_like] rect")).to_have_count(3)
        page.goto("/read/6")
        expect(page.get_by_role("button", name=re.compile(r"^\d+ notes?"))).to_be_visible()
        page.keyboard.press("n")  # a note that is walked to is seen
        expect(page.locator("[data-finding] [aria-expanded=true]")).to_be_visible()

    def test_a_shot_is_set_aside_with_a_reason_and_counts_again(self) -> None:
        page = self.page
        page.goto("/read/3")
        page.get_by_role("button", name="Set aside").click()
        page.get_by_role("button", name="the cup was moved").click()
        page.get_by_role("button", name="Set it aside").click()
        note = page.locator("[data-part=set-aside]")
        expect(note).to_contain_text("the cup was moved")
        aside = {one.id: one.set_aside for one in list_shots(self.app)}
        self.assertEqual(aside[3], "the cup was moved")
        page.goto("/taste/3")
        link = page.locator("nav[aria-label=Shots] a[aria-current]")
        expect(link).to_contain_text("set aside")
        page.goto("/read/3")
        expect(note).to_be_visible()
        note.get_by_role("button", name="Count it again").click()
        expect(note).to_have_count(0)

    def test_the_clock_that_is_chosen_counts_in_lists_and_compare_too(self) -> None:
        page = self.page
        page.goto("/read/5")
        from_pump = self.number("Shot time")
        page.get_by_role("button", name="Shot time: time from pump on").click()
        page.get_by_role("option", name="time from first drip").click()
        expect(self.figure("Shot time")).not_to_have_text(f"{from_pump:.1f}")
        since = self.number("Shot time")
        self.assertLess(since, from_pump)
        page.goto("/taste/5")
        link = page.locator("nav[aria-label=Shots] a[aria-current]")
        expect(link).to_contain_text(f"{since:.1f} s")
        page.goto("/taste/4/with/5")
        row = page.get_by_role("row", name=re.compile("^Shot time"))
        expect(row).to_contain_text(f"{since:.1f} s")

    def test_pressure_can_be_read_as_the_dial_of_a_calibrated_machine_shows_it(self) -> None:
        page = self.page
        page.goto("/read/1")
        expect(page.locator("[data-part=verdict]")).to_contain_text("shot")
        expect(page.get_by_role("button", name="as the dial reads")).to_have_count(0)
        with transaction(self.app.sessions) as session:
            row = session.get(ShotRow, 1)
            assert row
            setup = row.plan["setup"]
            dialed = setup["machine"] | {"dial_zero_bar": 0.8, "dial_drop": 0.02}
            row.plan = row.plan | {"setup": setup | {"machine": dialed}}
        page.reload()
        expect(page.get_by_text("Pressure at the puck")).to_be_visible()
        page.get_by_role("button", name="as the dial reads").click()
        expect(page.get_by_text("Pressure as the dial reads")).to_be_visible()
        page.get_by_role("button", name="as at the puck").click()
        expect(page.get_by_text("Pressure at the puck")).to_be_visible()

    def test_a_plan_for_a_calibrated_machine_is_shaped_as_its_dial_reads(self) -> None:
        page = self.page
        machine = read_bench(self.app).machine
        dialed = plain_machine(machine).model_copy(update={"dial_zero_bar": 0.8, "dial_drop": 0.02})
        change_machine(self.app, machine.id, dialed)
        self.addCleanup(change_machine, self.app, machine.id, plain_machine(machine))
        page.goto("/plan/4?phase=2")
        self.settled()
        square = (
            page.locator("[data-handle='2-level-start'] .square")
            .or_(page.locator("[data-handle^='2-'] .square"))
            .first
        )
        stood = float(square.get_attribute("y") or 0)
        page.keyboard.press("Control+k")
        page.keyboard.type("dial reads")
        page.keyboard.press("Enter")
        expect(page.get_by_text("Pressure as the dial reads")).to_be_visible()
        expect(page.get_by_text(re.compile(r"bar, dial \d+\.\d"))).to_be_visible()
        self.assertLess(float(square.get_attribute("y") or 0), stood)
        level = page.get_by_label("Level", exact=True)
        was = level.input_value()
        square.locator("..").focus()
        page.keyboard.press("ArrowUp")
        expect(level).not_to_have_value(was)  # the square means what it meant: a step of bar

    def test_on_a_phone_nothing_is_wider_than_the_page(self) -> None:
        page = self.page
        page.set_viewport_size(PHONE)
        page.goto("/read/5")
        expect(page.locator("[data-part=verdict]")).to_contain_text("shot")
        wide = page.evaluate("() => document.documentElement.scrollWidth - innerWidth")
        self.assertLessEqual(wide, 0)
