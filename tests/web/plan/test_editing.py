"""Editing: refusals beside the field, nothing lost, two tabs, undo, keys alone."""

from __future__ import annotations

import re

from playwright.sync_api import Route, expect

from tests.parts import MEMBERS, wait_for
from tests.web.pages import InBrowser


class Editing(InBrowser):
    def setUp(self) -> None:
        super().setUp()
        self.page.goto("/plan/4?phase=2")
        expect(self.page.get_by_label("Level", exact=True)).to_be_visible()
        self.settled()

    def test_text_that_is_no_number_is_refused_beside_the_field_and_kept(self) -> None:
        self.provokes_refusals = True
        page = self.page
        good = self.number("Shot time")
        page.get_by_label("Level", exact=True).fill("8,5x")
        words = "got '8,5x'; takes a number from 0 to 15 bar"
        expect(page.locator("[data-editor]").get_by_text(words).first).to_be_visible()
        expect(page.get_by_label("Level", exact=True)).to_have_attribute("aria-invalid", "true")
        expect(page.get_by_role("region", name="Refused")).to_contain_text(words)
        expect(page.get_by_text("before this change")).to_be_visible()
        self.assertEqual(self.number("Shot time"), good, "the last good answer stays")
        expect(page.get_by_role("button", name=re.compile("and pull"))).to_be_disabled()
        page.get_by_label("Level", exact=True).fill("8,2")
        self.settled()
        expect(page.get_by_role("region", name="Refused")).to_have_count(0)

    def test_a_target_above_the_machines_relief_is_refused_in_the_cores_words(self) -> None:
        self.provokes_refusals = True
        self.page.get_by_label("Level", exact=True).fill("12")
        words = "got 12; takes at most 10 bar, Sluice Two's relief setting"
        expect(self.page.locator("[data-editor]").get_by_text(words).first).to_be_visible()

    def test_a_phase_that_need_never_end_is_refused(self) -> None:
        self.provokes_refusals = True
        self.page.get_by_role("button", name="Remove the exit: time").click()
        expect(self.page.locator("[data-editor]")).to_contain_text(
            "at least one exit that must come"
        )

    def test_a_profile_without_phases_is_refused(self) -> None:
        self.provokes_refusals = True
        page = self.page
        for _ in range(4):
            page.locator("body").press("Delete")
        expect(page.locator("[data-editor]")).to_contain_text("takes at least one phase")
        page.get_by_role("button", name="Undo").click()
        expect(self.phase("Decline")).to_be_visible()

    def test_unsaved_edits_survive_an_error_and_a_reload(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.get_by_label("Level", exact=True).fill("7x")
        expect(page.get_by_role("region", name="Refused")).to_be_visible()
        page.reload()
        expect(page.get_by_label("Level", exact=True)).to_have_value("7x")
        expect(page.get_by_role("region", name="Refused")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_label("Level", exact=True)).to_have_value("8.5")

    def test_unsaved_edits_survive_the_tab_and_come_back_in_the_next(self) -> None:
        self.page.get_by_label("Level", exact=True).fill("7.3")
        self.settled()
        self.page.close()
        self.page = self.new_page(self.context)
        self.page.goto("/plan/4?phase=2")
        expect(self.page.get_by_label("Level", exact=True)).to_have_value("7.3")

    def test_a_lost_connection_is_shown_and_what_is_typed_meanwhile_is_predicted_after(
        self,
    ) -> None:
        self.provokes_refusals = True
        page = self.page
        before = self.number("Shot time")

        def cut(route: Route) -> None:
            route.abort("connectionrefused")

        with self.intercepting(page, "**/api/**", cut):
            page.get_by_label("Level", exact=True).fill("5.5")
            expect(page.get_by_text("Vapocline is not responding").first).to_be_visible()
            expect(page.get_by_label("Level", exact=True)).to_have_value("5.5")
        self.settled()
        self.assertNotEqual(self.number("Shot time"), before)

    def test_the_second_of_two_tabs_to_save_is_warned_and_loses_nothing(self) -> None:
        self.provokes_refusals = True
        first, second = self.page, self.new_page(self.context)
        for page in (first, second):
            page.goto("/plan/2?phase=3")
            self.settled(page)
        first.get_by_label("Level", exact=True).fill("8")
        second.get_by_label("Level", exact=True).fill("7")
        newest = int((first.locator("h1 .font-mono").inner_text())[1:])
        first.get_by_role("button", name=f"Save as v{newest}", exact=True).click()
        expect(first.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        second.get_by_role("button", name=f"Save as v{newest}", exact=True).click()
        expect(second.get_by_text(f"Version {newest} was saved in the meantime")).to_be_visible()
        expect(second.get_by_label("Level", exact=True)).to_have_value("7")
        second.get_by_role("button", name=f"Keep mine, to save on top of v{newest}").click()
        second.get_by_role("button", name=f"Save as v{newest + 1}", exact=True).click()
        expect(second.get_by_text(f"Since v{newest}: Press 8 to 7 bar.")).to_be_visible()

    def test_undo_and_redo_step_through_edits(self) -> None:
        page = self.page
        level = page.get_by_label("Level", exact=True)
        level.fill("8")
        page.get_by_role("button", name="Add an exit").or_(
            page.get_by_role("button", name="or", exact=True)
        ).click()
        expect(page.get_by_role("button", name="Exit: pressure up to", exact=True)).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Exit: pressure up to", exact=True)).to_have_count(0)
        page.keyboard.press("Control+z")
        expect(level).to_have_value("8.5")
        page.keyboard.press("Control+Shift+z")
        expect(level).to_have_value("8")

    def test_the_offered_stop_lands_the_drips_on_the_goal(self) -> None:
        offer = self.page.get_by_role("button", name=re.compile(r"^Stop at \d"))
        offer.click()
        expect(offer).to_have_count(0)
        self.settled()
        self.assertAlmostEqual(self.number("Yield"), 36, delta=0.35)

    def test_shot_time_is_shown_by_the_clock_in_use(self) -> None:
        page = self.page
        from_pump, drip = self.number("Shot time"), self.number("First drip")
        page.get_by_role("button", name="Clock: pump on").click()
        page.get_by_role("option", name="first drip").click()
        expect(self.figure("Shot time")).not_to_have_text(f"{from_pump:.1f}")
        self.assertAlmostEqual(self.number("Shot time"), from_pump - drip, delta=0.11)
        page.reload()
        self.settled()
        self.assertAlmostEqual(self.number("Shot time"), from_pump - drip, delta=0.11)

    def test_ranges_come_when_the_hand_rests(self) -> None:
        page = self.page
        page.get_by_label("Level", exact=True).fill("7.7")
        expect(
            page.get_by_text(f"{MEMBERS} simulated shots; 8 in 10 fall within the bars")
        ).to_be_visible()
        expect(page.locator("[data-trace=range]")).to_be_attached()
        row = page.locator("[data-figure='Extraction (EY)']")
        expect(row).to_contain_text(re.compile(r"\d\d\.\d to \d\d\.\d"))

    def test_no_figure_moves_when_its_range_comes(self) -> None:
        page = self.page
        held: list[Route] = []

        def hold_the_ranges(route: Route) -> None:
            with_ranges = route.request.post_data_json["members"] > 1
            held.append(route) if with_ranges else route.continue_()

        def places() -> list[float]:
            rows = page.locator("[data-figure] [data-part='fig']")
            return rows.evaluate_all("all => all.map(one => one.getBoundingClientRect().top)")

        with self.intercepting(page, "**/api/bench/forecast", hold_the_ranges):
            page.get_by_label("Level", exact=True).fill("7.4")
            self.settled()
            expect(page.locator("[data-trace=range]")).to_have_count(0)
            before = places()
            self.assertEqual(len(before), 8)
            wait_for(lambda: page.evaluate("1") and held, "the ranges to be asked for")
            for route in held:
                route.continue_()
            expect(page.locator("[data-trace=range]")).to_be_attached()
            self.assertEqual(places(), before)

    def test_the_bench_changes_in_place_and_the_forecast_with_it(self) -> None:
        self.provokes_refusals = True
        page = self.page
        before = self.number("Shot time")
        page.get_by_role("button", name="Dose: 18.0 g").click()
        field = page.get_by_role("textbox", name="Dose", exact=True)
        field.fill("bit")
        expect(page.get_by_text("got 'bit'; takes a number from 5 to 40 g")).to_be_visible()
        field.fill("19")
        expect(page.get_by_role("button", name="Dose: 19.0 g")).to_be_visible()
        page.keyboard.press("Escape")
        expect(self.figure("Shot time")).not_to_have_text(f"{before:.1f}")
        page.get_by_role("button", name="Dose: 19.0 g").click()
        page.get_by_role("textbox", name="Dose", exact=True).fill("18")
        expect(page.get_by_role("button", name="Dose: 18.0 g")).to_be_visible()


class ByKeys(InBrowser):
    def test_a_profile_is_built_pulled_and_tasted_without_a_mouse(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("Control+k")
        page.keyboard.type("steady")
        expect(page.get_by_role("option", name="Steady nine profile")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name="Steady nine")).to_be_visible()
        self.settled()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        expect(self.phase("Hold")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("a")
        expect(page.get_by_role("group", name="Phases").get_by_role("button")).to_have_count(5)
        page.keyboard.press("e")
        expect(page.get_by_label("Phase name")).to_be_focused()
        page.keyboard.press("Control+a")
        page.keyboard.type("Ease off")
        page.get_by_label("Level", exact=True).focus()
        page.keyboard.press("Shift+ArrowDown")
        expect(page.get_by_label("Level", exact=True)).to_have_value("8")
        page.keyboard.press("ArrowDown")
        expect(page.get_by_label("Level", exact=True)).to_have_value("7.9")
        page.keyboard.press("Control+s")
        expect(page.get_by_text("Ease off added")).to_be_visible()
        expect(page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        page.get_by_label("Level", exact=True).blur()
        page.keyboard.press("p")
        page.wait_for_url("**/pull/*/2")
        expect(page.get_by_role("button", name="Confirm all")).to_be_enabled()
        page.keyboard.press("c")
        expect(page.get_by_text("all ready")).to_be_visible()
        page.keyboard.press("p")
        page.wait_for_url("**/pull/shot/*")
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        page.keyboard.press("t")
        page.wait_for_url("**/taste/*")
        page.get_by_role("radiogroup", name="Acidity").get_by_role("radio").first.focus()
        page.keyboard.press("6")
        page.keyboard.press("Tab")
        page.keyboard.press("End")
        sweetness = page.get_by_role("radiogroup", name="Sweetness")
        expect(sweetness.get_by_role("radio", name="10")).to_be_checked()
        page.keyboard.press("Backspace")
        expect(sweetness.get_by_role("radio", checked=True)).to_have_count(0)
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        page.keyboard.press("c")
        page.wait_for_url("**/with/*")

    def test_help_lists_the_keys_of_the_view_and_closes_again(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("?")
        dialog = page.get_by_role("dialog")
        for words in ("Save as a new version", "Phase after", "Light or dark theme", "Search"):
            expect(dialog.get_by_text(words, exact=True)).to_be_visible()
        keys = dialog.locator("section:not(:last-of-type) dd").all_inner_texts()
        self.assertEqual([one for one in keys if keys.count(one) > 1], [], "one key, one action")
        page.keyboard.press("a")  # a key of the view does nothing under the help
        page.keyboard.press("Escape")
        expect(dialog).to_have_count(0)
        expect(page.get_by_role("group", name="Phases").get_by_role("button")).to_have_count(5)
        page.keyboard.press("i")
        expect(page.get_by_role("tab", name="Simple")).to_have_attribute("aria-selected", "true")
        page.keyboard.press("2")
        page.wait_for_url("**/pull/4/*")

    def test_every_control_shows_that_it_has_the_focus(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.locator("body").click(position={"x": 60, "y": 500})
        unseen = []
        for _ in range(40):
            page.keyboard.press("Tab")
            found = page.evaluate(
                """() => {
                    const at = document.activeElement;
                    const ring = getComputedStyle(at).outlineStyle;
                    return [at.tagName, at.textContent.slice(0, 20), ring];
                }"""
            )
            if found[0] != "BODY" and found[2] == "none":
                unseen.append(found)
        self.assertEqual(unseen, [])
