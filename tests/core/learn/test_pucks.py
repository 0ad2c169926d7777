"""One shot's own puck, the shot that would teach most, and what was learnt in units."""

from __future__ import annotations

import unittest

from tests.core.learn.shots import shot, styled
from vapocline.core.base.problems import Refused
from vapocline.core.learn.in_units import in_units
from vapocline.core.learn.learning import learn
from vapocline.core.learn.next_shot import CandidateShot, most_taught
from vapocline.core.learn.this_puck import identified
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.plan import knowing, reground
from vapocline.core.puck.predict import predict


class ThisPuck(unittest.TestCase):
    def test_its_own_profile_on_it_gives_the_shot_again(self) -> None:
        for seed in (511, 512):
            pulled = shot("soak-then-press", seed, {"permeability": 1.4})
            puck = identified(pulled)
            again = predict(knowing(pulled.plan, puck))
            with self.subTest(seed=seed):
                self.assertAlmostEqual(
                    again.shot_time_s.value or 0, pulled.shot_time_s or 0, delta=0.8
                )
                self.assertAlmostEqual(
                    again.first_drip_s.value or 0, pulled.first_drip_s or 0, delta=0.8
                )
                self.assertEqual(puck.pull_spread, 0)

    def test_another_profile_on_it_is_surer_than_on_its_coffee(self) -> None:
        pulled = shot("steady-nine", 513, {"permeability": 1.4})
        other = styled("soak-then-press").model_copy(update={"members": 64})
        puck = predict(knowing(other, identified(pulled))).shot_time_s
        coffee = predict(knowing(other, learn([pulled]).knowledge)).shot_time_s
        self.assertLess((puck.p90 or 0) - (puck.p10 or 0), (coffee.p90 or 0) - (coffee.p10 or 0))

    def test_a_shot_that_does_not_count_is_refused_with_its_reason(self) -> None:
        broken = shot("steady-nine", 514, void="its puck opened a channel")
        with self.assertRaisesRegex(Refused, "opened a channel"):
            identified(broken)


class NextShot(unittest.TestCase):
    def test_a_strength_is_asked_for_before_there_is_one(self) -> None:
        known = learn([shot("steady-nine", 515)]).knowledge
        again = styled("steady-nine")
        found = most_taught(
            [CandidateShot("measured", again, strength=True), CandidateShot("again", again)], known
        )
        assert found
        self.assertEqual(found.words, "measured")
        self.assertLess(found.then_points, 0.6 * found.now_points)

    def test_what_was_not_tried_teaches_more_than_a_repeat(self) -> None:
        known = learn([shot("steady-nine", 516 + at) for at in range(2)]).knowledge
        again = styled("steady-nine")
        found = most_taught(
            [
                CandidateShot("again", again),
                CandidateShot("finer", reground(again, -25)),
                CandidateShot("bloom", styled("bloom")),
            ],
            known,
        )
        assert found
        self.assertNotEqual(found.words, "again")
        self.assertLess(found.then_time_pct, found.now_time_pct)

    def test_nothing_is_proposed_where_all_is_known(self) -> None:
        sure = tuple(
            one.model_copy(update={"sd": 1e-4})
            for one in (
                Knowledge().of(p.name) for p in learn([shot("steady-nine", 518)]).parameters
            )
        )
        table = tuple(tuple(float(i == j) for j in range(len(sure))) for i in range(len(sure)))
        known = Knowledge(shots=9, strengths=9, learnt=sure, correlations=table)
        self.assertIsNone(most_taught([CandidateShot("again", styled("steady-nine"))], known))


class InUnits(unittest.TestCase):
    def test_what_was_learnt_is_told_in_a_baristas_units(self) -> None:
        found = learn([shot("steady-nine", 520 + at, {"head_free_ml": 1.5}) for at in range(2)])
        by_name = {one.name: one for one in in_units(found.parameters, styled("steady-nine").setup)}
        self.assertEqual(len(by_name), len(found.parameters))
        head = by_name["head"]
        self.assertEqual((head.unit, head.moved), ("mL", True))
        self.assertGreater(head.after.value, head.before.value)
        self.assertLess(head.after.high - head.after.low, head.before.high - head.before.low)
        self.assertEqual(
            (by_name["permeability"].unit, by_name["permeability"].before.value), ("%", 100)
        )
        self.assertEqual(
            (by_name["permeability by grind"].unit, by_name["permeability by grind"].before.value),
            ("", 2),
        )
        self.assertFalse(by_name["rate"].moved)
