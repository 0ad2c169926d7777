"""Ways of preparing a puck in words, and doses that are a mix of two settings."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from vapocline.core.coffee.grinder import Grinder, mixed_with, on_click, setting_on
from vapocline.core.coffee.preparation import Preparation, steps_of


class Steps(unittest.TestCase):
    def test_what_is_done_stands_in_the_order_of_work(self) -> None:
        whole = Preparation(
            name="Careful", sprayed=True, clumps="stirred", heap="tapped level", leveller_mm=9.5,
            tamp="guided by the rim", tamp_kg=15,
        )  # fmt: skip
        self.assertEqual(
            steps_of(whole),
            "sprayed, stirred with needles, tapped level, leveller at 9.5 mm, "
            "tamped, guided by the rim with 15 kg",
        )
        self.assertEqual(steps_of(Preparation(name="Plain")), "tamped")

    def test_a_depth_or_force_that_no_tool_has_is_refused(self) -> None:
        for bad in ({"leveller_mm": 0}, {"leveller_mm": 90}, {"tamp_kg": 0}, {"clumps": "some"}):
            with self.subTest(bad), self.assertRaises(ValidationError):
                Preparation.model_validate({"name": "Odd"} | bad)


class Clicks(unittest.TestCase):
    def test_a_proposed_setting_is_one_that_a_hand_can_set(self) -> None:
        dial = Grinder(name="Clicks", settings=(0, 10), grind_um=(200, 400), step=2)
        self.assertEqual([setting_on(dial, um) for um in (240, 259, 261, 700)], [2, 2, 4, 10])
        stepless = dial.model_copy(update={"step": None})
        self.assertEqual(setting_on(stepless, 244), 2.2)
        odd = Grinder(name="Odd", settings=(0.3, 9.7), grind_um=(400, 200), step=0.5)
        self.assertEqual([on_click(odd, at) for at in (0.3, 5.2, 9.7)], [0.5, 5.0, 9.5])

    def test_clicks_further_apart_than_the_dial_is_long_change_nothing(self) -> None:
        dial = Grinder(name="Coarse", settings=(3, 4), grind_um=(200, 400), step=10)
        self.assertEqual(on_click(dial, 3.5), 3.5)


class Mixes(unittest.TestCase):
    def test_a_mix_lies_between_the_two_sizes_nearer_the_more_stayed_inside(self) -> None:
        little, much = (mixed_with(300, 400, grams, 18) for grams in (1, 6))
        self.assertTrue(300 < little.grind_um < much.grind_um < 400)
        self.assertLess(little.spread, much.spread)

    def test_the_same_size_or_nothing_inside_is_no_mix(self) -> None:
        self.assertEqual(mixed_with(300, 300, 5, 18), (300, 0))
        self.assertEqual(mixed_with(300, 400, 0, 18), (300, 0))

    def test_more_inside_than_a_dose_is_at_most_the_whole_dose(self) -> None:
        self.assertEqual(mixed_with(300, 400, 20, 7), mixed_with(300, 400, 7, 7))

    def test_what_stays_inside_a_grinder_has_a_limit(self) -> None:
        with self.assertRaises(ValidationError):
            Grinder(name="Odd", settings=(0, 9), grind_um=(200, 400), retention_g=21)
