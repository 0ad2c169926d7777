"""Care in the browser: what is due, that it was done, how often it is wanted, warm at seven."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.marks import more_cases, some_of
from tests.web.pages import LOOKS
from tests.web.shelf.test_machines import WithMachines
from vapocline.core.machine.care import Interval
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.shelf.care import IntervalSaid, WarmBy, say_interval, say_warm_by


class WhatFallsDue(WithMachines):
    def setUp(self) -> None:
        super().setUp()
        machine = read_bench(self.app).machine.id
        often = IntervalSaid(interval=Interval(every=2, unit="shots"))
        say_interval(self.app, "machine", machine, "back_flush", often)
        usual = IntervalSaid(usual=True)
        self.addCleanup(say_interval, self.app, "machine", machine, "back_flush", usual)
        self.addCleanup(say_warm_by, self.app, machine, WarmBy(warm_at=None))

    def test_what_is_due_is_one_line_of_the_checks_and_leads_to_its_list(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        line = page.locator("[data-care=due]")
        expect(line).to_have_text("Due: back-flush with cleaner")
        line.get_by_role("link", name="Due").click()
        expect(page).to_have_url(re.compile("/shelf/care$"))
        due = page.locator("[data-care=back_flush][data-state=due]")
        due.get_by_role("button", name=re.compile("^Done.*Back-flush")).click()
        done = page.locator("[data-care=back_flush][data-state=fine]")
        expect(done.first).to_contain_text("0 shots, since")
        done.first.get_by_role("button", name="undo").click()
        expect(due).to_be_visible()

    def test_how_often_is_changed_by_keyboard_refused_for_nonsense_and_never_asked(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf/care")
        line = page.locator("[data-care=gasket]").first
        line.get_by_role("button", name="every 365 days").press("Enter")
        every = line.get_by_label("Every", exact=True)
        every.fill("0")
        every.press("Enter")
        expect(line.get_by_role("alert")).to_contain_text("interval.every")
        expect(every).to_have_value("0")
        every.fill("500")
        every.press("Enter")
        expect(line.get_by_role("button", name="every 500 days")).to_be_visible()
        line.get_by_role("button", name="every 500 days").click()
        line.get_by_role("button", name="Turn off").click()
        line.get_by_role("button", name="off").click()
        line.get_by_role("button", name="Default").click()
        expect(line.get_by_role("button", name="every 365 days")).to_be_visible()

    def test_warm_at_seven_says_when_to_switch_on_here_and_in_the_checks(self) -> None:
        page = self.page
        page.goto("/shelf/care")
        page.get_by_label("Warm at").first.fill("07:00")
        said = page.get_by_text(re.compile(r"switch it on at \d\d:\d\d")).first
        expect(said).to_be_visible()
        page.goto("/pull/4/3")
        expect(page.get_by_text(re.compile(r"To be warm at 07:00, on at 0[56]:"))).to_be_visible()

    @more_cases
    def test_no_serious_barrier_in_any_look(self) -> None:
        for scheme, size in some_of(LOOKS, 1):
            self.look(scheme, size)
            self.page.goto("/shelf/care")
            expect(self.page.locator("[data-care=gasket]").first).to_be_visible()
            self.assertEqual(self.violations(self.page), [])
