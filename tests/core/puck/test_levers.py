"""Levers and slow pumps: each presses as its springs, its hand, or its rise say."""

from __future__ import annotations

import unittest

import numpy as np

from tests.core.puck.test_refusals import problems_of
from tests.factories import phase, plan, predicted, pressure, profile, seconds
from vapocline.core.machine.machine import HandLever, Machine, SoftStart, Spring, SpringLever
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import ForceCommand, Phase, PressureAboveExit, SpringCommand
from vapocline.core.puck.predict import Prediction

ONE = Spring(top_bar=8.5, end_bar=4)
LEVER = Machine(name="Gaff", control=SpringLever(springs=(ONE,), stroke_ml=55, line_bar=1.5))
TWO = LEVER.model_copy(
    update={"control": SpringLever(springs=(ONE, Spring(top_bar=2, end_bar=1)), stroke_ml=55)}
)
HAND = Machine(name="Oar", control=HandLever(bar_per_kg=0.5, stroke_ml=70))
SLOW = Machine(name="Slow", control=SoftStart(pump_bar=9, rise_s=5))


def spring(springs: int = 1) -> Phase:
    return phase(SpringCommand(springs=springs), seconds(90))


def force(start: float, end: float, **rest: float) -> Phase:
    return phase(ForceCommand(from_=start, to=end), seconds(90), **rest)


def inside(answer: Prediction, name: str) -> np.ndarray:
    stop = np.array(answer.series.time_s) < answer.shot_time_s.value
    return np.array(getattr(answer.series, name), dtype=float)[stop]


class SpringLevers(unittest.TestCase):
    def test_pressure_falls_in_a_line_with_the_water_pressed_out(self) -> None:
        answer = predicted(pressure(1.5, None, seconds(8)), spring(), machine=LEVER)
        time, bar = inside(answer, "time_s"), inside(answer, "pressure_bar")
        begun = answer.phases[1].start_s
        water = np.cumsum(inside(answer, "water_in_ml_s")) * 0.1
        pressing = time > begun + 2
        pressed = water - np.interp(begun, time, water)
        np.testing.assert_allclose(bar[pressing], 8.5 - 4.5 * pressed[pressing] / 55, atol=0.12)

    def test_a_second_spring_presses_harder_and_the_shot_is_shorter(self) -> None:
        one, two = (
            predicted(pressure(1, None, seconds(8)), spring(springs), machine=TWO)
            for springs in (1, 2)
        )
        self.assertGreater(two.peak_pressure_bar.value, one.peak_pressure_bar.value + 1)
        self.assertLess(two.shot_time_s.value, one.shot_time_s.value)

    def test_a_lever_that_is_up_presses_no_more_and_says_so(self) -> None:
        short = LEVER.model_copy(
            update={"control": SpringLever(springs=(ONE,), stroke_ml=40, line_bar=1.5)}
        )
        answer = predicted(pressure(1.5, None, seconds(6)), spring(), machine=short, cup_g=60)
        self.assertEqual(answer.stopped_on, "plan_end")
        self.assertIn("stroke", [one.what for one in answer.binding])
        self.assertLess(inside(answer, "pressure_bar")[-1], 0.2)

    def test_what_the_lever_cannot_do_is_refused(self) -> None:
        problems = problems_of(plan(pressure(3), spring(2), machine=LEVER))
        self.assertIn("line pressure", problems["profile.phases.0.command.from"].accepted)
        self.assertEqual(problems["profile.phases.1.command.springs"].accepted, "at most 1 on Gaff")
        bare = plan(phase(SpringCommand(), PressureAboveExit(value=4)), machine=LEVER)
        self.assertIn("seconds", problems_of(bare)["profile.phases.0.exits"].accepted)

    def test_another_number_of_springs_is_a_difference_in_words(self) -> None:
        words = profile_differences(profile(spring(1)), profile(spring(2)))
        self.assertEqual(words, ["phase with 2 of its springs, was 1"])


class HandLevers(unittest.TestCase):
    def test_the_pressure_is_the_hands_force_times_the_lever(self) -> None:
        answer = predicted(force(4, 4, over=0), machine=HAND, cup_g=20)
        self.assertAlmostEqual(answer.peak_pressure_bar.value, 2.0, delta=0.02)
        falling = predicted(force(16, 8, over=20), machine=HAND)
        bar = inside(falling, "pressure_bar")
        self.assertLess(bar[-1], bar.max() - 2)

    def test_more_force_than_the_relief_allows_is_refused_in_kg(self) -> None:
        problems = problems_of(plan(force(30, 30), machine=HAND))
        self.assertIn("at most 22 kg", problems["profile.phases.0.command.to"].accepted)

    def test_one_stroke_holds_so_much_water_over_all_its_phases(self) -> None:
        answer = predicted(
            phase(ForceCommand(from_=8, to=8), seconds(12)), force(18, 18), machine=HAND, cup_g=90
        )
        self.assertAlmostEqual(answer.water_in_ml.value, 70, delta=0.1)


class SoftStarts(unittest.TestCase):
    def test_pressure_comes_up_over_the_rise_and_says_what_holds_it(self) -> None:
        quick, slow = (
            predicted(pressure(9), machine=machine)
            for machine in (
                SLOW.model_copy(update={"control": SoftStart(pump_bar=9, rise_s=0.5)}),
                SLOW,
            )
        )
        at = [np.interp(3.5, a.series.time_s, a.series.pressure_bar) for a in (quick, slow)]
        self.assertLess(at[1], at[0] - 1)
        self.assertIn("soft start", [one.what for one in slow.binding])

    def test_it_has_but_one_pressure(self) -> None:
        for bar in (6, 10):
            problems = problems_of(plan(pressure(bar), machine=SLOW))
            self.assertIn("profile.phases.0.command.to", problems)


class Dial(unittest.TestCase):
    def test_the_machines_own_dial_reads_more_while_water_flows(self) -> None:
        machine = Machine(name="Far", dial_drop=0.05)
        answer = predicted(pressure(6), machine=machine)
        bar, flow, dial = (
            np.array(getattr(answer.series, name))
            for name in ("pressure_bar", "water_in_ml_s", "dial_bar")
        )
        np.testing.assert_allclose(dial, bar + 0.05 * flow**2, atol=2e-3)
