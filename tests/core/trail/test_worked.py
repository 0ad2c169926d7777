"""What worked, and which recipe is the best so far: by pulls, as far as their spread is known."""

from __future__ import annotations

import unittest
from collections.abc import Mapping

import numpy as np

from tests.core.trail.worlds import settled_at, verdicts_of
from tests.marks import examples, more_cases
from vapocline.core.advise.evidence import Tried, moved_line
from vapocline.core.taste.spreads import HouseSpreads, RepeatedPulls, house_spreads
from vapocline.core.taste.tasting import Line
from vapocline.core.trail.best import CupLiking, best_of, liking_of
from vapocline.core.trail.worked import summed_changes

NOTHING = HouseSpreads()
LINES: tuple[Line, ...] = ("liking", "body", "acidity")


def known(sd: float, recipes: int = 20, seed: int = 1) -> HouseSpreads:
    """A house that pulled recipes twice, their scores by Ines so far apart."""
    draw = np.random.default_rng(seed)
    pulls = [
        tuple({("Ines", line): float(draw.normal(5, sd)) for line in LINES} for _ in range(2))
        for _ in range(recipes)
    ]
    return house_spreads([], [RepeatedPulls(pair) for pair in pulls])


def moved(
    move: str,
    points: Mapping[Line, float],
    pulls: tuple[int, int] = (0, 1),
    spreads: HouseSpreads = NOTHING,
    *,
    blind: bool = False,
) -> Tried:
    lines = {line: moved_line({"Ines": step}, line, spreads) for line, step in points.items()}
    return Tried(move, lines, None, pulls, blind)


class WhatWorked(unittest.TestCase):
    def test_what_undoes_a_change_counts_with_the_other_sign_under_it(self) -> None:
        [found] = summed_changes(
            [
                moved("finer", {"liking": 2.0}, (0, 1)),
                moved("finer", {"liking": 4.0}, (2, 3)),
                moved("coarser", {"liking": -3.0}, (4, 5)),
            ]
        )
        self.assertEqual((found.move, found.pulls, found.pulls_for), ("finer", 3, 3))
        self.assertEqual(found.points, 3.0)

    def test_a_change_made_as_often_as_its_opposite_is_there_once(self) -> None:
        found = summed_changes([moved("finer", {"liking": 1}), moved("coarser", {"liking": 1})])
        self.assertEqual(len(found), 1)
        self.assertEqual((found[0].pulls_for, found[0].pulls_against), (1, 1))

    def test_one_pair_is_one_cup_each_and_gets_odds(self) -> None:
        [one] = summed_changes([moved("warmer", {"liking": 6.0})])
        self.assertEqual((one.verdict, one.low), ("too few to tell", None))
        self.assertIn("one cup each", one.said)
        self.assertGreater(one.more or 0, one.less or 0)
        few = summed_changes([moved("warmer", {"liking": 9.0}, (n, n + 1)) for n in (0, 2)])
        self.assertIn("probably helps", few[0].said)

    def test_a_verdict_needs_pulls_whose_spread_is_known(self) -> None:
        pairs = [(n, n + 1) for n in range(0, 12, 2)]
        unknown = summed_changes([moved("warmer", {"liking": -3.0}, at) for at in pairs])
        self.assertEqual(unknown[0].verdict, "too few to tell")
        spreads = known(0.8)
        hurts = summed_changes(
            [moved("warmer", {"liking": -3.0, "body": 3.0}, at, spreads) for at in pairs]
        )
        self.assertEqual((hurts[0].verdict, hurts[0].lines), ("hurts", {"body": 3.0}))
        self.assertLess(hurts[0].high or 0, 0)

    def test_pulls_that_several_pairs_share_count_once(self) -> None:
        spreads = known(1.0)
        apart = summed_changes(
            [moved("finer", {"liking": 2.0}, at, spreads) for at in ((0, 1), (2, 3), (4, 5))]
        )
        shared = summed_changes(
            [moved("finer", {"liking": 2.0}, at, spreads) for at in ((0, 1), (0, 2), (0, 3))]
        )
        self.assertLess(apart[0].high or 0, shared[0].high or 0)

    def test_blind_cups_are_weighed_apart_from_open_ones(self) -> None:
        [found] = summed_changes(
            [
                moved("finer", {"liking": 4.0}, (0, 1)),
                moved("finer", {"liking": -1.0}, (2, 3), blind=True),
            ]
        )
        self.assertEqual((found.pulls, found.points, found.blind), (1, -1.0, True))

    def test_without_a_word_on_liking_nothing_is_said(self) -> None:
        [found] = summed_changes([moved("cooler", {"body": -3.0})])
        self.assertEqual((found.points, found.said), (None, "not scored for liking"))

    @more_cases
    def test_where_nothing_works_at_most_one_coffee_in_twenty_is_told_that_something_does(
        self,
    ) -> None:
        """Six moves on a coffee, three pairs each, the same first pull in all of them."""
        runs = examples(500)
        told = [any(verdicts_of(seed, taster_sd=0.75, pull_sd=0.7)) for seed in range(runs)]
        self.assertLessEqual(sum(told) / runs, 0.08)

    @more_cases
    def test_where_nothing_happens_at_most_one_expectation_in_twenty_is_settled(self) -> None:
        runs = examples(500)
        told = [settled_at(seed, 1.5, 0.7) for seed in range(runs)]
        self.assertLessEqual(sum(told) / runs, 0.08)


class Best(unittest.TestCase):
    def test_liking_has_the_error_of_pulls_and_none_where_that_is_not_known(self) -> None:
        cups = [CupLiking("Ines", 7, pull) for pull in range(4)]
        unknown = liking_of(cups, NOTHING)
        assert unknown
        self.assertIsNone(unknown.error)
        one, four = liking_of(cups[:1], known(1.0)), liking_of(cups, known(1.0))
        assert one
        assert four
        self.assertAlmostEqual((four.error or 0) * 2, one.error or 0, places=1)
        self.assertEqual((four.cups, four.pulls), (4, 4))
        self.assertIsNone(liking_of([], NOTHING))

    def test_many_cups_of_one_pull_are_one_pull(self) -> None:
        cups = [CupLiking("Ines", points, 1) for points in (6, 7, 8)]
        found = liking_of(cups, known(1.0))
        assert found
        self.assertEqual((found.points, found.cups, found.pulls), (7, 3, 1))

    def test_the_range_holds_what_a_recipe_is_worth_nine_times_in_ten(self) -> None:
        draw, within = np.random.default_rng(4), []
        for seed in range(400):
            spreads = known(1.1, recipes=8, seed=seed)
            cups = [CupLiking("Ines", float(draw.normal(6, 1.1)), pull) for pull in range(3)]
            found = liking_of(cups, spreads)
            assert found
            within.append(abs(found.points - 6) <= (found.error or 0))
        self.assertAlmostEqual(float(np.mean(within)), 0.9, delta=0.04)

    def test_one_lucky_cup_does_not_beat_many_good_ones(self) -> None:
        many = [CupLiking("Ines", 8, pull) for pull in range(6)]
        lucky, poor = [CupLiking("Ines", 8, 10)], [CupLiking("Ines", 3, 11)]
        self.assertEqual(best_of({1: many, 2: lucky, 3: poor}), 1)
        self.assertIsNone(best_of({1: []}))
