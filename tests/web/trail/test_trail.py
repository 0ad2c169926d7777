"""The trail of the sample coffee: the line, filters, baseline, and going on from a shot."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, expect

from tests.factories import EVERY_CHECK
from tests.marks import more_cases, some_of
from tests.parts import wait_for
from tests.web.pages import LOOKS, InBrowser
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.taste.tasting import score
from vapocline.desk.trail.summary import read_summary
from vapocline.desk.trail.trail import TrailQuery, read_trail

BEST = 5  # the shot of the sample world that was liked most


class Trail(InBrowser):
    speed = 0.0

    def setUp(self) -> None:
        super().setUp()
        coffee = read_bench(self.app).coffee
        assert coffee
        self.coffee = coffee.id

    def visit(self, path: str = "/trail") -> None:
        self.page.goto(path)
        expect(self.rows().first).to_be_visible()

    def rows(self) -> Locator:
        return self.page.get_by_role("list", name="Shots, the newest first").locator("> li")

    def row(self, shot_id: int) -> Locator:
        return self.page.locator(f"#shot-{shot_id}")

    def test_each_shot_says_what_was_changed_and_what_was_abandoned_stands_beside(self) -> None:
        before = read_bench(self.app)
        self.addCleanup(change_bench, self.app, BenchChange(water_c=before.water_c))
        numbers = []
        for water_c in (before.water_c, before.water_c - 3, before.water_c):
            change_bench(self.app, BenchChange(water_c=water_c))
            request = {"profile_id": 4, "number": 3, "despite": EVERY_CHECK}
            numbers.append(pull(self.app, PullRequest.model_validate(request)))
        first, cooler, again = numbers
        self.visit()
        expect(self.row(cooler)).to_contain_text("Cooler water: water 93 to 90 °C")
        expect(self.row(cooler).get_by_role("button")).to_have_attribute("data-lane", "1")
        expect(self.row(again)).to_contain_text(f"the same again, from shot {first}")
        expect(self.row(again).get_by_role("button")).to_have_attribute("data-lane", "0")

    def test_filters_are_kept_in_the_address_and_taken_back(self) -> None:
        page = self.page
        self.visit()
        everything = self.rows().count()
        liked = len(read_trail(self.app, self.coffee, TrailQuery(liked_from=8)).nodes)
        self.assertLess(liked, everything)
        page.get_by_role("button", name="Liked:").click()
        page.get_by_role("option", name="liked 8 or more").click()
        expect(self.rows()).to_have_count(liked)
        expect(page).to_have_url(re.compile(r"liked_from=8"))
        page.reload()
        expect(self.rows()).to_have_count(liked)
        expect(self.row(BEST)).to_be_visible()
        page.get_by_role("button", name="Show all").click()
        expect(self.rows()).to_have_count(everything)
        self.page.goto(f"/trail/{self.coffee}?word=nothing")
        expect(page.get_by_text("No shot of this coffee is like that.")).to_be_visible()

    def test_by_keys_alone_a_shot_becomes_the_baseline_and_others_are_compared_with_it(
        self,
    ) -> None:
        page = self.page
        self.visit()
        expect(page.get_by_text("None yet: choose a shot")).to_be_visible()
        page.keyboard.press("ArrowDown")
        second = self.rows().nth(1).get_by_role("button")
        expect(second).to_have_attribute("aria-current", "true")
        page.keyboard.press("b")
        expect(self.rows().nth(1)).to_contain_text("baseline")
        expect(page.get_by_role("button", name="No baseline")).to_be_visible()
        page.keyboard.press("ArrowUp")
        expect(page.get_by_text("against baseline")).to_be_visible()
        page.keyboard.press("c")
        page.wait_for_url("**/taste/*/with/*")
        page.go_back()
        expect(page.get_by_text("against baseline")).to_be_visible()
        page.keyboard.press("ArrowDown")
        expect(page.get_by_role("button", name="No baseline")).to_be_visible()
        page.keyboard.press("b")
        expect(page.get_by_text("None yet: choose a shot")).to_be_visible()
        self.assertIsNone(read_summary(self.app, self.coffee).baseline)

    def test_a_shot_is_pulled_again_with_its_own_recipe_or_changed_in_plan(self) -> None:
        page = self.page
        before = read_bench(self.app)
        self.addCleanup(
            change_bench,
            self.app,
            BenchChange(water_c=before.water_c, grind_setting=before.grind_setting),
        )
        change_bench(self.app, BenchChange(water_c=88, grind_setting=12))
        self.visit()
        self.row(1).get_by_role("button").click()
        page.get_by_role("button", name=re.compile("^Pull again")).click()
        page.wait_for_url("**/pull/*/1")
        wait_for(
            lambda: (
                (read_bench(self.app).water_c, read_bench(self.app).grind_setting) == (93, 14.5)
            ),
            "the shot's own recipe on the bench",
        )
        self.visit()
        self.row(4).get_by_role("button").click()  # an older version of its profile
        page.get_by_role("button", name=re.compile("^Change in Plan")).click()
        page.wait_for_url("**/plan/4")
        expect(page.get_by_text("draft").first).to_be_visible()

    def test_the_best_so_far_and_what_worked_are_said(self) -> None:
        before = read_bench(self.app)
        self.addCleanup(change_bench, self.app, BenchChange(water_c=before.water_c))
        for water_c, liking in ((93, 4), (90, 9), (93, 4), (90, 9), (93, 4), (90, 9)):
            change_bench(self.app, BenchChange(water_c=water_c))
            request = {"profile_id": 2, "number": 1, "despite": EVERY_CHECK}
            number = pull(self.app, PullRequest.model_validate(request))
            score(self.app, number, Tasting(liking=liking))
        self.visit()
        best = self.page.get_by_role("region", name="Best so far")
        expect(best).to_contain_text("Long soak v1 liked 9")
        worked = self.page.get_by_role("region", name="What worked here")
        expect(worked.locator("[data-verdict=helps]")).to_contain_text("Cooler water")
        self.row(BEST).get_by_role("button").click()
        self.page.get_by_role("link", name="Beside the best").click()
        self.page.wait_for_url("**/taste/several?shots=*")
        expect(self.page.get_by_role("heading", name=re.compile("^Compare"))).to_be_visible()

    def test_a_coffee_without_a_shot_and_one_that_is_not_there(self) -> None:
        self.provokes_refusals = True
        page = self.page
        page.goto("/trail/999")
        expect(page.get_by_text("There is no coffee 999.")).to_be_visible()
        self.visit()
        page.get_by_role("button", name="Trail of:").click()
        page.get_by_role("option").filter(has_not_text="Ferrow Hill").first.click()
        expect(page.get_by_text("No shot of this coffee yet.")).to_be_visible()

    @more_cases
    def test_nothing_bars_the_way_in_any_look(self) -> None:
        page = self.page
        for scheme, size in some_of(LOOKS, 1):
            with self.subTest(scheme=scheme, size=size):
                self.look(scheme, size)
                self.visit()
                self.assertEqual(self.violations(page), [])
