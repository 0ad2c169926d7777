"""The house's start checks in the browser: left out, added, asked, refused, at once."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.marks import more_cases, some_of
from tests.web.at_the_machine import AtTheMachine
from tests.web.pages import LOOKS
from vapocline.core.pull.house_checks import HouseChecks
from vapocline.desk.pull.house_checks import choose_house_checks, read_house_checks


class OfTheHouse(AtTheMachine):
    def setUp(self) -> None:
        super().setUp()
        self.addCleanup(choose_house_checks, self.app, HouseChecks())
        self.page.goto("/pull/4/3")

    def opened(self) -> None:
        self.page.get_by_role("button", name="Change these checks").click()
        expect(self.page.get_by_role("button", name="Add a check")).to_be_visible()

    def test_a_line_is_left_out_and_one_of_the_house_is_asked_and_confirmed(self) -> None:
        page = self.page
        self.opened()
        page.get_by_role("button", name="When: the group is flushed").click()
        page.get_by_role("option", name="never").click()
        page.get_by_role("button", name="Add a check").click()
        page.get_by_label("Check 1", exact=True).fill("Three sprays on the beans")
        page.get_by_role("button", name="Check 1 comes after").click()
        page.get_by_role("option", name="the right coffee").click()
        page.get_by_role("button", name="Save").click()
        expect(page.locator("[data-check=flush]")).to_have_count(0)
        own = page.get_by_label("Three sprays on the beans")
        own.check()
        expect(page.locator("[data-check^=own][data-state=ready]")).to_be_visible()
        [line] = read_house_checks(self.app).own
        self.assertEqual((line.words, line.after), ("Three sprays on the beans", "bag"))

    def test_a_line_without_words_or_said_twice_is_refused_and_nothing_is_lost(self) -> None:
        self.provokes_refusals = True
        page = self.page
        self.opened()
        for _ in range(2):
            page.get_by_role("button", name="Add a check").click()
        page.get_by_label("Check 1", exact=True).fill("Spray")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("alert")).to_contain_text("own.1.words")
        page.get_by_label("Check 2", exact=True).fill("spray")
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("alert")).to_contain_text("each line once")
        expect(page.get_by_label("Check 1", exact=True)).to_have_value("Spray")
        page.get_by_label("Check 2", exact=True).fill("Level")
        page.get_by_role("button", name="Check 2 up").click()
        page.get_by_role("button", name="Save").click()
        expect(page.get_by_role("dialog")).to_have_count(0)
        self.assertEqual([one.words for one in read_house_checks(self.app).own], ["Level", "Spray"])

    @more_cases
    def test_no_serious_barrier_in_any_look(self) -> None:
        for scheme, size in some_of(LOOKS, 1):
            self.look(scheme, size)
            self.page.goto("/pull/4/3")
            self.opened()
            self.page.get_by_role("button", name="Add a check").click()
            self.assertEqual(self.violations(self.page), [])
