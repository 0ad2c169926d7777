"""What each step does, and finding the value that meets a goal."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from tests.factories import plan, pressure, profile, seconds, soaked
from vapocline.core.base.problems import Refused
from vapocline.core.plan.adjustable import adjustable_at, adjustables_of, adjusted
from vapocline.core.plan.goal import Goal, seek
from vapocline.core.plan.sensitivity import sensitivities
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict


def with_tries(one: Plan, members: int = 64, seed: int = 1) -> Prediction:
    return predict(one.model_copy(update={"members": members, "seed": seed}))


class Sensitivities(unittest.TestCase):
    def test_every_number_a_user_may_turn_has_one_in_the_direction_expected(self) -> None:
        found = {one.what: one for one in sensitivities(plan(*soaked(2.5)))}
        self.assertEqual(set(found), {one.path for one in adjustables_of(plan(*soaked(2.5)))})
        self.assertLess(found["setup.grind_um"].changes["extraction_yield_pct"], 0)
        self.assertGreater(found["setup.water_c"].changes["extraction_yield_pct"], 0)
        self.assertLess(found["profile.phases.1.command.level"].changes["shot_time_s"], 0)
        self.assertGreater(found["profile.stop.cup_g"].changes["shot_time_s"], 0)
        self.assertAlmostEqual(found["profile.stop.cup_g"].changes["yield_g"], 1.0, delta=0.1)

    def test_they_are_what_a_real_step_does(self) -> None:
        one = plan(pressure(9))
        told = next(s for s in sensitivities(one) if s.what == "setup.grind_um")
        coarser = predict(adjusted(one, {"setup.grind_um": 310})).shot_time_s.value
        finer = predict(adjusted(one, {"setup.grind_um": 290})).shot_time_s.value
        self.assertAlmostEqual(told.changes["shot_time_s"], (coarser - finer) / 2, delta=0.12)

    def test_at_the_edge_of_a_range_the_step_is_one_sided(self) -> None:
        found = {one.what: one for one in sensitivities(plan(pressure(9), dose_g=40, grind_um=500))}
        self.assertIsNotNone(found["setup.dose_g"].changes["shot_time_s"])


def goal(one: Plan, wants: list[dict], moves: list[dict]) -> Goal:
    return Goal.model_validate({"plan": one.written(), "wants": wants, "moves": moves})


class Goals(unittest.TestCase):
    def test_the_grind_for_thirty_seconds(self) -> None:
        found = seek(
            goal(
                plan(pressure(9)),
                [{"figure": "shot_time_s", "at": 30}],
                [{"what": "setup.grind_um"}],
            )
        )
        self.assertTrue(found.reached, found.words)
        self.assertLess(found.moves[0].after, 300)
        self.assertAlmostEqual(predict(found.plan).shot_time_s.value, 30, delta=0.15)

    def test_a_number_without_bounds_is_sought_further_than_a_dozen_steps(self) -> None:
        far = plan(pressure(9), grind_um=520)
        wants, moves = [{"figure": "shot_time_s", "at": 28}], [{"what": "setup.grind_um"}]
        found = seek(goal(far, wants, moves))
        self.assertTrue(found.reached, found.words)
        step = adjustable_at(far, "setup.grind_um").step
        self.assertGreater(520 - found.moves[0].after, 12 * step)

    def test_two_numbers_for_two_wants(self) -> None:
        wants = [{"figure": "shot_time_s", "at": 30}, {"figure": "ratio", "at": 2.4}]
        found = seek(
            goal(
                plan(pressure(9)),
                wants,
                [{"what": "setup.grind_um"}, {"what": "profile.stop.cup_g"}],
            )
        )
        self.assertTrue(found.reached, found.words)
        answer = predict(found.plan)
        self.assertAlmostEqual(answer.ratio.value, 2.4, delta=0.02)

    def test_an_inequality_is_kept(self) -> None:
        wants = [{"figure": "peak_pressure_bar", "at_most": 6}]
        one = plan(*soaked(3.5))
        found = seek(goal(one, wants, [{"what": "profile.phases.1.command.level"}]))
        self.assertTrue(found.reached, found.words)
        self.assertLessEqual(predict(found.plan).peak_pressure_bar.value, 6.06)

    def test_what_cannot_be_reached_says_how_near_it_gets(self) -> None:
        wants = [{"figure": "extraction_yield_pct", "at": 29}]
        found = seek(
            goal(plan(pressure(9)), wants, [{"what": "setup.water_c", "low": 85, "high": 98}])
        )
        self.assertFalse(found.reached)
        self.assertIn("Nothing in water 85 to 98 °C reaches it", found.words)
        self.assertAlmostEqual(found.moves[0].after, 98, delta=0.5)
        self.assertGreater(found.wants[0].miss, 1)

    def test_what_may_not_move_is_refused_with_what_may(self) -> None:
        with self.assertRaisesRegex(Refused, "setup.grind_um"):
            seek(
                goal(
                    plan(pressure(9)),
                    [{"figure": "extraction_yield_pct", "at": 20}],
                    [{"what": "setup.mood"}],
                )
            )
        with self.assertRaisesRegex(Refused, "a low below the high"):
            moves = [{"what": "setup.grind_um", "low": 400, "high": 300}]
            seek(goal(plan(pressure(9)), [{"figure": "extraction_yield_pct", "at": 20}], moves))
        with self.assertRaisesRegex(ValidationError, "want"):
            goal(
                plan(pressure(9)),
                [{"figure": "extraction_yield_pct"}],
                [{"what": "setup.grind_um"}],
            )

    def test_a_number_keeps_its_place_when_turned(self) -> None:
        one = Plan(setup=Setup(dose_g=18), profile=profile(pressure(9, 6, seconds(40), over=20)))
        self.assertEqual(adjustable_at(one, "profile.phases.0.command.to").value, 6)
        moved = adjusted(one, {"profile.phases.0.command.to": 5.5, "setup.dose_g": 17})
        self.assertEqual(moved.profile.phases[0].command.to, 5.5)
        self.assertEqual(moved.setup.dose_g, 17)
