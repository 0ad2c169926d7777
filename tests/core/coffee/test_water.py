"""Waters: from a recipe of salts, in degrees, and what to mind."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from vapocline.core.coffee.water import Salts, Water, facts_of, minerals_of


class Waters(unittest.TestCase):
    def test_a_recipe_gives_the_minerals_of_its_salts(self) -> None:
        # 1 mmol/L of each: a hardness of 100.09, an alkalinity of half of it.
        for salt, mg_l, minerals in (
            ("magnesium_sulfate_mg_l", 246.47, (100.1, 0)),
            ("calcium_chloride_mg_l", 147.01, (100.1, 0)),
            ("magnesium_chloride_mg_l", 203.30, (100.1, 0)),
            ("sodium_bicarbonate_mg_l", 84.01, (0, 50.0)),
            ("potassium_bicarbonate_mg_l", 100.12, (0, 50.0)),
        ):
            with self.subTest(salt):
                self.assertEqual(minerals_of(Salts(**{salt: mg_l})), minerals)
        both = Water(
            name="Mixed", salts=Salts(magnesium_sulfate_mg_l=246.47, sodium_bicarbonate_mg_l=84.01)
        )
        facts = facts_of(both)
        self.assertEqual((facts.hardness_mg_l, facts.alkalinity_mg_l), (100.1, 50.0))

    def test_hardness_is_told_in_degrees_too(self) -> None:
        facts = facts_of(Water(name="Tap", hardness_mg_l=178.5))
        self.assertEqual((facts.hardness_german, facts.hardness_french), (10.0, 17.9))
        self.assertIsNone(facts.alkalinity_mg_l)

    def test_only_what_lies_outside_is_minded(self) -> None:
        for hardness, alkalinity, words in (
            (100, 60, []), (150, 75, []), (150, 40, []),
            (100, 39, ["sharp"]), (100, 76, ["flat"]), (151, 60, ["scale"]),
            (300, 200, ["flat", "scale"]), (None, 30, ["sharp"]), (None, None, []),
        ):  # fmt: skip
            with self.subTest(hardness=hardness, alkalinity=alkalinity):
                water = Water(name="Any", hardness_mg_l=hardness, alkalinity_mg_l=alkalinity)
                said = facts_of(water).cautions
                self.assertEqual(len(said), len(words))
                for one, word in zip(said, words, strict=True):
                    self.assertIn(word, one)

    def test_numbers_that_are_not_the_recipes_are_refused(self) -> None:
        salts = Salts(sodium_bicarbonate_mg_l=84.01)
        Water(name="Right", salts=salts, alkalinity_mg_l=50)
        with self.assertRaisesRegex(ValidationError, "recipe"):
            Water(name="Wrong", salts=salts, alkalinity_mg_l=80)
