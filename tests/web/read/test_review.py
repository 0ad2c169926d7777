"""Looking back on a shot in the browser: strength, a series and its spread."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.factories import pressure, profile
from tests.web.at_the_machine import AtTheMachine


class Afterwards(AtTheMachine):
    def test_a_strength_is_read_and_a_series_shows_its_spread(self) -> None:
        page = self.page
        number = self.started("Series", profile(pressure(9, name="Press"), cup_g=20))
        page.goto(f"/pull/{number}/1")
        page.get_by_role("button", name="Repeat or rehearse").click()
        page.get_by_label("Pulls", exact=True).fill("2")
        page.get_by_role("button", name="Begin").click()
        expect(page.get_by_text("pull 1 of 2")).to_be_visible()
        self.start_the_pump()
        expect(page.get_by_role("button", name="Taste this shot")).to_be_visible()
        expect(page.get_by_role("button", name="Read the refractometer")).to_be_visible()
        page.keyboard.press("r")
        expect(self.figure("Strength (TDS)")).to_have_text(re.compile(r"\d+\.\d"))
        expect(self.figure("Extraction (EY)")).to_be_visible()
        page.keyboard.press("p")
        page.wait_for_url(f"**/pull/{number}/1")
        expect(page.get_by_text("pull 2 of 2")).to_be_visible()
        self.start_the_pump()
        expect(page.locator("[data-spread=shot_time_s]")).to_be_visible()
        expect(page.get_by_text(re.compile("2 of 2 pulled"))).to_be_visible()
        page.get_by_label("Shot time, tolerance").fill("0.01")
        expect(page.locator("[data-spread=shot_time_s][data-within=false]")).to_be_visible()
        expect(page.get_by_text("more than the tolerance")).to_be_visible()
