"""Spreads within tasters and between pulls: from repeats alone, and not known before there are."""

from __future__ import annotations

import unittest

import numpy as np

from vapocline.core.taste.spreads import (
    LEAST_REPEATS,
    Repeated,
    RepeatedPulls,
    ScoreSpread,
    house_spreads,
    mean_of,
    moderated,
)


def repeats(
    taster: str, sd: float, count: int, line: str = "body", seed: int = 1
) -> list[Repeated]:
    draw = np.random.default_rng(seed)
    return [Repeated(taster, line, tuple(draw.normal(5, sd, 2))) for _ in range(count)]


def pulled(recipes: int, sd: float, taster_sd: float, seed: int = 1) -> list[RepeatedPulls]:
    """Two pulls of each recipe, scored by two tasters."""
    draw = np.random.default_rng(seed)
    return [
        RepeatedPulls(
            tuple(
                {("Ines", "liking"): cup + draw.normal(0, taster_sd),
                 ("Teodor", "liking"): cup + draw.normal(0, taster_sd)}
                for cup in 5 + draw.normal(0, sd, 2)
            )
        )
        for _ in range(recipes)
    ]  # fmt: skip


class OfTasters(unittest.TestCase):
    def test_it_is_not_known_before_four_repeats_and_no_default_stands_in(self) -> None:
        few = house_spreads(repeats("Ines", 0.7, LEAST_REPEATS - 1))
        self.assertIsNone(few.of_taster("Ines", "body"))
        self.assertEqual(few.repeats_of("Ines", "body"), LEAST_REPEATS - 1)
        enough = house_spreads(repeats("Ines", 0.7, LEAST_REPEATS))
        self.assertEqual((enough.of_taster("Ines", "body") or ScoreSpread(0, 0)).df, LEAST_REPEATS)
        self.assertIsNone(enough.of_taster("Teodor", "body"))

    def test_many_repeats_bring_it_to_the_tasters_own(self) -> None:
        found = house_spreads(repeats("Ines", 0.6, 300)).of_taster("Ines", "body")
        assert found
        self.assertAlmostEqual(found.sd, 0.6, delta=0.05)

    def test_a_taster_who_never_differs_is_still_no_finer_than_whole_points(self) -> None:
        alike = [Repeated("Ines", "body", (5.0, 5.0)) for _ in range(50)]
        found = house_spreads(alike).of_taster("Ines", "body")
        assert found
        self.assertEqual(found.sd, 0.3)

    def test_other_lines_lend_certainty_and_never_make_a_line_finer(self) -> None:
        own = {
            line: ScoreSpread(sd, 6)
            for line, sd in zip("abcde", (0.5, 0.6, 0.7, 0.8, 0.9), strict=True)
        }
        found = moderated(own)
        for line, spread in own.items():
            self.assertGreaterEqual(found[line].sd, spread.sd)
            self.assertGreater(found[line].df, spread.df)
            self.assertLessEqual(found[line].df, 2 * spread.df)
        self.assertEqual(moderated({"a": ScoreSpread(0.5, 6)}), {"a": ScoreSpread(0.5, 6)})

    def test_lines_that_repeat_unlike_lend_each_other_less(self) -> None:
        alike = moderated({line: ScoreSpread(0.7, 8) for line in "abcdef"})
        unlike = moderated(
            {line: ScoreSpread(0.2 * 2.2**at, 8) for at, line in enumerate("abcdef")}
        )
        self.assertLess(unlike["a"].df, alike["a"].df)

    def test_a_mean_over_tasters_is_surer_than_one(self) -> None:
        two = mean_of([ScoreSpread(0.8, 6), ScoreSpread(0.8, 6)])
        self.assertAlmostEqual(two.sd, 0.8 / np.sqrt(2))
        self.assertAlmostEqual(two.df, 12)


class BetweenPulls(unittest.TestCase):
    def test_it_has_the_pulls_and_the_tasters_in_it(self) -> None:
        house = house_spreads([], pulled(400, 0.7, 0.8))
        one, both = house.of_pulls(["Ines"], "liking"), house.of_pulls(["Ines", "Teodor"], "liking")
        assert one
        assert both
        self.assertAlmostEqual(one.sd, np.hypot(0.7, 0.8), delta=0.06)
        self.assertAlmostEqual(both.sd, np.hypot(0.7, 0.8 / np.sqrt(2)), delta=0.06)
        self.assertEqual(both.df, 400)

    def test_it_is_not_known_without_repeats_of_a_recipe(self) -> None:
        self.assertIsNone(house_spreads([]).of_pulls(["Ines"], "liking"))
        self.assertIsNone(house_spreads([], pulled(3, 0.7, 0.8)).of_pulls(["Ines"], "liking"))
        house = house_spreads([], pulled(9, 0.7, 0.8))
        self.assertIsNone(house.of_pulls(["Ines", "Bea"], "liking"))

    def test_tasters_who_never_met_at_a_repeat_are_judged_as_if_all_were_the_pull(self) -> None:
        apart = [
            RepeatedPulls(tuple({(who, "liking"): points} for points in (4.0, 6.0)))
            for who in ("Ines", "Teodor")
            for _ in range(5)
        ]
        found = house_spreads([], apart).of_pulls(["Ines", "Teodor"], "liking")
        self.assertEqual(found, ScoreSpread(np.sqrt(2), 5))
