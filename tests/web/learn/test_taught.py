"""Shots on a puck nobody knows: the range closes around it; going back; a shot's very puck."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Iterator

from playwright.sync_api import expect

from tests.factories import EVERY_CHECK, pressure, profile
from tests.marks import exhaustive
from tests.parts import fresh_database, sample_world, wait_for
from tests.web.pages import InBrowser
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Simulators, open_resources
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import Shot, read_shot
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.runtime.simulators import simulated_machine

GRINDER = Grinder(name="Strange mill", settings=(0, 10), grind_um=(200, 400))
PRESS = profile(pressure(8, name="Press"), cup_g=30)


SEED = 10  # of what its coffee, grinder and machine really are


class StrangePuck(InBrowser):
    learns = True

    @classmethod
    @contextlib.contextmanager
    def at_bench(cls) -> Iterator[Context]:
        """With a machine that is not calm: its pucks are other than they are taken for."""
        with (
            simulated_machine(seed=SEED, speed=0.0) as machine,
            contextlib.closing(
                open_resources(fresh_database(sample_world()), Simulators(machine))
            ) as resources,
        ):
            yield open_bench(resources)

    def setUp(self) -> None:
        super().setUp()
        coffee = add_coffee(self.app, Coffee(name="Strange harvest"))
        grinder = add_grinder(self.app, GRINDER)
        change_bench(self.app, BenchChange(coffee_id=coffee.id, grinder_id=grinder.id))
        version = start_profile(self.app, NewProfile(name="Press", profile=PRESS))
        self.profile_id = version.profile_id
        self.forecast = self.page.get_by_role("complementary", name="Forecast")

    def pulled(self) -> Shot:
        request = PullRequest.model_validate(
            {"profile_id": self.profile_id, "number": 1, "despite": EVERY_CHECK}
        )
        return read_shot(self.app, pull(self.app, request))

    def range_of_the_time(self) -> tuple[float, float]:
        line = self.forecast.locator("li", has_text="Shot time")
        expect(line).to_contain_text(re.compile(r"\d to \d"))
        found = re.search(r"([\d.]+) to ([\d.]+)", line.inner_text())
        assert found
        return float(found[1]), float(found[2])

    @exhaustive
    def test_three_shots_close_the_range_and_the_fourth_falls_within(self) -> None:
        page = self.page
        page.goto(f"/plan/{self.profile_id}")
        self.settled()
        low, high = self.range_of_the_time()
        for number in (1, 2, 3):
            self.pulled()
            wait_for(lambda so_far=number: read_bench(self.app).learnt_shots == so_far, "learning")
        # The open page hears of it without being loaded again.
        expect(self.forecast).to_contain_text("Learnt from 3 shots of this coffee")
        self.settled()
        lower, higher = self.range_of_the_time()
        self.assertLess(higher - lower, 0.6 * (high - low))
        fourth = self.pulled()
        assert fourth.shot_time_s
        self.assertLessEqual(lower, fourth.shot_time_s)
        self.assertGreaterEqual(higher, fourth.shot_time_s)

        page.get_by_role("link", name="Learnt from").click()
        expect(page.get_by_role("heading", name="What the shots taught")).to_be_visible()
        expect(page.locator("[data-counted=true]")).to_have_count(4)
        expect(page.locator("[data-part=in-use]")).to_contain_text("4 shots")
        expect(page.locator("[data-unknown=permeability]")).to_contain_text("was 100")
        self.assertEqual(self.violations(page), [])
        page.get_by_role("button", name="Use this").last.click()
        expect(page.locator("[data-part=in-use]")).to_contain_text("1 shot taught, as you chose")
        self.assertEqual(read_bench(self.app).learnt_shots, 1)
        page.get_by_role("button", name="Use the newest").click()
        expect(page.locator("[data-part=in-use]")).to_contain_text("4 shots")
        page.get_by_role("button", name="Use none of it").click()
        expect(page.locator("[data-part=in-use]")).to_contain_text("as you chose")
        self.assertIsNone(read_bench(self.app).knowledge)

        page.goto(f"/read/{fourth.id}")
        page.get_by_role("button", name="Change it on this very puck").click()
        page.wait_for_url("**/plan/*")
        expect(page.locator("[data-part=puck]")).to_contain_text(f"puck of shot {fourth.id}")
        self.settled()
        low, high = self.range_of_the_time()
        self.assertLessEqual(low, fourth.shot_time_s + 0.3)
        self.assertGreaterEqual(high, fourth.shot_time_s - 0.3)
        page.get_by_role("button", name="Back to the bench").click()
        expect(page.get_by_role("banner")).to_contain_text("Strange harvest")
        self.assertIsNone(read_bench(self.app).puck)
