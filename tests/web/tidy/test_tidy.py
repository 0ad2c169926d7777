"""Tidying in the browser: a shot, and a trace brought in."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.factories import pressure, profile
from tests.web.at_the_machine import AtTheMachine
from vapocline.core.profile.profile import SecondsExit
from vapocline.desk.plan.profiles import list_profiles


class Tidying(AtTheMachine):
    def test_a_shot_is_tidied_looked_at_and_saved_only_when_asked(self) -> None:
        page = self.page
        rising = pressure(3, 8, SecondsExit(value=90), over=9, name="Rise")
        page.goto(f"/pull/{self.started('Rough', profile(rising, cup_g=25))}/1")
        self.start_the_pump()
        page.get_by_role("link", name="Tidy it into a profile").click()
        page.wait_for_url("**/tidy/*")
        expect(page.get_by_text(re.compile(r"\d phases?, nine tenths"))).to_be_visible()
        before = len(list_profiles(self.app))
        page.get_by_label("Tolerance", exact=True).fill("2")
        expect(page.get_by_text(re.compile(r"^[12] phases?, nine tenths"))).to_be_visible()
        for trace in ("tidied", "predicted", "pressure_bar"):
            expect(page.locator(f"[data-trace={trace}] path").first).to_be_attached()
        self.assertEqual(len(list_profiles(self.app)), before)
        page.get_by_label("Name of the tidied profile").fill("Smooth")
        page.get_by_role("button", name="Save as a profile").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("heading", name="Smooth")).to_be_visible()

    def test_a_trace_is_imported_and_what_is_wrong_with_it_is_shown(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/tidy")
        rows = [f"{i / 10},{min(9, i / 4):.2f},{max(0, i - 60) / 5:.1f}" for i in range(250)]
        page.get_by_label("Trace as CSV").fill("time_s,pressure_bar,cup_g\n" + "\n".join(rows))
        page.get_by_role("button", name="Tidy it").click()
        expect(page.get_by_text(re.compile("phases?, nine tenths"))).to_be_visible()
        page.reload()
        expect(page.get_by_text(re.compile("phases?, nine tenths"))).to_be_visible()
        page.get_by_role("button", name="Another recording").click()
        page.get_by_label("Trace as CSV").fill("time_s,pressure_bar\n0,1\n1,high\n2,3")
        page.get_by_role("button", name="Tidy it").click()
        expect(page.get_by_role("alert")).to_contain_text("csv.pressure_bar.3: got 'high'")
        page.get_by_role("button", name="Another recording").click()
