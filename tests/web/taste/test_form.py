"""The form's lines and words, milk, readings, crema, targets, what a version is for, and several
shots compared."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.parts import wait_for
from tests.tastings import repeat_a_drink
from tests.web.pages import InBrowser
from vapocline.desk.plan.profiles import find_profile
from vapocline.desk.read.shots import read_shot
from vapocline.desk.taste.form import read_house_lines
from vapocline.desk.taste.target import read_target

UNTASTED, STEADY, FALL = 2, 1, 5


class FormAndMore(InBrowser):
    def saved(self) -> None:
        expect(self.page.get_by_text("Saved", exact=True)).to_be_visible()

    def test_the_house_scores_other_lines_and_what_was_scored_before_still_shows(self) -> None:
        page = self.page
        page.goto(f"/taste/{UNTASTED}")
        page.get_by_role("radiogroup", name="Clarity").get_by_role("radio", name="7").click()
        self.saved()
        page.get_by_role("button", name="Lines").click()
        page.get_by_role("checkbox", name="Clarity").uncheck()
        page.get_by_role("checkbox", name="Cleanness").check()
        page.keyboard.press("Escape")
        expect(page.get_by_role("radiogroup", name="Cleanness")).to_be_visible()
        expect(page.get_by_role("radiogroup", name="Clarity")).to_be_visible()
        page.goto(f"/taste/{FALL + 1}")
        expect(page.get_by_role("radiogroup", name="Cleanness")).to_be_visible()
        expect(page.get_by_role("radiogroup", name="Clarity")).to_have_count(0)
        self.assertIn("cleanness", read_house_lines(self.app).lines)

    def test_words_are_tags_from_the_list_or_ones_own(self) -> None:
        page = self.page
        page.goto(f"/taste/{UNTASTED}")
        page.get_by_text("none yet").click()
        page.get_by_role("button", name="cocoa", exact=True).click()
        page.get_by_label("Another word").fill("wet slate")
        page.keyboard.press("Enter")
        self.saved()
        found = next(t for t in read_shot(self.app, UNTASTED).tastings if t.quick)
        self.assertEqual(found.words, ("cocoa", "wet slate"))

    def test_strength_is_read_again_and_crema_and_puck_are_kept(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto(f"/taste/{FALL}")
        page.get_by_label("Measured strength").fill("9.5")
        page.get_by_label("Another reading").fill("9.7")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.get_by_text("Mean of 9.50, 9.70.")).to_be_visible()
        page.get_by_text("Crema and puck").click()
        depth = page.get_by_label("Depth of the crema")
        depth.fill("99")
        expect(page.get_by_text("takes a number from 0 to 30 mm")).to_be_visible()
        depth.fill("4")
        page.get_by_label("holes").check()

        def kept() -> bool:
            seen = read_shot(self.app, FALL).observation
            return seen is not None and seen.puck_holes is True and seen.crema_mm == 4

        wait_for(kept, "what was seen to be stored")
        page.reload()
        expect(depth).to_have_value("4")
        expect(page.get_by_label("holes")).to_be_checked()

    def test_a_version_for_milk_says_how_strong_it_is_in_milk_and_is_filtered_by(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto(f"/plan/{find_profile(self.app, 'Steady nine')}")
        self.settled()
        page.get_by_role("button", name="Versions").click()
        page.get_by_role("button", name="Purpose of v1").click()
        page.get_by_role("option", name="in milk").click()
        expect(page.get_by_role("button", name="Purpose of v1: in milk")).to_be_visible()
        page.get_by_role("dialog").get_by_role("button", name="Close").click()
        shown = page.get_by_role("region", name="In milk")
        expect(shown).to_contain_text("% coffee")
        page.get_by_role("button", name="Profiles").click()
        page.get_by_role("group", name="Purpose").get_by_role("button", name="long").click()
        expect(page.get_by_text("None is for that.")).to_be_visible()
        page.goto(f"/taste/{STEADY}")
        expect(shown).to_contain_text("predicted")
        page.get_by_label("Milk", exact=True).fill("0")
        expect(shown).to_contain_text("takes a number from 1 to 500 g")
        links = page.get_by_role("navigation", name="Shots").get_by_role("link")
        expect(links).to_have_count(6)
        page.get_by_role("button", name="Purpose: any drink").click()
        page.get_by_role("option", name="in milk").click()
        expect(links).to_have_count(2)

    def test_a_target_is_aimed_at_and_an_impossible_one_is_refused(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/shelf/coffees/1")
        field = page.get_by_label("Target of sweetness")
        field.fill("11")
        expect(page.get_by_text("got 11")).to_be_visible()
        field.fill("8")
        expect(page.get_by_text("got 11")).to_have_count(0)
        page.reload()
        expect(field).to_have_value("8")
        self.assertEqual(read_target(self.app, 1).scores, {"sweetness": 8})
        page.goto(f"/taste/{STEADY}")
        off = page.get_by_role("region", name="Off target")
        expect(off).to_contain_text("less sweet than wanted by 4")

    def test_several_shots_are_compared_and_what_cannot_be_told_is_pale(self) -> None:
        repeat_a_drink(self.app, ("Barista", "Teodor"), STEADY, times=8)
        page = self.page
        page.goto(f"/taste/{FALL}")
        page.get_by_role("link", name="Compare several").click()
        page.get_by_role("button", name="Shots:").click()
        page.get_by_role("checkbox").nth(5).click()
        page.keyboard.press("Escape")
        expect(page.get_by_role("heading", level=1)).to_contain_text("1, 4, 5")
        expect(page.get_by_role("main")).to_contain_text("Quay fall v3 is liked more")
        heads = page.get_by_role("columnheader")
        expect(heads.first).to_contain_text("Quay fall v3")
        body = page.get_by_role("row", name="Body")
        expect(body.locator("[data-clear=false]").first).to_be_visible()
        self.assertEqual(self.violations(page), [])

    def test_the_slopes_of_two_shots_are_shown_for_any_taster(self) -> None:
        repeat_a_drink(self.app, ("Barista", "Teodor"), STEADY, times=8)
        page = self.page
        page.goto(f"/taste/{STEADY}/with/{FALL}")
        liking = page.locator("[data-attribute=Liking]")
        expect(liking).to_have_attribute("data-clear", "true")
        page.get_by_role("button", name="Cups:").click()
        page.get_by_role("option", name=re.compile("by Teodor")).click()
        expect(liking).to_contain_text("6")
        body = page.locator("[data-attribute=Body]")  # on which the cups do not differ
        expect(body).to_have_attribute("data-clear", "false")
