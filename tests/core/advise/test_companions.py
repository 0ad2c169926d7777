"""The grind that goes with a change, and the shot that tells two changes apart."""

from __future__ import annotations

import unittest

from tests.core.advise.test_candidates import before
from vapocline.core.advise.between import move_between, moves_between, same_recipe
from vapocline.core.advise.candidates import candidates_for, refitted_candidate
from vapocline.core.advise.companions import with_time_kept
from vapocline.core.advise.evidence import TastedShot
from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.separating import separate
from vapocline.core.advise.settling import settled
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.taste.spreads import HouseSpreads

HERE = before("soak-then-press")


def moved(key: str, plan: Plan | None = None) -> Plan:
    start = HERE if plan is None else HERE._replace(plan=plan)
    found = MOVE[key].change(start)
    assert found
    return found


class KeepingTheTime(unittest.TestCase):
    def test_the_grind_brings_the_shot_time_back(self) -> None:
        longer = moved("much_longer_drink")
        refitted = with_time_kept(HERE.plan, longer)
        assert refitted
        self.assertGreater(refitted.setup.grind_um, longer.setup.grind_um)
        aim, found = (predict(one).shot_time_s.value for one in (HERE.plan, refitted))
        assert aim
        assert found
        self.assertAlmostEqual(found, aim, delta=0.5)

    def test_a_change_that_keeps_the_time_needs_no_companion(self) -> None:
        self.assertIsNone(with_time_kept(HERE.plan, moved("cooler")))
        self.assertIsNone(refitted_candidate(HERE.plan, ["too bitter"], "cooler"))

    def test_no_grind_keeps_the_time_of_a_commanded_flow(self) -> None:
        level = before("level-flow")
        slower = MOVE["less_flow"].change(level)
        assert slower
        self.assertIsNone(with_time_kept(level.plan, slower))

    def test_only_what_is_a_candidate_is_refitted_and_a_grind_never(self) -> None:
        self.assertIsNone(refitted_candidate(HERE.plan, ["too bitter"], "warmer"))
        self.assertIsNone(refitted_candidate(HERE.plan, ["too bitter"], "coarser"))
        nine = before("steady-nine").plan
        found = refitted_candidate(nine, ["too bitter"], "shorter_drink")
        assert found
        every = candidates_for(nine, ["too bitter"])
        plain = next(one for one in every if one.move == "shorter_drink")
        self.assertLess(found.plan.setup.grind_um, plain.plan.setup.grind_um)
        self.assertEqual(found.voices[0].reason, plain.voices[0].reason)

    def test_what_was_taken_with_a_new_grind_is_settled_by_both(self) -> None:
        after = with_time_kept(HERE.plan, moved("much_longer_drink"))
        assert after
        cups = tuple(
            TastedShot(plan, {("Ines", "hot"): {"acidity": points}})
            for plan, points in ((HERE.plan, 8.0), (after, 3.0))
        )
        for regrind, outcome in ((True, "too small to tell"), (False, "not made")):
            found = settled(
                "longer_drink", {"acidity": -1.0}, (cups[0], cups[1]), HouseSpreads(),
                regrind=regrind,
            )  # fmt: skip
            self.assertEqual(found.outcome, outcome)


class Separating(unittest.TestCase):
    def test_the_earlier_shot_with_only_one_of_the_two_changes(self) -> None:
        for first, second, words in (
            ("finer", "warmer", "Warmer water"),
            ("longer_soak", "more_coffee", "Longer soak"),
            ("longer_drink", "lower_peak", "Longer drink"),
        ):
            with self.subTest(first):
                after = moved(second, moved(first))
                found = separate(HERE.plan, after)
                assert found
                self.assertEqual(found.first, words)
                single = move_between(HERE.plan, found.plan)
                self.assertIsNotNone(single)
                self.assertEqual(MOVE[single or ""].words, words)
                self.assertEqual(len(moves_between(found.plan, after)), 1)

    def test_one_change_three_and_another_profile_have_no_such_shot(self) -> None:
        three = moved("finer", moved("warmer", moved("more_coffee")))
        other = before("bloom").plan
        for after in (HERE.plan, moved("finer"), three, other):
            self.assertIsNone(separate(HERE.plan, after))
        self.assertTrue(same_recipe(HERE.plan, HERE.plan))
