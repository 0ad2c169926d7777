"""What worked, and which recipe is the best so far."""

from __future__ import annotations

import unittest

from vapocline.core.advise.weighing import Tried
from vapocline.core.taste.believable import START_SD, believable
from vapocline.core.trail.best import CupLiking, best_of, liking_of
from vapocline.core.trail.worked import summed_changes

SMALLEST = believable([])


class WhatWorked(unittest.TestCase):
    def test_what_undoes_a_change_counts_with_the_other_sign_under_it(self) -> None:
        [found] = summed_changes(
            [
                Tried("finer", {"liking": 1.0, "body": 2.0}),
                Tried("finer", {"liking": 2.0}),
                Tried("coarser", {"liking": -1.5}),
            ]
        )
        self.assertEqual((found.move, found.cups, found.cups_for), ("finer", 3, 3))
        self.assertEqual((found.steps, found.verdict), (1.5, "helps"))
        self.assertEqual(found.lines, {"body": 2.0})

    def test_a_change_made_as_often_as_its_opposite_is_there_once(self) -> None:
        found = summed_changes([Tried("finer", {"liking": 1}), Tried("coarser", {"liking": 1})])
        self.assertEqual(len(found), 1)
        self.assertEqual((found[0].cups_for, found[0].cups_against), (1, 1))

    def test_one_cup_that_moved_a_little_tells_nothing_and_many_against_do(self) -> None:
        [few] = summed_changes([Tried("warmer", {"liking": 0.8})])
        self.assertEqual(few.verdict, "too few to tell")
        self.assertTrue((few.low or 0) < 0 < (few.high or 0))
        [many] = summed_changes([Tried("warmer", {"liking": -0.8})] * 6)
        self.assertEqual((many.verdict, many.cups_against), ("hurts", 6))

    def test_without_a_word_on_liking_lines_are_told_and_nothing_else(self) -> None:
        [found] = summed_changes([Tried("cooler", {"bitterness": -1.4})])
        self.assertIsNone(found.steps)
        self.assertEqual((found.verdict, found.lines), ("too few to tell", {"bitterness": -1.4}))


class Best(unittest.TestCase):
    def test_liking_has_the_error_of_repeated_cups(self) -> None:
        one = liking_of([CupLiking("Ines", 7)], SMALLEST)
        four = liking_of([CupLiking("Ines", 7)] * 4, SMALLEST)
        assert one
        assert four
        self.assertAlmostEqual(one.error, 1.645 * START_SD, places=1)
        self.assertAlmostEqual(four.error, one.error / 2, places=1)
        self.assertIsNone(liking_of([], SMALLEST))

    def test_one_lucky_cup_does_not_beat_many_good_ones(self) -> None:
        many = [CupLiking("Ines", 8)] * 6
        self.assertEqual(
            best_of({1: many, 2: [CupLiking("Ines", 8)], 3: [CupLiking("Ines", 3)]}), 1
        )
        self.assertIsNone(best_of({1: []}))
