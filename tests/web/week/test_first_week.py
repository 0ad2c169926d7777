"""A first week in an empty house: found, begun, left and taken up again."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.factories import EVERY_CHECK
from tests.marks import more_cases, some_of
from tests.web.pages import LOOKS, InBrowser
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.next.first_week import read_first_week
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.taste.tasting import score


class FirstWeek(InBrowser):
    speed = 0.0

    def test_each_step_leads_to_a_plan_and_goes_on_where_it_was_left(self) -> None:
        page = self.page
        page.goto("/plan/4")
        self.settled()
        page.keyboard.press("Control+k")
        page.get_by_role("combobox", name="Search").fill("first week")
        page.keyboard.press("Enter")
        page.wait_for_url("**/first-week")
        step = page.locator("[aria-current=step]")
        # Steady nine was pulled and tasted in the sample world: the baseline is there.
        expect(page.locator("[data-step=baseline]")).to_have_attribute("data-progress", "done")
        expect(step.get_by_role("heading", name="A soak")).to_be_visible()
        step.get_by_role("button", name="Make its plan for my bench").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_role("heading", name="Soak then press")).to_be_visible()
        page.goto("/first-week")
        expect(step.get_by_role("link", name="Pull it")).to_be_visible()
        soak = read_first_week(self.app).steps[1]
        request = {"profile_id": soak.profile_id, "number": soak.number, "despite": EVERY_CHECK}
        number = pull(self.app, PullRequest.model_validate(request))
        page.reload()
        expect(step.get_by_role("link", name="Taste it")).to_be_visible()
        score(self.app, number, Tasting(liking=7))
        page.reload()
        expect(step.get_by_role("heading", name="A falling end")).to_be_visible()
        page.get_by_role("link", name="Not now").click()
        page.wait_for_url("**/plan/*")

    @more_cases
    def test_nothing_bars_the_way_in_any_look(self) -> None:
        page = self.page
        for scheme, size in some_of(LOOKS, 1):
            with self.subTest(scheme=scheme, size=size):
                self.look(scheme, size)
                page.goto("/first-week")
                expect(page.get_by_role("heading", name="A first week")).to_be_visible()
                self.assertEqual(self.violations(page), [])
