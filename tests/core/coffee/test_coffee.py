"""Coffees, bags, grinders and baskets."""

from __future__ import annotations

import unittest
from datetime import date

import numpy as np

from vapocline.core.base.problems import Refused
from vapocline.core.coffee.coffee import Coffee, rest_days
from vapocline.core.coffee.grinder import Grinder, grind_um_at, refuse_bad_points


class Shelf(unittest.TestCase):
    def test_grinder_points_are_met_and_lie_monotone_between(self) -> None:
        settings, sizes = (8, 12, 14.5, 18, 24), (214, 263, 300, 352, 446)
        for setting, size in zip(settings, sizes, strict=True):
            self.assertAlmostEqual(grind_um_at(settings, sizes, setting), size)
        between = [grind_um_at(settings, sizes, x) for x in np.linspace(8, 24, 60)]
        self.assertTrue((np.diff(between) > 0).all())

    def test_a_setting_far_outside_is_refused_with_the_size_it_would_give(self) -> None:
        with self.assertRaisesRegex(Refused, "which is .* µm"):
            grind_um_at((8, 24), (214, 446), 200)

    def test_grinder_points_that_turn_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "points"):
            Grinder(name="Bent", settings=(1, 2, 3), grind_um=(200, 300, 250))
        with self.assertRaises(ValueError):
            Grinder(name="One", settings=(1,), grind_um=(200,))

    def test_the_point_that_turns_is_named_with_what_it_takes(self) -> None:
        for settings, sizes, field, accepted in (
            ((1, 2, 2), (200, 300, 400), "settings.2", "more than 2"),
            ((1, 2, 3), (200, 300, 250), "grind_um.2", "more than 300"),
            ((1, 2, 3), (400, 300, 350), "grind_um.2", "less than 300"),
        ):
            with self.subTest(field), self.assertRaises(Refused) as refused:
                refuse_bad_points(settings, sizes)
            (problem,) = refused.exception.problems
            self.assertEqual(problem.field, field)
            self.assertIn(accepted, problem.accepted)

    def test_rest_days_count_from_the_roast(self) -> None:
        coffee = Coffee(name="Any", roasted_on=date(2026, 3, 1))
        self.assertEqual(rest_days(coffee, date(2026, 3, 13)), 12)
        self.assertEqual(rest_days(coffee, date(2026, 2, 1)), 0)
        self.assertIsNone(rest_days(Coffee(name="Any"), date(2026, 3, 13)))
