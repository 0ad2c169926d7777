"""A first forecast: its range narrows with each answer, and holds what benches turn out to be."""

from __future__ import annotations

import itertools
import math
import unittest

from vapocline.core.begin.answers import (
    Answers,
    BasketAnswer,
    CoffeeAnswer,
    DrinkAnswer,
    GrinderAnswer,
    MachineAnswer,
)
from vapocline.core.begin.forecast import PARTS, begin_forecast
from vapocline.core.puck.answer import Figure

SAID = Answers(
    machine=MachineAnswer(hand="pressure"),
    grinder=GrinderAnswer(),
    coffee=CoffeeAnswer(roast="medium"),
    basket=BasketAnswer(),
    drink=DrinkAnswer(),
)
RESTED = 12.0


def after(count: int) -> Answers:
    """So many of the answers, in their order."""
    return SAID.model_copy(update=dict.fromkeys(PARTS[count:]))


def width(figure: Figure) -> float:
    assert figure.p10
    assert figure.p90
    return math.log(figure.p90 / figure.p10)


class Narrowing(unittest.TestCase):
    def test_each_answer_narrows_the_shot_time_or_the_strength(self) -> None:
        shots = [
            begin_forecast(after(count), RESTED if count >= 3 else None, 128) for count in range(6)
        ]
        for count, (before, now) in enumerate(itertools.pairwise(shots)):
            with self.subTest(PARTS[count]):
                self.assertLess(width(now.shot_time_s), width(before.shot_time_s) + 0.01)
        self.assertLess(width(shots[-1].shot_time_s), 0.75 * width(shots[0].shot_time_s))
        self.assertLess(width(shots[-1].tds_pct), 0.6 * width(shots[0].tds_pct))

    def test_a_dose_that_is_levelled_stays_wider_than_one_weighed(self) -> None:
        levelled = SAID.model_copy(update={"basket": BasketAnswer(weighed=False)})
        weighed, other = (
            width(begin_forecast(one, RESTED, 128).tds_pct) for one in (SAID, levelled)
        )
        self.assertLess(weighed, other)

    def test_a_date_that_is_not_known_leaves_the_rest_open(self) -> None:
        dated = begin_forecast(SAID, RESTED, 128).first_drip_s
        undated = begin_forecast(SAID, None, 128).first_drip_s
        self.assertLess(width(dated), width(undated))

    def test_the_same_answers_give_the_same_range(self) -> None:
        one, other = (begin_forecast(SAID, RESTED, 32).shot_time_s for _ in range(2))
        self.assertEqual(one, other)
