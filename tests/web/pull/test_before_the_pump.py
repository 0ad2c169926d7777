"""What lies before the pump: how the puck was prepared, what is in the grinder, the water a version
is meant for."""

from __future__ import annotations

from playwright.sync_api import expect

from tests.factories import pressure, profile
from tests.web.at_the_machine import AtTheMachine
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.preparation import Preparation
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.plan.profiles import read_version
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.preparations import add_preparation

SHORT = profile(pressure(9, name="Press"), cup_g=20)


class BeforeThePump(AtTheMachine):
    def test_a_preparation_is_chosen_on_the_bench_and_asked_for(self) -> None:
        add_preparation(self.app, Preparation(name="Needles", clumps="stirred", leveller_mm=9))
        page, number = self.page, self.started("Prepared", SHORT)
        page.goto(f"/pull/{number}/1")
        expect(page.locator("[data-check=tamp]")).to_contain_text("Tamped level")
        page.get_by_role("button", name="Basket:").click()
        ways = page.get_by_role("region", name="Prepared")
        ways.get_by_role("button", name="Needles").click()
        expect(page.locator("[data-check=tamp]")).to_contain_text(
            "Needles: stirred with needles, leveller at 9 mm, tamped; the rim clean"
        )
        kept = read_bench(self.app).preparation
        assert kept
        self.assertEqual(kept.name, "Needles")

    def test_what_is_in_the_grinder_is_said_to_be_out_or_becomes_part_of_the_dose(self) -> None:
        self.provokes_refusals = True
        before = read_bench(self.app).grinder
        assert before
        self.addCleanup(change_bench, self.app, BenchChange(grinder_id=before.id))
        keeps = Grinder(name="Keeps", settings=(0, 10), grind_um=(200, 400), retention_g=2)
        grinder = add_grinder(self.app, keeps)
        change_bench(self.app, BenchChange(grinder_id=grinder.id, grind_setting=5))
        number = self.started("Purged", SHORT)
        pull(self.app, PullRequest(profile_id=number, number=1))
        change_bench(self.app, BenchChange(grind_setting=8))
        page = self.page
        page.goto(f"/pull/{number}/1")
        line = page.locator("[data-check=purge]")
        expect(line).to_contain_text("2 g ground at 5 is still in the grinder")
        page.get_by_role("button", name="Confirm all").click()
        expect(line).to_have_attribute("data-state", "missing")  # nobody said so
        line.get_by_role("checkbox").check()
        expect(line).to_have_attribute("data-state", "ready")
        line.get_by_role("checkbox").uncheck()
        page.get_by_role("button", name="Start the pump").click()
        page.get_by_role("button", name="Start all the same").click()
        page.wait_for_url("**/pull/shot/*")
        kept = read_shot(self.app, list_shots(self.app, limit=1)[0].id).conditions
        assert kept.retained_grounds
        self.assertEqual(kept.retained_grounds.grind_setting, 5)

    def test_water_a_version_is_meant_for_is_written_in_plan_and_set_before_the_pull(self) -> None:
        self.provokes_refusals = True
        before = read_bench(self.app).water_c
        self.addCleanup(change_bench, self.app, BenchChange(water_c=before))
        change_bench(self.app, BenchChange(water_c=94))
        page, number = self.page, self.started("Meant for", SHORT)
        page.goto(f"/plan/{number}")
        self.settled()
        page.get_by_role("group", name="Phases").get_by_role("button", name="Stop").click()
        field = page.get_by_label("Water it is meant for")
        field.fill("hot")
        expect(page.get_by_role("alert")).to_contain_text("got 'hot'")
        field.fill("90")
        told = page.locator("[data-part=start-water]")
        expect(told).to_contain_text("This is meant for 90 °C, predicted extraction −")
        page.get_by_role("button", name="Save as v2", exact=True).click()
        expect(page.get_by_role("button", name="Saved", exact=True)).to_be_visible()
        self.assertEqual(read_version(self.app, number, 2).profile.water_c, 90)
        page.goto(f"/print/{number}/2")
        expect(page.get_by_role("main")).to_contain_text("at 90 °C; the bench is set to 94 °C")
        page.goto(f"/pull/{number}/2")
        told.get_by_role("button", name="Set 90 °C").click()
        expect(told).to_have_count(0)
        self.assertEqual(read_bench(self.app).water_c, 90)
