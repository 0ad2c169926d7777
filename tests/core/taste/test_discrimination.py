"""Forced choices against tables that are in print."""

from __future__ import annotations

import unittest

import numpy as np

from vapocline.core.taste.discrimination import (
    FIRST_LOOK,
    PAIR_CHANCE,
    answers_needed,
    least_right,
    power_of,
    preference,
    triangle,
    two_sided_needed,
)


class Triangle(unittest.TestCase):
    def test_five_of_six_come_by_guessing_once_in_56(self) -> None:
        found = triangle(5, 6)
        self.assertAlmostEqual(found.p_value, 13 / 729)
        self.assertEqual(round(found.p_value, 3), 0.018)
        self.assertEqual(round(1 / found.p_value), 56)
        self.assertLessEqual(found.p_value, FIRST_LOOK)
        self.assertAlmostEqual(found.discriminators, 0.75)

    def test_the_least_right_answers_are_those_of_the_printed_table(self) -> None:
        # E. B. Roessler et al., J. Food Sci. 43 (1978), 5 %.
        table = {
            3: 3, 4: 4, 5: 4, 6: 5, 7: 5, 8: 6, 9: 6, 10: 7, 11: 7, 12: 8, 13: 8, 14: 9, 15: 9,
            16: 9, 17: 10, 18: 10, 19: 11, 20: 11, 21: 12, 22: 12, 23: 12, 24: 13, 25: 13, 30: 15,
        }  # fmt: skip
        self.assertEqual({of: least_right(of, alpha=0.05) for of in table}, table)
        self.assertIsNone(least_right(2))

    def test_guesses_and_nothing_right_are_not_believed(self) -> None:
        for right in range(3):
            with self.subTest(right=right):
                found = triangle(right, 6)
                self.assertGreater(found.p_value, FIRST_LOOK)
                self.assertEqual(found.discriminators_low, 0)
        self.assertEqual(triangle(0, 6).p_value, 1)
        self.assertEqual(triangle(2, 6).discriminators, 0)

    def test_how_many_answers_it_takes_is_as_in_the_printed_table(self) -> None:
        # ASTM E1885, 5 % and a power of 80 %, for a difference that half of the answers tell.
        self.assertEqual(answers_needed(0.5), 17)
        self.assertGreater(answers_needed(0.3) or 0, 30)
        self.assertIsNone(answers_needed(0.01))

    def test_power_grows_with_what_is_told_and_is_small_where_nothing_is(self) -> None:
        powers = [power_of(18, discriminators) for discriminators in (0, 0.2, 0.4, 0.6, 0.8)]
        self.assertEqual(powers, sorted(powers))
        self.assertLessEqual(powers[0], 0.05)
        self.assertGreater(powers[-1], 0.99)
        self.assertEqual(power_of(2, 1.0), 0)

    def test_guessers_are_believed_at_most_once_in_twenty(self) -> None:
        draw = np.random.default_rng(3)
        for of in (6, 9, 12, 18):
            with self.subTest(of=of):
                believed = np.array(
                    [triangle(right, of).p_value <= FIRST_LOOK for right in range(of + 1)]
                )
                self.assertLess(np.mean(believed[draw.binomial(of, 1 / 3, 4000)]), 0.06)


class Pairs(unittest.TestCase):
    def test_the_printed_sign_test(self) -> None:
        # Two-sided, as in any table of the binomial: 9 of 10, 8 of 10, 6 of 6, 5 of 6.
        self.assertEqual(round(preference(9, 1).p_value, 4), 0.0215)
        self.assertEqual(round(preference(8, 2).p_value, 4), 0.1094)
        self.assertEqual(round(preference(0, 6).p_value, 4), 0.0312)
        self.assertGreater(preference(5, 1).p_value, FIRST_LOOK)
        self.assertEqual(preference(9, 1).p_value, preference(1, 9).p_value)

    def test_ties_are_left_out_and_all_ties_say_nothing(self) -> None:
        self.assertEqual(preference(6, 0, ties=3).p_value, preference(6, 0).p_value)
        self.assertEqual(preference(6, 0, ties=3).ties, 3)
        nothing = preference(0, 0, ties=4)
        self.assertEqual(nothing.p_value, 1)
        self.assertEqual((nothing.share_low, nothing.share_high), (0, 1))

    def test_a_strong_preference_takes_fewer_choices_than_a_slight_one(self) -> None:
        strong, slight = two_sided_needed(0.9), two_sided_needed(0.7)
        assert strong is not None
        assert slight is not None
        self.assertLess(strong, slight)
        self.assertIsNone(two_sided_needed(0.51))
        self.assertEqual(least_right(10, PAIR_CHANCE), 9)
