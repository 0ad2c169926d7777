"""What a tasting could tell, said before it begins; and how much caffeine it comes to."""

from __future__ import annotations

import unittest
from typing import Any

from tests.core.taste.worlds import Evening, House
from vapocline.core.taste.caffeine import tally_of
from vapocline.core.taste.prospects import prospects
from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.spreads import HouseSpreads

NOTHING = HouseSpreads()


def said(spreads: HouseSpreads = NOTHING, **setup: Any) -> str:
    known = {"shot_ids": (1, 2), "tasters": ("Ines", "Teodor")}
    return " ".join(prospects(SessionSetup.model_validate(known | setup), spreads))


class Prospects(unittest.TestCase):
    def test_six_triangles_need_five_right_and_seventeen_tell_surely(self) -> None:
        words = said(kind="triangle", rounds=3)
        self.assertIn("5 right of 6 answers would show that the drinks differ", words)
        self.assertIn("17 answers 80 %", words)
        self.assertIn("it takes at least three", said(kind="triangle", tasters=("Ines",)))

    def test_five_choices_show_no_preference_and_six_may(self) -> None:
        five = said(kind="pair", rounds=5, tasters=("Ines",))
        self.assertIn("it takes at least six", five)
        self.assertIn("6 of 6 answers for the same drink", said(kind="pair", rounds=3))

    def test_two_who_rank_three_cups_alike_are_not_believed_and_three_are(self) -> None:
        words = said(kind="rank", shot_ids=(1, 2, 3))
        self.assertIn("it takes at least 3", words)
        three = said(kind="rank", shot_ids=(1, 2, 3), tasters=("Ines", "Teodor", "Bea"))
        self.assertIn("agree on the order would show a difference", three)

    def test_a_description_says_how_many_points_are_told_apart(self) -> None:
        words = said()
        self.assertIn("shown and not judged: repeats so far Ines 0 of 4 and Teodor 0 of 4", words)
        self.assertIn("hidden duplicate", words)
        cups = said(Evening(House(repeats=12), 1).spreads())
        self.assertRegex(cups, r"A difference of 3\.\d points on one line is found in four of five")
        self.assertIn("it speaks of these cups", cups)
        recipes = said(Evening(House(repeats=12, pulls_again=12), 1).spreads())
        self.assertNotIn("it speaks of these cups", recipes)
        self.assertIn("One cup alone", said(shot_ids=(1,)))


class Caffeine(unittest.TestCase):
    def test_six_cups_shared_add_up_and_a_pause_is_advised(self) -> None:
        self.assertIsNone(tally_of([(18, 1.0, False)]).advice)
        six = tally_of([(18, 1 / 3, False)] * 6)
        self.assertEqual((six.cups, six.caffeine_mg), (6, 360))
        self.assertIn("pause", six.advice or "")
        self.assertIn("for a day", tally_of([(18, 1.0, False)] * 3).advice or "")

    def test_decaffeinated_cups_count_little_and_many_cups_tire_the_palate(self) -> None:
        decaf = tally_of([(18, 1.0, True)] * 8)
        self.assertLess(decaf.caffeine_mg, 50)
        self.assertIn("palate", decaf.advice or "")
