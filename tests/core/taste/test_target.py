"""How far cups are from a coffee's target, in words."""

from __future__ import annotations

import unittest

from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.target import Distance, Target, distance_from, off_target_words


def cup(who: str, words: tuple[str, ...] = (), **scores: float) -> tuple[str, Distance]:
    aim = Target(scores={"dryness": 2, "sweetness": 7}, words=("plum",))
    return who, distance_from(aim, scores, words, who, HouseSpreads())


class OffTarget(unittest.TestCase):
    def test_all_who_find_the_same_are_named_together_the_furthest_off_first(self) -> None:
        cups = [cup("Ines", sweetness=4, dryness=7), cup("Bram", dryness=6), cup("Ines", dryness=7)]
        (who, dry), (one, sweet) = off_target_words(cups)
        self.assertEqual((who, one), ("Ines and Bram", "Ines"))
        self.assertRegex(
            dry, r"^drier than wanted by 4 to 5 \(\d\.\d to \d\.\d noticeable steps\)$"
        )
        self.assertRegex(sweet, r"^less sweet than wanted by 3 \(\d\.\d noticeable steps\)$")

    def test_words_that_were_not_found_are_missed_by_who_said_any(self) -> None:
        cups = [cup("Ines", ("cocoa",)), cup("Bram"), cup("Odile", ("Plum",))]
        self.assertEqual(off_target_words(cups), [("Ines", "no plum")])

    def test_what_is_on_target_or_hardly_off_says_nothing(self) -> None:
        self.assertEqual(off_target_words([cup("Ines", dryness=2, sweetness=7)]), [])
