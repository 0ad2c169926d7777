"""Dose, ratio and yield: any two give the third."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st

from vapocline.core.base.problems import Refused
from vapocline.core.coffee.grinder import grind_um_at, setting_for
from vapocline.core.coffee.recipe import Recipe, glass_ml, revised


class Recipes(unittest.TestCase):
    def test_any_two_give_the_third(self) -> None:
        now = Recipe(18, 36)
        self.assertEqual(revised(now, dose_g=20), Recipe(20, 40))
        self.assertEqual(revised(now, ratio=2.5), Recipe(18, 45))
        self.assertEqual(revised(now, dose_g=20, yield_g=50).ratio, 2.5)
        follows_dose = Recipe(18, 36, "dose_g")
        self.assertEqual(revised(follows_dose, ratio=2.4)[:2], (15, 36))

    def test_what_followed_hands_its_place_on_when_it_is_changed_itself(self) -> None:
        changed = revised(Recipe(18, 36), yield_g=45)
        self.assertEqual((changed.ratio, changed.follows), (2.5, "ratio"))

    def test_three_that_disagree_and_a_third_out_of_range_are_refused(self) -> None:
        with self.assertRaisesRegex(Refused, "any two of dose, ratio and yield"):
            revised(Recipe(18, 36), dose_g=18, ratio=2, yield_g=50)
        with self.assertRaisesRegex(Refused, "yield_g: got 720, which the other two give"):
            revised(Recipe(18, 36), dose_g=36, ratio=20)

    @given(st.floats(5, 40), st.floats(1, 6))
    def test_the_three_agree_whatever_is_given(self, dose: float, ratio: float) -> None:
        recipe = revised(Recipe(18, 36), dose_g=dose, ratio=ratio)
        self.assertAlmostEqual(recipe.yield_g, dose * ratio, delta=0.051)

    def test_fresher_coffee_stands_higher_in_the_glass(self) -> None:
        self.assertGreater(glass_ml(36, 0.5), glass_ml(36, 0.2))
        self.assertEqual(glass_ml(36, 0), 36)

    def test_a_size_is_turned_back_to_the_setting_that_gives_it(self) -> None:
        settings_, sizes = (8, 12, 14.5, 18, 24), (214, 263, 300, 352, 446)
        for setting in (8, 10.3, 14.5, 23.7):
            size = grind_um_at(settings_, sizes, setting)
            self.assertAlmostEqual(setting_for(settings_, sizes, size), setting, delta=0.02)
        self.assertEqual(setting_for(settings_, sizes, 900), 24)
