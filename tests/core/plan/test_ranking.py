"""Styles in order for a bench: each factor moves them, and the reason is what weighs most."""

from __future__ import annotations

import unittest
from collections import Counter

from tests.core.plan.test_styles import SLUICE
from vapocline.core.coffee.coffee import Roast
from vapocline.core.machine.machine import Machine, ProgramLimits
from vapocline.core.plan.start_water import BEGIN_C, meant_water, start_water
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import style_named, unsolved
from vapocline.core.plan.styles.ranking import Liked, Ranked, ranked
from vapocline.core.puck.plan import Setup

SETUP = Setup(dose_g=18, machine=SLUICE)


def order(setup: Setup = SETUP, ratio: float = 2.0, roast: Roast = "medium",
          **liked: Liked) -> list[Ranked]:  # fmt: skip
    named = {key.replace("_", "-"): one for key, one in liked.items()}
    return ranked(setup, ratio * setup.dose_g, roast, named)


def place(found: list[Ranked], key: str) -> int:
    return [one.style.key for one in found].index(key)


def reason(found: list[Ranked], key: str) -> str:
    return found[place(found, key)].reason


class Ranking(unittest.TestCase):
    def test_every_style_is_there_once_with_a_reason_and_an_objection(self) -> None:
        found = order()
        self.assertEqual({one.style.key for one in found}, {one.key for one in STYLES})
        for one in found:
            self.assertTrue(one.reason)
            self.assertTrue(one.style.against)

    def test_the_roast_decides_between_styles_of_one_drink(self) -> None:
        light, dark = order(roast="light"), order(roast="dark")
        self.assertLess(place(light, "soak-then-press"), place(light, "steady-nine"))
        self.assertLess(place(dark, "steady-nine"), place(dark, "soak-then-press"))
        self.assertEqual(
            reason(dark, "gentle-low-pressure"),
            "stays calm, under about six bar; suits a dark roast",
        )
        self.assertIn("this one is light", reason(light, "gentle-low-pressure"))

    def test_what_is_true_of_most_styles_is_no_reason_for_one_of_them(self) -> None:
        for roast in ("light", "medium", "dark"):
            for rest_days in (2.0, 12.0):
                found = order(SETUP.model_copy(update={"rest_days": rest_days}), roast=roast)
                said = Counter(one.reason.rpartition("; ")[2] for one in found[:6])
                with self.subTest(roast=roast, rest_days=rest_days):
                    self.assertLessEqual(max(said.values()), 3)
        self.assertEqual(
            reason(order(roast="light"), "soak-then-press"), "wets the whole puck before it presses"
        )

    def test_a_style_for_another_drink_comes_last_and_says_so(self) -> None:
        self.assertEqual(
            reason(order(roast="light"), "filter-like"), "made for 1 : 6 to 1 : 8, not 1 : 2.0"
        )
        self.assertEqual(place(order(ratio=7.0, roast="light"), "filter-like"), 0)

    def test_a_fresh_coffee_favours_what_lets_its_gas_out(self) -> None:
        fresh = SETUP.model_copy(update={"rest_days": 2.0})
        found = order(fresh, roast="light")
        self.assertEqual(found[0].style.key, "bloom")
        self.assertEqual(found[0].reason, "rested only 2 days, and it bears fresh coffee")

    def test_what_own_cups_say_moves_a_style_by_how_many_there_are(self) -> None:
        plain = place(order(), "level-flow")
        self.assertLess(place(order(level_flow=Liked(2.0, 8)), "level-flow"), max(1, plain))
        disliked = order(steady_nine=Liked(-3.0, 6))
        self.assertGreater(place(disliked, "steady-nine"), place(order(), "steady-nine"))
        self.assertEqual(
            reason(disliked, "steady-nine"),
            "liked 3.0 points less than your other shots, in 6 cups",
        )

    def test_a_machine_whose_program_has_no_place_for_it_counts_against_a_style(self) -> None:
        narrow = Machine(name="Narrow", program=ProgramLimits(stages=2))
        found = order(SETUP.model_copy(update={"machine": narrow}), roast="light")
        free = order(roast="light")
        soaked = "soak-then-press"
        self.assertLess(found[place(found, soaked)].worth, free[place(free, soaked)].worth)


class Water(unittest.TestCase):
    def test_the_lighter_the_roast_the_hotter_it_is_begun(self) -> None:
        temperatures = list(BEGIN_C.values())
        self.assertEqual(temperatures, sorted(temperatures, reverse=True))

    def test_the_effect_is_that_of_two_predictions(self) -> None:
        plan = unsolved(style_named("steady-nine"), SETUP, 36)
        found = start_water(plan.model_copy(update={
            "setup": SETUP.model_copy(update={"water_c": 86.0})}), "light")  # fmt: skip
        assert found
        self.assertEqual(found.water_c, BEGIN_C["light"])
        self.assertGreater(found.extraction_yield_change_points or 0, 0.1)

    def test_what_the_version_is_meant_for_comes_before_the_roast(self) -> None:
        plan = unsolved(style_named("steady-nine"), SETUP, 36)
        meant = plan.model_copy(
            update={"profile": plan.profile.model_copy(update={"water_c": 90.0})}
        )
        found = start_water(meant, "light")
        assert found
        self.assertEqual((found.water_c, found.because, found.roast), (90, "version", None))
        self.assertLess(found.extraction_yield_change_points or 0, 0)
        as_set = SETUP.model_copy(update={"water_c": 90.0})
        self.assertIsNone(meant_water(meant.model_copy(update={"setup": as_set})))
        self.assertIsNone(meant_water(plan))

    def test_near_enough_is_not_proposed(self) -> None:
        plan = unsolved(style_named("steady-nine"), SETUP, 36)
        near = SETUP.model_copy(update={"water_c": BEGIN_C["medium"] + 0.5})
        self.assertIsNone(start_water(plan.model_copy(update={"setup": near}), "medium"))
