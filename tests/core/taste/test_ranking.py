"""Rankings against tables and examples that are in print."""

from __future__ import annotations

import unittest
from itertools import permutations

import numpy as np
from scipy.stats import friedmanchisquare

from vapocline.core.taste.ranking import friedman

# A. Agresti, Categorical Data Analysis, 2nd ed., table 10.10: games won by the team of the row.
WON = [
    [0, 7, 9, 7, 7, 9, 11],
    [6, 0, 7, 5, 11, 9, 9],
    [4, 6, 0, 7, 7, 8, 12],
    [6, 8, 6, 0, 6, 7, 10],
    [6, 2, 6, 7, 0, 7, 12],
    [4, 4, 5, 6, 6, 0, 6],
    [2, 4, 1, 3, 1, 7, 0],
]


class Friedman(unittest.TestCase):
    def test_probabilities_are_those_of_the_printed_table(self) -> None:
        # S. Siegel, Nonparametric Statistics, table N.
        printed = {
            ((1, 2, 3), (1, 2, 3), (1, 2, 3)): (6.0, 0.028),
            ((1, 2, 3), (1, 2, 3), (1, 3, 2)): (4.667, 0.194),
            ((1, 2, 3),) * 4: (8.0, 0.0046),
            ((1, 2, 3), (1, 2, 3), (1, 2, 3), (1, 3, 2)): (6.5, 0.042),
            ((1, 2, 3, 4), (1, 2, 3, 4)): (6.0, 0.042),
            ((1, 2, 3, 4),) * 3: (9.0, 0.0017),
        }
        for places, (q, p_value) in printed.items():
            with self.subTest(places):
                found = friedman(places)
                self.assertAlmostEqual(found.q, q, places=3)
                self.assertAlmostEqual(found.p_value, p_value, delta=0.0006)

    def test_the_statistic_is_scipys_also_with_ties(self) -> None:
        draw = np.random.default_rng(2)
        for _ in range(10):
            places = draw.integers(1, 4, (5, 4)).astype(float)
            theirs = friedmanchisquare(*places.T)
            self.assertAlmostEqual(friedman(places.tolist()).q, theirs.statistic, places=9)

    def test_agreement_is_whole_when_all_rank_alike_and_none_when_they_cancel(self) -> None:
        self.assertAlmostEqual(friedman([[1, 2, 3]] * 5).agreement, 1)
        self.assertAlmostEqual(friedman(list(permutations((1, 2, 3)))).agreement, 0)
        tied = friedman([[1, 1, 1], [2, 2, 2]])
        self.assertEqual((tied.q, tied.p_value, tied.agreement), (0, 1, 0))

    def test_one_taster_alone_is_never_believed(self) -> None:
        self.assertEqual(friedman([[1, 2, 3, 4]]).p_value, 1)

    def test_a_large_panel_is_drawn_and_comes_near_what_is_counted_out(self) -> None:
        draw = np.random.default_rng(4)
        places = [[*map(float, draw.permutation(6) + 1)] for _ in range(9)]
        found = friedman(places)
        self.assertAlmostEqual(
            found.p_value, friedmanchisquare(*np.array(places).T).pvalue, delta=0.03
        )

    def test_cups_that_are_alike_are_believed_at_most_once_in_twenty(self) -> None:
        draw = np.random.default_rng(5)
        for tasters, cups in ((2, 3), (3, 3), (4, 3), (3, 4), (2, 4)):
            with self.subTest(tasters=tasters, cups=cups):
                believed = [
                    friedman([draw.permutation(cups).tolist() for _ in range(tasters)]).believed
                    for _ in range(400)
                ]
                self.assertLessEqual(np.mean(believed), 0.075)

    def test_a_pair_is_told_apart_only_where_the_first_and_last_of_equals_seldom_are(
        self,
    ) -> None:
        found = friedman([[1, 2, 3]] * 4)
        self.assertAlmostEqual(found.pair_p_values[0, 2], 6 * (1 / 6) ** 4)
        self.assertGreater(found.pair_p_values[0, 1], 0.3)
        self.assertEqual(found.distinct_pairs, [(0, 2)])
        turned = friedman([[3, 2, 1]] * 4)
        self.assertEqual(turned.distinct_pairs, [(2, 0)])
        self.assertEqual(friedman([[1, 2, 3], [3, 2, 1]]).distinct_pairs, [])
