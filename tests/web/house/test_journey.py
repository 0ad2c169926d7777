"""The whole way: plan, predict, pull, taste, compare."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.web.pages import InBrowser


class Journey(InBrowser):
    def test_plan_a_change_see_it_predicted_pull_it_taste_it_and_compare(self) -> None:
        page = self.page
        page.goto("/")
        expect(page.get_by_role("heading", name="Quay fall")).to_be_visible()
        self.settled()
        before = self.number("Shot time")
        line = page.locator("[data-trace=pressure_bar] path").first
        shape = line.get_attribute("d")

        self.phase("Hold").click()
        page.get_by_label("Level", exact=True).fill("6")
        expect(page.get_by_text("Hold 8.5 to 6 bar")).to_be_visible()
        self.settled()
        self.assertNotEqual(self.number("Shot time"), before)
        self.assertNotEqual(line.get_attribute("d"), shape)
        expect(page.locator("[data-trace=ghost]")).to_be_visible()
        expect(page.get_by_text(re.compile(r"Shot [+-]\d"))).to_be_visible()

        page.get_by_role("button", name="Save as v4 and pull").click()
        page.wait_for_url("**/pull/*/4")
        expect(page.get_by_text("Never take the portafilter out")).to_be_visible()
        self.start_the_pump()

        page.wait_for_url("**/pull/shot/*")
        cue = page.locator("[data-part='cue']")
        expect(cue).to_contain_text(re.compile("Pre-infusion|Ramp|Hold"))  # as soon as it is seen
        expect(cue).to_contain_text("Decline")
        expect(page.locator("[data-trace=commanded] path").first).to_be_attached()
        expect(page.locator("[data-reading=Pressure] b")).not_to_have_text("0.0")
        expect(cue).to_contain_text("Stopped")
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        measured = self.number("Shot time")
        self.assertGreater(measured, 15)
        self.assertAlmostEqual(self.number("Yield"), 37, delta=2)

        page.get_by_role("button", name="Taste this shot").click()
        page.wait_for_url("**/taste/*")
        for attribute, score in (("Sweetness", "8"), ("Liking", "9")):
            page.get_by_role("radiogroup", name=attribute).get_by_role(
                "radio", name=score, exact=True
            ).click()
        page.get_by_label("Notes").fill("Plum, and nothing harsh.")
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
        page.reload()
        expect(page.get_by_label("Notes")).to_have_value("Plum, and nothing harsh.")
        liking = page.get_by_role("radiogroup", name="Liking")
        expect(liking.get_by_role("radio", name="9", exact=True)).to_be_checked()

        page.get_by_role("button", name="Compare with: Compare with another").click()
        page.get_by_role("option", name=re.compile("Quay fall v3")).last.click()
        page.wait_for_url("**/taste/*/with/*")
        expect(
            page.get_by_text("Which is liked more cannot be told: 9 against 8, hot")
        ).to_be_visible()
        expect(page.get_by_text("Hold 8.5 to 6 bar")).to_be_visible()
        expect(page.locator("[data-trace=first] path").first).to_be_visible()
        expect(page.locator("[data-attribute=Liking]")).to_contain_text("9")

    def test_every_address_survives_a_reload(self) -> None:
        page = self.page
        for path, words in (
            ("/plan/4?phase=2", "Level"),
            ("/pull/4/2", "Start the pump"),
            ("/read/1", "Taste this shot"),
            ("/taste/1", "Liking"),
            ("/taste/1/with/3", "Done differently"),
            ("/next/3", "After"),
            ("/trail/1?liked_from=7", "Best so far"),
        ):
            page.goto(path)
            page.reload()
            expect(page.get_by_text(words).or_(page.get_by_label(words)).first).to_be_visible()
            self.assertTrue(page.url.endswith(path), page.url)

    def test_addresses_that_lead_nowhere_say_so_and_show_a_way_on(self) -> None:
        self.provokes_refusals = True
        page = self.page
        for path, words in (
            ("/nowhere", "There is nothing at this address"),
            ("/plan/999", "There is no profile 999."),
            ("/pull/4/99", "There is no version 99"),
            ("/pull/shot/999", "There is no shot 999."),
            ("/taste/999", "There is no shot 999."),
            ("/taste/1/with/999", "There is no shot 999."),
        ):
            page.goto(path)
            expect(page.get_by_text(words)).to_be_visible()
            page.get_by_role("link", name="Go to the profiles").click()
            page.wait_for_url("**/plan/*")

    def test_a_shot_stopped_by_hand_is_kept(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        self.start_the_pump()
        expect(page.locator("[data-part='cue']")).to_contain_text("Decline")
        page.get_by_role("button", name="Stop now").click()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        expect(page.get_by_text("you signalled")).to_be_visible()

    def test_a_page_reloaded_in_mid_shot_goes_on_from_the_start_of_the_shot(self) -> None:
        page = self.page
        page.goto("/pull/4/3")
        self.start_the_pump()
        expect(page.locator("[data-part='cue']")).to_contain_text("Decline")
        page.reload()
        expect(page.locator("[data-event=first-drip]")).to_be_visible()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        path = page.locator("[data-trace=pressure_bar] path").first.get_attribute("d") or ""
        self.assertGreater(path.count("L"), 100, "the whole trace, not only what came after")


class FromNothing(InBrowser):
    sample_world = False

    def test_empty_views_say_what_to_do_first_and_a_first_shot_can_be_pulled(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/taste")
        expect(page.get_by_text("No shot to taste yet")).to_be_visible()
        page.get_by_role("link", name="Go to Pull").click()
        expect(page.get_by_text("Nothing to pull yet")).to_be_visible()
        page.get_by_role("link", name="Go to Plan").click()
        expect(page.get_by_role("heading", name="Your bench")).to_be_visible()
        page.get_by_role("link", name="A plain profile instead").click()
        expect(page.get_by_text("No profile yet")).to_be_visible()
        page.get_by_role("button", name="Start a profile").click()
        expect(page.get_by_text("give it a name")).to_be_visible()
        page.get_by_label("Name of the new profile").fill("First light")
        page.get_by_role("button", name="Start a profile").click()
        expect(page.get_by_role("heading", name="First light")).to_be_visible()
        expect(page.get_by_text("as no coffee is chosen")).to_be_visible()
        self.settled()

        page.get_by_role("button", name="Coffee: Choose a coffee").click()
        page.get_by_role("button", name="New coffee").click()
        page.get_by_role("textbox", name="Name", exact=True).fill("Sallow Reach")
        page.get_by_label("Roasted on").fill("2026-01-05")
        page.get_by_role("button", name="Add and use").click()
        expect(page.get_by_role("button", name="Coffee: Sallow Reach")).to_be_visible()
        expect(page.get_by_text("as no coffee is chosen")).to_have_count(0)

        page.get_by_role("button", name="Grinder: Choose a grinder").click()
        page.get_by_role("button", name="New grinder").click()
        page.get_by_role("textbox", name="Name", exact=True).fill("Ratline")
        for label, typed in (("Setting 1", "8"), ("Setting 2", "24"), ("Size 1", "214")):
            page.get_by_label(label).fill(typed)
        page.get_by_label("Size 2").fill("x")
        page.get_by_role("button", name="Add and use").click()
        expect(page.get_by_text("got 'x'; takes a number from 120 to 900 µm")).to_be_visible()
        page.get_by_label("Size 2").fill("446")
        page.get_by_role("button", name="Add and use").click()
        expect(page.get_by_role("button", name="Grind: 16")).to_be_visible()

        page.get_by_role("button", name="Pull v1").click()
        self.start_the_pump()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
