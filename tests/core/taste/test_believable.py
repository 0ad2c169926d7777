"""The smallest believable difference: from repeats, drawn to the house's while they are few."""

from __future__ import annotations

import unittest

import numpy as np

from vapocline.core.taste.believable import START_SD, TWICE, Repeated, believable


def repeats(taster: str, sd: float, count: int, seed: int = 1) -> list[Repeated]:
    draw = np.random.default_rng(seed)
    return [Repeated(taster, "body", tuple(draw.normal(5, sd, 2))) for _ in range(count)]


class SmallestDifference(unittest.TestCase):
    def test_without_repeats_it_is_the_value_to_start_from(self) -> None:
        found = believable([]).of("Ines", "body")
        self.assertAlmostEqual(found.points, TWICE * START_SD)
        self.assertEqual(found.repeats, 0)

    def test_many_repeats_bring_it_to_the_tasters_own(self) -> None:
        found = believable(repeats("Ines", 0.4, 200)).of("Ines", "body")
        self.assertAlmostEqual(found.points, TWICE * 0.4, delta=0.12)
        self.assertEqual(found.repeats, 200)

    def test_few_repeats_lie_between_the_tasters_own_and_the_houses(self) -> None:
        house = repeats("Teodor", 1.0, 60, seed=2)
        few = repeats("Ines", 0.4, 3, seed=3)
        own = believable([*few, *repeats("Ines", 0.4, 150, seed=4)]).of("Ines", "body").points
        drawn = believable([*few, *house])
        stranger = drawn.of("Nobody yet", "body").points
        self.assertLess(own, drawn.of("Ines", "body").points)
        self.assertLess(drawn.of("Ines", "body").points, stranger)
        self.assertAlmostEqual(stranger, TWICE * 1.0, delta=0.3)

    def test_a_taster_who_never_differs_is_still_no_finer_than_whole_points(self) -> None:
        alike = [Repeated("Ines", "body", (5.0, 5.0)) for _ in range(50)]
        self.assertGreater(believable(alike).of("Ines", "body").points, 0.8)

    def test_a_mean_over_tasters_tells_finer(self) -> None:
        found = believable([])
        one = found.of("Ines", "body").points
        self.assertAlmostEqual(found.of_mean(["Ines", "Teodor"], "body"), one / np.sqrt(2))

    def test_single_scores_teach_nothing(self) -> None:
        self.assertEqual(
            believable([Repeated("Ines", "body", (3.0,))]).of("Ines", "body").repeats, 0
        )

    def test_two_alike_cups_differ_by_more_once_in_twenty(self) -> None:
        draw = np.random.default_rng(6)
        found = believable(repeats("Ines", 0.8, 3000, seed=7)).of("Ines", "body").points
        apart = np.abs(draw.normal(5, 0.8, 4000) - draw.normal(5, 0.8, 4000))
        self.assertAlmostEqual(float(np.mean(apart > found)), 0.05, delta=0.02)
