"""Styles for what stands on the bench: in order, by what own cups say too; water for the roast."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from tests.factories import EVERY_CHECK, pressure, profile
from tests.parts import context_on_fresh_database
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.plan.styles import fit_style, list_styles, propose_water
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.taste.tasting import score

PRESSED = profile(pressure(8, name="Press"), cup_g=36)


class OnABench(unittest.TestCase):
    context: Context

    @classmethod
    def setUpClass(cls) -> None:
        cls.context = cls.enterClassContext(context_on_fresh_database())

    def tasted(self, name: str, style: str | None, liking: int) -> None:
        new = NewProfile(name=name, profile=PRESSED, style=style)
        made = start_profile(self.context, new)
        request = {"profile_id": made.profile_id, "number": 1, "despite": EVERY_CHECK}
        shot = pull(self.context, PullRequest.model_validate(request))
        score(self.context, shot, Tasting(liking=liking))

    def test_a_style_whose_shots_were_liked_more_than_others_comes_before(self) -> None:
        before = [one.key for one in list_styles(self.context)]
        for number in range(3):
            self.tasted(f"Level {number}", "level-flow", 9)
        self.tasted("Own", None, 5)
        after = list_styles(self.context)
        keys = [one.key for one in after]
        self.assertEqual(sorted(keys), sorted(before))
        self.assertEqual(keys[0], "level-flow")
        self.assertEqual(after[0].reason, "liked 4.0 points more than your other shots, in 3 cups")

    def test_a_profile_begins_as_a_style_that_there_is(self) -> None:
        with self.assertRaises(ValidationError):
            NewProfile(name="Nameless", style="none such")
        self.assertEqual(fit_style(self.context, "bloom", regrind=False).key, "bloom")

    def test_water_is_proposed_for_the_roast_with_its_effect(self) -> None:
        coffee = add_coffee(self.context, Coffee(name="Pale", roast="light"))
        change_bench(self.context, BenchChange(coffee_id=coffee.id, water_c=88))
        found = propose_water(self.context, PRESSED)
        assert found
        self.assertEqual((found.water_c, found.roast), (94, "light"))
        self.assertGreater(found.extraction_yield_change_points or 0, 0)
        change_bench(self.context, BenchChange(water_c=94))
        self.assertIsNone(propose_water(self.context, PRESSED))
