"""Phases end exactly when they should, move as they should, and say what ended them."""

from __future__ import annotations

import unittest

import numpy as np

from tests.factories import (
    STRONG,
    flow,
    off,
    predicted,
    pressure,
    seconds,
    soaked,
    until_cup,
    valve,
)
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.core.profile.profile import (
    CupExit,
    Exit,
    FirstDripExit,
    FlowAboveExit,
    FlowBelowExit,
    HandExit,
    PressureAboveExit,
    PressureBelowExit,
    WaterExit,
)
from vapocline.core.puck.predict import Prediction


def value_at(answer: Prediction, trace: str, t: float) -> float:
    return float(np.interp(t, answer.series.time_s, getattr(answer.series, trace)))


class Exits(unittest.TestCase):
    def test_seconds_end_a_phase_to_the_millisecond(self) -> None:
        answer = predicted(pressure(4, None, seconds(3.217)), pressure(9))
        self.assertAlmostEqual(answer.phases[0].end_s, 3.217, places=3)
        self.assertEqual(answer.phases[1].start_s, answer.phases[0].end_s)
        self.assertEqual(answer.phases[0].ended_on, "seconds")

    def test_each_kind_of_exit_ends_its_phase_when_its_value_is_met(self) -> None:
        falling = [
            pressure(8, 3, *exits, over=12)
            for exits in ((PressureBelowExit(value=4), seconds(60)),)
        ]
        cases: list[tuple[str, list, str, float]] = [
            (
                "pressure_above",
                [flow(5, None, PressureAboveExit(value=3), seconds(60))],
                "pressure_bar",
                3,
            ),
            ("pressure_below", falling, "pressure_bar", 4),
            (
                "flow_above",
                [flow(1, 5, FlowAboveExit(value=3), seconds(60), over=10)],
                "water_in_ml_s",
                3,
            ),
            (
                "flow_below",
                [flow(5, 1, FlowBelowExit(value=3), seconds(60), over=10)],
                "water_in_ml_s",
                3,
            ),
            ("cup_g", [pressure(8, None, CupExit(value=12), seconds(60))], "cup_g", 12),
        ]
        for when, phases, trace, value in cases:
            with self.subTest(when):
                answer = predicted(*phases, pressure(6))
                self.assertEqual(answer.phases[0].ended_on, when)
                end = answer.phases[0].end_s
                if trace == "water_in_ml_s":  # the next phase's pump answers at once
                    end = answer.series.time_s[int(np.searchsorted(answer.series.time_s, end)) - 1]
                # Samples are 0.1 s apart and the scale lags: an exit lies within that.
                delta = 0.6 if trace == "cup_g" else 0.25
                self.assertAlmostEqual(value_at(answer, trace, end), value, delta=delta)

    def test_a_flow_above_does_not_count_the_rush_that_fills_the_head(self) -> None:
        """From dry, after a fill and after a rest: the pump gives more than the level at first."""
        risen = pressure(9, None, FlowAboveExit(value=3), seconds(60))
        for before in ((), soaked(1.5)[:1], (pressure(3, None, seconds(8)), off(seconds(5)))):
            with self.subTest(len(before)):
                answer = predicted(*before, risen, pressure(4), grind_um=330)
                span = answer.phases[len(before)]
                self.assertEqual(span.ended_on, "flow_above")
                self.assertGreater(span.end_s - span.start_s, 1.5)
                held = value_at(answer, "pressure_bar", span.end_s - 0.2)
                self.assertAlmostEqual(held, 9, delta=0.5)

    def test_water_pumped_counts_from_the_phases_own_start(self) -> None:
        answer = predicted(
            flow(4, None, seconds(3)), flow(4, None, WaterExit(value=8), seconds(60)), pressure(6)
        )
        second = answer.phases[1]
        self.assertEqual(second.ended_on, "water_ml")
        self.assertAlmostEqual(second.end_s - second.start_s, 2.0, delta=0.02)

    def test_the_first_drip_ends_a_phase(self) -> None:
        answer = predicted(pressure(3, None, FirstDripExit(), seconds(60)), pressure(9))
        self.assertEqual(answer.phases[0].ended_on, "first_drip")
        self.assertAlmostEqual(answer.phases[0].end_s, answer.first_drip_s.value, delta=0.03)

    def test_a_hand_signal_that_never_comes_leaves_the_phase_to_its_guard(self) -> None:
        answer = predicted(pressure(3, None, HandExit(), seconds(7)), pressure(9))
        self.assertEqual(answer.phases[0].ended_on, "seconds")

    def test_the_first_of_several_exits_counts(self) -> None:
        exits: tuple[Exit, ...] = (seconds(30), PressureAboveExit(value=2), WaterExit(value=500))
        answer = predicted(flow(5, None, *exits), pressure(9))
        self.assertEqual(answer.phases[0].ended_on, "pressure_above")

    def test_a_fall_counts_only_after_the_value_was_passed(self) -> None:
        answer = predicted(pressure(6, None, PressureBelowExit(value=4), seconds(5)), pressure(9))
        self.assertEqual(answer.phases[0].ended_on, "seconds")

    def test_the_stop_rule_ends_the_shot_whatever_the_phase(self) -> None:
        by_time = predicted(pressure(9), cup_g=None, stop={"time_s": 12.5})
        self.assertAlmostEqual(by_time.shot_time_s.value, 12.5, places=2)
        self.assertEqual(by_time.stopped_on, "time_s")
        by_water = predicted(pressure(9), cup_g=None, stop={"water_ml": 40})
        self.assertEqual(by_water.stopped_on, "water_ml")
        self.assertAlmostEqual(by_water.water_in_ml.value, 40, delta=0.2)

    def test_the_last_phase_over_ends_the_shot_and_later_ones_are_never_reached(self) -> None:
        ended = predicted(pressure(6, None, seconds(9)), cup_g=None)
        self.assertEqual(ended.stopped_on, "plan_end")
        early = predicted(pressure(9), pressure(3))
        self.assertIsNone(early.phases[1].start_s)
        self.assertIsNone(early.phases[1].ended_on)


class Moves(unittest.TestCase):
    def commanded(self, answer: Prediction, t: float) -> float:
        known = [
            (s, c)
            for s, c in zip(answer.series.time_s, answer.series.commanded, strict=True)
            if c is not None
        ]
        return float(np.interp(t, [s for s, _ in known], [c for _, c in known]))

    def test_shapes_lead_from_one_value_to_the_other_each_in_its_way(self) -> None:
        halfway = {}
        for shape in ("linear", "smooth", "spring", "step"):
            answer = predicted(pressure(2, 8, seconds(20), over=10, shape=shape), cup_g=None)
            self.assertAlmostEqual(self.commanded(answer, 11), 8, places=2)
            halfway[shape] = self.commanded(answer, 2.5)
        self.assertAlmostEqual(halfway["linear"], 3.5, delta=0.02)
        self.assertAlmostEqual(halfway["smooth"], 2 + 6 * 0.15625, delta=0.02)
        self.assertGreater(halfway["spring"], halfway["linear"] + 0.3)
        self.assertEqual(halfway["step"], 2)

    def test_a_move_along_water_takes_as_long_as_the_water_does(self) -> None:
        answer = predicted(
            flow(4, 2, seconds(60), over=20, along="water"), cup_g=None, stop={"time_s": 30}
        )
        water = np.concatenate(
            (
                [0],
                np.cumsum(
                    np.diff(answer.series.time_s) * np.array(answer.series.water_in_ml_s)[1:]
                ),
            )
        )
        t = float(np.interp(10, water, answer.series.time_s))
        self.assertAlmostEqual(self.commanded(answer, t), 3, delta=0.08)

    def test_a_move_along_the_cup_waits_for_the_cup(self) -> None:
        answer = predicted(pressure(8, 4, seconds(90), over=30, along="cup"))
        self.assertEqual(self.commanded(answer, answer.first_drip_s.value - 1.5), 8)
        t = float(np.interp(15, answer.series.cup_g, answer.series.time_s))
        self.assertAlmostEqual(self.commanded(answer, t), 6, delta=0.15)

    def test_pump_off_commands_nothing(self) -> None:
        answer = predicted(flow(4, None, seconds(5)), off(seconds(5)), pressure(6))
        i = int(np.searchsorted(answer.series.time_s, 7))
        self.assertIsNone(answer.series.commanded[i])
        self.assertEqual(answer.series.control[i], "off")
        self.assertEqual(answer.series.water_in_ml_s[i], 0)


class Valve(unittest.TestCase):
    MACHINE = Machine(
        name="Needle",
        control=ValveAhead(pump_bar=9, turns=(0, 1, 2), free_flow_ml_s=(0, 2.4, 6.1)),
        relief_bar=12,
    )

    def test_free_flow_through_an_empty_head_is_that_of_the_table(self) -> None:
        answer = predicted(valve(1, seconds(2)), machine=self.MACHINE, cup_g=None)
        self.assertAlmostEqual(value_at(answer, "water_in_ml_s", 1), 2.4, delta=0.05)

    def test_flow_falls_as_the_pressure_nears_the_pumps(self) -> None:
        answer = predicted(valve(1), until_stop := valve(1), machine=self.MACHINE)
        del until_stop
        bar = np.array(answer.series.pressure_bar)
        water = np.array(answer.series.water_in_ml_s)
        inside = (np.array(answer.series.time_s) > 6) & (bar > 0.5) & (water > 0.01)
        expected = 2.4 * np.sqrt(1 - bar[inside] / 9)
        np.testing.assert_allclose(water[inside], expected, atol=0.02)

    def test_wider_open_gives_more_pressure_and_a_shorter_shot(self) -> None:
        narrow, wide = (predicted(valve(turns), machine=self.MACHINE) for turns in (0.8, 1.6))
        self.assertLess(wide.shot_time_s.value, narrow.shot_time_s.value)
        self.assertGreater(wide.peak_pressure_bar.value, narrow.peak_pressure_bar.value)


class Pump(unittest.TestCase):
    def test_a_weak_pump_falls_short_and_says_so(self) -> None:
        weak = STRONG.model_copy(update={"pump_max_bar": 8.0, "top_flow_ml_s": 4.0})
        answer = predicted(pressure(7.5), machine=weak)
        self.assertIn("pump curve", [one.what for one in answer.binding])
        self.assertLess(answer.peak_pressure_bar.value, 7.5)

    def test_weight_exits_follow_the_scale_not_the_cup(self) -> None:
        slow = STRONG.model_copy(update={"scale_lag_s": 1.5})
        quick = STRONG.model_copy(update={"scale_lag_s": 0.0})
        late, prompt = (
            predicted(pressure(9, None, until_cup(20), seconds(60)), pressure(3), machine=m)
            for m in (slow, quick)
        )
        self.assertGreater(late.phases[0].end_s, prompt.phases[0].end_s + 1)
