"""Tasting and comparing: separate cups, nothing lost, strength, swapping, what is unknown."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Route, expect

from tests.parts import wait_for
from tests.web.pages import InBrowser
from vapocline.desk.read.shots import read_shot

UNTASTED = 2


class Tasting(InBrowser):
    def setUp(self) -> None:
        super().setUp()
        self.page.goto(f"/taste/{UNTASTED}")
        expect(self.scale("Liking")).to_be_visible()

    def scale(self, name: str) -> Locator:
        return self.page.get_by_role("radiogroup", name=name)

    def give(self, name: str, score: int) -> None:
        self.scale(name).get_by_role("radio", name=str(score), exact=True).click()

    def given(self, name: str) -> Locator:
        return self.scale(name).get_by_role("radio", checked=True)

    def stored(self) -> dict[tuple[str, str], int | None]:
        shot = read_shot(self.app, UNTASTED)
        return {(one.warmth, one.served): one.liking for one in shot.tastings}

    def settle(self) -> None:
        expect(self.page.get_by_text("Saved", exact=True)).to_be_visible()

    def clear(self) -> None:
        """Take back what a cup says, by keys alone."""
        for radio in self.page.get_by_role("radio", checked=True).all():
            radio.focus()
            self.page.keyboard.press("Backspace")
        expect(self.page.get_by_text("A score left out stays unknown")).to_be_visible()

    def test_earlier_shots_are_read_when_asked_for(self) -> None:
        page = self.page
        asked: list[str] = []

        def short(route: Route) -> None:
            """A page of the list as the server gives it, but a short one."""
            asked.append(route.request.url)
            url = route.request.url.replace("limit=100", "limit=2")
            answer = route.fetch(url=url)
            lines = answer.json()
            full = lines * 50 if len(lines) == 2 and "before" not in url else lines
            route.fulfill(response=answer, json=full)

        with self.intercepting(page, "**/api/shots?limit=100*", short):
            page.reload()
            links = page.get_by_role("navigation", name="Shots").get_by_role("link")
            expect(links).to_have_count(100)
            page.get_by_role("button", name="Earlier shots").click()
            expect(links).to_have_count(102)
            self.assertRegex(asked[-1], r"before=\d+")
            expect(page.get_by_role("button", name="Earlier shots")).to_have_count(0)

    def test_each_cup_is_scored_apart_and_a_cleared_one_is_gone(self) -> None:
        page = self.page
        self.give("Liking", 6)
        self.settle()
        page.get_by_role("tab", name="Cool").click()
        expect(self.given("Liking")).to_have_count(0)
        self.give("Liking", 8)
        self.settle()
        page.get_by_role("tab", name="In milk").click()
        self.give("Liking", 3)
        self.settle()
        self.assertEqual(
            self.stored(), {("hot", "straight"): 6, ("cool", "straight"): 8, ("cool", "milk"): 3}
        )
        page.get_by_role("tab", name="Straight").click()
        expect(self.given("Liking")).to_have_text("8")
        self.clear()
        self.assertNotIn(("cool", "straight"), self.stored())
        for tab in ("In milk", "Straight"):
            page.get_by_role("tab", name=tab).click()
            page.get_by_role("tab", name="Cool" if tab == "In milk" else "Hot").click()
            self.clear()
        self.assertEqual(self.stored(), {})

    def test_scores_given_without_a_line_to_the_server_are_sent_when_it_is_back(self) -> None:
        self.provokes_refusals = True
        page = self.page

        def cut(route: Route) -> None:
            route.abort("connectionrefused")

        with self.intercepting(page, "**/tasting", cut):
            self.give("Sweetness", 7)
            expect(page.get_by_text("Kept in this browser until")).to_be_visible()
            page.reload()
            expect(self.given("Sweetness")).to_have_text("7")
        self.settle()
        [tasting] = read_shot(self.app, UNTASTED).tastings
        self.assertEqual(tasting.sweetness, 7)
        self.clear()

    def test_leaving_the_page_at_once_still_saves(self) -> None:
        self.give("Liking", 5)
        self.page.keyboard.press("1")
        self.page.locator("body").click(position={"x": 60, "y": 600})
        self.page.get_by_role("link", name="Plan").click()
        self.page.wait_for_url("**/plan/*")
        self.page.goto(f"/taste/{UNTASTED}")
        expect(self.given("Liking")).to_have_text("1")
        self.settle()
        self.assertEqual(self.stored(), {("hot", "straight"): 1})
        self.clear()

    def test_strength_is_measured_or_unknown_and_refused_in_words(self) -> None:
        self.provokes_refusals = True
        page = self.page
        row = page.locator("[data-figure='Extraction (EY)']")
        expect(row).to_contain_text("unknown")
        page.get_by_label("Measured strength").fill("9.5")
        expect(row.locator("[data-part='fig']")).to_have_text(re.compile(r"\d\d\.\d"))
        page.get_by_label("Measured strength").fill("95")
        expect(page.get_by_text("got 95; takes a number from 0.1 to 30 %")).to_be_visible()
        page.get_by_label("Measured strength").fill("")
        expect(row).to_contain_text("unknown")

    def test_arrows_move_along_a_scale_and_home_and_end_go_to_its_ends(self) -> None:
        self.scale("Body").get_by_role("radio").first.focus()
        for key, score in (("End", "10"), ("Home", "0"), ("4", "4"), ("ArrowRight", "5")):
            self.page.keyboard.press(key)
            expect(self.given("Body")).to_have_text(score)
        self.settle()
        self.clear()


class Comparing(InBrowser):
    def test_what_is_unknown_is_shown_so_and_nothing_is_made_up(self) -> None:
        page = self.page
        page.goto("/taste/1/with/2")
        expect(page.get_by_text("Which is better is unknown until both are scored")).to_be_visible()
        expect(page.get_by_text("Not tasted alike yet")).to_be_visible()
        expect(page.get_by_text("Nothing was done differently")).to_be_visible()
        expect(page.get_by_role("row", name=re.compile("^Strength")).first).to_contain_text(
            "unknown"
        )

    def test_two_shots_are_swapped_and_the_words_with_them(self) -> None:
        page = self.page
        page.goto("/taste/4/with/5")
        expect(page.get_by_text("Hold 9 to 8.5 bar")).to_be_visible()
        page.keyboard.press("s")
        page.wait_for_url("**/taste/5/with/4")
        expect(page.get_by_text("Hold 8.5 to 9 bar")).to_be_visible()
        expect(page.get_by_text("Which is liked more cannot be told: 6 against 8")).to_be_visible()

    def test_a_comparison_leads_on_to_each_shot_and_to_the_plan(self) -> None:
        page = self.page
        page.goto("/taste/4/with/5")
        page.get_by_role("link", name="Taste v1").click()
        page.wait_for_url("**/taste/4")
        page.go_back()
        page.get_by_role("button", name="Change one thing in Plan").click()
        page.wait_for_url("**/plan/4")

    def test_a_shot_with_itself_is_no_comparison(self) -> None:
        self.page.goto("/taste/4/with/4")
        self.page.wait_for_url(re.compile(r"/taste/\d+$"))


class Around(InBrowser):
    def test_the_palette_goes_anywhere_and_does_anything(self) -> None:
        page = self.page
        page.goto("/taste/5")
        expect(page.locator("h1")).to_be_visible()
        for typed, pattern in (
            ("long so", r"/plan/\d+"),
            ("pull", r"/pull/"),
            ("steady nine v1", r"/taste/\d+"),
        ):
            page.keyboard.press("Control+k")
            expect(page.get_by_role("combobox", name="Search")).to_be_focused()
            page.keyboard.type(typed)
            found = page.locator("[role=option][data-focus]")
            expect(found).to_contain_text(re.compile(typed, re.IGNORECASE))
            page.keyboard.press("Enter")
            page.wait_for_url(re.compile(pattern))
        page.keyboard.press("Control+k")
        page.keyboard.type("no such thing at all")
        expect(page.get_by_text("No results.")).to_be_visible()
        page.keyboard.press("Escape")
        was = page.evaluate("() => document.documentElement.dataset.theme")
        page.keyboard.press("Control+k")
        page.keyboard.type("light or")
        page.keyboard.press("Enter")
        expect(page.locator("html")).not_to_have_attribute("data-theme", was)

    def test_what_enter_means_in_the_palette_does_not_depend_on_which_list_comes_first(
        self,
    ) -> None:
        page = self.page
        page.goto("/taste/5")
        expect(page.locator("h1")).to_be_visible()
        held: list[Route] = []

        def hold(route: Route) -> None:
            held.append(route)

        with self.intercepting(page, "**/api/profiles", hold):
            page.keyboard.press("Control+k")
            expect(page.get_by_role("combobox", name="Search")).to_be_focused()
            page.keyboard.type("long so")
            page.keyboard.press("Enter")
            wait_for(lambda: page.evaluate("1") and held, "the profiles to be asked for")
            for route in held:
                route.continue_()
            page.wait_for_url(re.compile(r"/plan/\d+"))

    def test_two_pages_watch_one_shot_to_its_end(self) -> None:
        first, second = self.page, self.new_page(self.context)
        first.goto("/pull/4/3")
        self.start_the_pump(first)
        first.wait_for_url("**/pull/shot/*")
        second.goto("/pull")
        second.wait_for_url("**/pull/shot/*")
        self.assertEqual(first.url, second.url)
        for page in (first, second):
            expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
            expect(page.locator("[data-event=first-drip]")).to_be_visible()
