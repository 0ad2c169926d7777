"""A guided run: one number moved until a figure is where it is wanted, or nothing helps."""

from __future__ import annotations

import unittest

from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from vapocline.core.advise.guided import MOST_SHOTS, Bounds, GuidedAim, GuidedShot, next_step

WANTED = GuidedAim(number="grind_setting", figure="shot_time_s", at=30, within=1)
BOUNDS = Bounds(0, 40)
SLOPE = -3.0  # s for a step coarser


class NextStep(unittest.TestCase):
    def test_the_first_step_goes_by_the_model(self) -> None:
        step = next_step(WANTED, [GuidedShot(14, 24)], SLOPE, BOUNDS)
        self.assertEqual((step.state, step.value), ("go on", 12))

    def test_later_ones_go_by_what_was_measured(self) -> None:
        step = next_step(WANTED, [GuidedShot(14, 24), GuidedShot(12, 27)], SLOPE, BOUNDS)
        self.assertEqual(step.value, 10)

    def test_no_step_is_so_long_that_it_is_another_drink(self) -> None:
        self.assertEqual(next_step(WANTED, [GuidedShot(16, 10)], -0.5, BOUNDS).value, 12)

    def test_between_two_tries_on_both_sides_it_stays_between_them(self) -> None:
        step = next_step(WANTED, [GuidedShot(14, 24), GuidedShot(10, 36)], SLOPE, BOUNDS)
        self.assertEqual(step.value, 12)

    def test_noise_that_turns_the_slope_round_does_not_lead_away(self) -> None:
        step = next_step(WANTED, [GuidedShot(14, 26), GuidedShot(13, 25)], SLOPE, BOUNDS)
        assert step.value is not None
        self.assertLess(step.value, 14)

    def test_it_ends_within_after_four_and_where_nothing_helps(self) -> None:
        within = next_step(WANTED, [GuidedShot(14, 24), GuidedShot(12, 29.2)], SLOPE, BOUNDS)
        self.assertEqual((within.state, within.value), ("within", None))
        far = [GuidedShot(14 - n, 20 + n) for n in range(MOST_SHOTS + 1)]
        given_up = next_step(WANTED, far, SLOPE, BOUNDS)
        self.assertEqual(given_up.state, "given up")
        self.assertIn("The nearest was 24 at 10", given_up.words)
        self.assertEqual(next_step(WANTED, [GuidedShot(14, 24)], 0.0, BOUNDS).state, "given up")
        at_end = next_step(WANTED, [GuidedShot(14, 24), GuidedShot(12, 27)], SLOPE, Bounds(12, 40))
        self.assertEqual(at_end.state, "given up")

    @given(st.floats(20, 30), st.floats(-6, -2.5), st.floats(0.4, 2.5), st.floats(22, 40))
    def test_on_a_straight_line_four_shots_are_enough_whatever_the_model_believes(
        self, start: float, true_slope: float, wrong: float, first: float
    ) -> None:
        points = [GuidedShot(start, first)]
        bounds = Bounds(start - 100, start + 100)
        for _ in range(MOST_SHOTS):
            step = next_step(WANTED, points, true_slope * wrong, bounds)
            if step.value is None:
                break
            points.append(GuidedShot(step.value, first + true_slope * (step.value - start)))
        last = next_step(WANTED, points, true_slope * wrong, bounds)
        self.assertEqual(last.state, "within")

    def test_a_wish_that_says_nothing_is_refused(self) -> None:
        for wrong in ({"number": "pressure"}, {"at": 0}, {"within": -1}, {"figure": "liking"}):
            with self.assertRaises(ValidationError):
                GuidedAim.model_validate(WANTED.model_dump() | wrong)
