"""From a taste to one change in Plan, by mouse and by keys."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from tests.factories import EVERY_CHECK
from tests.web.pages import InBrowser
from vapocline.core.taste.target import Target
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.taste.target import set_target
from vapocline.desk.taste.tasting import score

SHOT = 6  # Quay fall v3


class OneChange(InBrowser):
    speed = 0.0

    def setUp(self) -> None:
        super().setUp()
        bench = read_bench(self.app)
        assert bench.coffee
        set_target(self.app, bench.coffee.id, Target(scores={"bitterness": 1, "body": 9}))
        score(self.app, SHOT, Tasting(bitterness=9, body=8))

    def test_a_taste_leads_to_one_change_that_stands_in_plan(self) -> None:
        page = self.page
        page.goto(f"/next/{SHOT}")
        chip = page.get_by_role("button", name="bitterness 9, aimed at 1")
        expect(chip).to_have_attribute("aria-pressed", "true")
        rows = page.locator("[data-change]")
        expect(rows.first).to_be_visible()
        self.assertEqual(self.violations(page), [])
        page.get_by_role("button", name=re.compile("Fall sooner")).click()
        column = page.get_by_role("complementary", name="The change")
        expect(column.get_by_role("heading", name="Fall sooner")).to_be_visible()
        expect(column).to_contain_text("Against.")
        column.get_by_role("button", name="Apply in Plan").click()
        page.wait_for_url("**/plan/*")
        expect(page.get_by_text("Since v3: hold leaves at 3.5 s, was 5 s")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_text("Since v3:")).to_have_count(0)

    def test_a_change_of_the_bench_moves_the_bench(self) -> None:
        page = self.page
        before = read_bench(self.app).water_c
        page.goto(f"/next/{SHOT}")
        page.get_by_role("button", name=re.compile("Cooler water")).click()
        # The shot was ground finer than the bench is now.
        expect(page.locator("[data-part=goes-back]")).to_contain_text("sets grind 14 again")
        page.get_by_role("button", name="Apply in Plan").click()
        page.wait_for_url("**/plan/*")
        self.settled()
        bench = read_bench(self.app)
        self.assertEqual((bench.water_c, bench.grind_setting), (before - 1, 14))
        expect(page.get_by_text("Since v3:")).to_have_count(0)

    def test_chips_go_off_wishes_come_on_and_keys_choose(self) -> None:
        page = self.page
        page.goto(f"/next/{SHOT}")
        page.get_by_role("button", name="bitterness 9, aimed at 1").click()
        expect(page.get_by_text("No rule answers this")).to_be_visible()
        page.get_by_role("button", name="Add a wish").click()
        page.get_by_role("option", name="less sweet than wanted").click()
        expect(page.locator("[data-trigger='not sweet']")).to_be_visible()
        rows = page.locator("[data-change] > button")
        expect(rows.first).to_have_attribute("aria-current", "true")
        page.locator("h1").click()
        page.keyboard.press("ArrowDown")
        expect(rows.nth(1)).to_have_attribute("aria-current", "true")

    def test_a_second_thing_is_changed_only_with_a_word_and_told_apart_if_it_was(self) -> None:
        page = self.page
        before = read_bench(self.app)
        self.addCleanup(
            change_bench,
            self.app,
            BenchChange(water_c=before.water_c, grind_setting=before.grind_setting,
                        yield_g=before.yield_g),
        )  # fmt: skip
        page.goto(f"/next/{SHOT}")
        page.get_by_role("button", name=re.compile("Shorter drink")).click()
        column = page.get_by_role("complementary", name="The change")
        column.get_by_role("checkbox", name=re.compile("Refit the grind to keep")).check()
        expect(column).to_contain_text("to keep the time")
        column.get_by_role("button", name="Apply in Plan").click()
        page.wait_for_url("**/plan/*")
        after = read_bench(self.app)
        self.assertLess(after.yield_g, before.yield_g)
        self.assertNotEqual(after.grind_setting, 14)
        # The sample world's last shot differs from the one before in the grind alone: pull another.
        change_bench(self.app, BenchChange(water_c=89, grind_setting=15, yield_g=before.yield_g))
        request = {"profile_id": 4, "number": 3, "despite": EVERY_CHECK}
        number = pull(self.app, PullRequest.model_validate(request))
        page.goto(f"/next/{number}")
        note = page.locator("[data-part=separating]")
        expect(note).to_contain_text("Cooler water and grind coarser were changed at once")
        note.get_by_role("button", name="Only cooler water").click()
        page.wait_for_url("**/plan/*")
        bench = read_bench(self.app)
        self.assertEqual((bench.water_c, bench.grind_setting), (89, 14))

    def test_a_guided_run_sets_the_next_value_and_ends(self) -> None:
        page = self.page
        before = read_bench(self.app)
        self.addCleanup(change_bench, self.app, BenchChange(grind_setting=before.grind_setting))
        page.goto(f"/next/{SHOT}")
        page.get_by_role("button", name="Guided run:").click()
        page.get_by_label("Wanted", exact=True).fill("35")
        page.get_by_role("button", name=f"Begin with shot {SHOT}").click()
        run = page.get_by_role("region", name="Guided run")
        expect(run).to_contain_text("the grind until shot time is 35 ± 1 s")
        expect(run).to_contain_text(f"shot {SHOT}")
        run.get_by_role("button", name=re.compile("^Set the grind to")).click()
        page.wait_for_url("**/pull/4/3")
        self.assertLess(read_bench(self.app).grind_setting or 99, 14)
        page.go_back()
        run.get_by_role("button", name="End it").click()
        expect(run).to_contain_text("Move one number shot by shot")
