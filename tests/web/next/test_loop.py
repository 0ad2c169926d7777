"""The whole loop in the browser: a taste, a change, the pull, and its result on the trail."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.web.pages import InBrowser
from vapocline.core.taste.target import Target
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.taste.target import set_target

PROFILE = 4  # Quay fall


class Loop(InBrowser):
    speed = 8.0

    def test_a_taste_leads_to_a_change_that_the_next_taste_settles(self) -> None:
        page = self.page
        bench = read_bench(self.app)
        assert bench.coffee
        set_target(self.app, bench.coffee.id, Target(scores={"bitterness": 2}))
        self.pull_and_taste(page, bitterness=9)
        page.get_by_role("link", name="What to change next").click()
        page.get_by_role("button", name=re.compile("bitterness 9, aimed at 2")).wait_for()
        page.get_by_role("button", name=re.compile("^.*Cooler water")).first.click()
        page.get_by_role("button", name="Apply in Plan").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("button", name="Water: 92 °C")).to_be_visible()
        self.pull_and_taste(page, bitterness=3)
        page.get_by_role("link", name="What to change next").click()
        settled = page.locator("[data-part=settled]")
        expect(settled).to_contain_text("You took cooler water after the shot before")
        expect(settled).to_have_attribute("data-outcome", "too small to tell")  # one cup each
        page.get_by_role("navigation", name="Views").get_by_role("link", name="Trail").click()
        newest = page.get_by_role("list", name="Shots, the newest first").locator("> li").first
        expect(newest).to_contain_text("Cooler water: water 93 to 92 °C")
        expect(newest.locator("[data-outcome]")).to_contain_text("one pull of each is too little")

    def pull_and_taste(self, page: Page, bitterness: int) -> None:
        page.goto(f"/pull/{PROFILE}/3")
        self.start_the_pump(page)
        page.get_by_role("button", name="Taste this shot").click()
        page.wait_for_url("**/taste/*")
        line = page.get_by_role("radiogroup", name="Bitterness")
        line.get_by_role("radio", name=str(bitterness), exact=True).click()
        expect(page.get_by_text("Saved", exact=True)).to_be_visible()
