"""What the model must show, as a barista would expect it: the table of docs/model.md."""

from __future__ import annotations

import unittest
from itertools import pairwise

import numpy as np

from tests.factories import bloomed, flat, flow, off, predicted, pressure, seconds, soaked
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import FirstDripExit, Limit
from vapocline.core.puck.predict import Prediction


def at_stop(answer: Prediction, trace: str) -> float:
    """A trace's value when the pump stops."""
    return float(
        np.interp(answer.shot_time_s.value, answer.series.time_s, getattr(answer.series, trace))
    )


class FlatShot(unittest.TestCase):
    def test_nine_bar_to_36_g_lands_where_a_barista_expects(self) -> None:
        answer = flat(9)
        self.assertTrue(5 <= answer.first_drip_s.value <= 8, answer.first_drip_s.value)
        self.assertTrue(23 <= answer.shot_time_s.value <= 30, answer.shot_time_s.value)
        self.assertTrue(
            18.5 <= answer.extraction_yield_pct.value <= 21, answer.extraction_yield_pct.value
        )
        self.assertTrue(9 <= answer.tds_pct.value <= 10.5, answer.tds_pct.value)
        self.assertEqual(answer.stopped_on, "cup_g")

    def test_finer_runs_slower_and_takes_more_out(self) -> None:
        middle, finer, coarser = (flat(9, grind_um=size) for size in (300, 280, 320))
        slower = finer.shot_time_s.value / middle.shot_time_s.value - 1
        faster = coarser.shot_time_s.value / middle.shot_time_s.value - 1
        self.assertTrue(0.07 <= slower <= 0.15, slower)
        self.assertTrue(-0.12 <= faster <= -0.05, faster)
        self.assertGreater(finer.extraction_yield_pct.value, middle.extraction_yield_pct.value)
        self.assertLess(coarser.extraction_yield_pct.value, middle.extraction_yield_pct.value)

    def test_rested_and_stale_coffee_run_faster_with_every_step_of_pressure(self) -> None:
        for days in (12, 60):
            times = [flat(bar, rest_days=days).shot_time_s.value for bar in (6, 9, 12)]
            for lower, higher in pairwise(times):
                self.assertLess(higher, lower, f"rested {days} days")

    def test_very_fresh_coffee_runs_no_faster_at_twelve_bar(self) -> None:
        nine, twelve = (flat(bar, rest_days=1).shot_time_s.value for bar in (9, 12))
        self.assertGreaterEqual(twelve, nine - 0.1)

    def test_drips_after_the_stop_grow_with_the_flow(self) -> None:
        drips = []
        for bar in (4, 9):
            answer = flat(bar)
            drips.append(answer.yield_g.value - answer.cup_at_stop_g.value)
        for grams in drips:
            self.assertTrue(0.4 <= grams <= 1.5, drips)
        self.assertGreater(drips[1], drips[0])

    def test_uneven_prep_drips_earlier_and_takes_less_out(self) -> None:
        even, uneven = (flat(9, unevenness=spread) for spread in (0.0, 0.4))
        self.assertLess(uneven.first_drip_s.value, even.first_drip_s.value)
        self.assertLess(uneven.extraction_yield_pct.value, even.extraction_yield_pct.value)
        self.assertGreater(uneven.unevenness.value, even.unevenness.value)

    def test_hotter_water_takes_more_out(self) -> None:
        cool, hot = (
            flat(9, water_c=temperature).extraction_yield_pct.value for temperature in (85, 96)
        )
        self.assertGreater(hot, cool + 0.3)


class FlowHeld(unittest.TestCase):
    def test_more_flow_than_the_puck_passes_overshoots_then_falls_as_it_erodes(self) -> None:
        answer = predicted(*soaked(4.5, limit=Limit(pressure_bar=9)))
        trace = np.array(answer.series.pressure_bar)
        self.assertAlmostEqual(answer.peak_pressure_bar.value, 9, delta=0.2)
        self.assertLess(at_stop(answer, "pressure_bar"), trace.max() - 0.2)
        self.assertIn("pressure limit", [one.what for one in answer.binding])

    def test_a_lower_flow_peaks_under_nine_and_declines_by_a_third(self) -> None:
        answer = predicted(*soaked(1.8))
        self.assertLess(answer.peak_pressure_bar.value, 9)
        self.assertLess(at_stop(answer, "pressure_bar"), answer.peak_pressure_bar.value * 2 / 3)

    def test_soaking_through_slowly_leaves_a_puck_that_no_longer_reaches_the_normal_peak(
        self,
    ) -> None:
        direct = predicted(flow(3))
        soaked_first = predicted(flow(1.2, None, FirstDripExit(), seconds(60)), flow(3))
        self.assertLess(soaked_first.peak_pressure_bar.value, direct.peak_pressure_bar.value - 0.3)


class Phases(unittest.TestCase):
    def test_water_in_and_cup_out_stay_apart_until_the_grains_are_full(self) -> None:
        answer = flat(9)
        self.assertGreater(answer.meet_s.value, answer.first_drip_s.value + 1)
        self.assertGreater(answer.stays_behind_ml.value, 20)

    def test_they_meet_sooner_after_a_longer_soak(self) -> None:
        after = []
        for soak in (3, 15):
            answer = predicted(pressure(2, None, seconds(soak)), pressure(9))
            after.append(answer.meet_s.value - max(soak, answer.first_drip_s.value))
        self.assertLess(after[1], after[0])

    def test_a_bloom_takes_more_out_and_ends_faster_and_thinner(self) -> None:
        plain, bloom = flat(9), predicted(*bloomed())
        self.assertGreater(bloom.extraction_yield_pct.value, plain.extraction_yield_pct.value + 0.4)
        self.assertGreater(at_stop(bloom, "cup_out_ml_s"), at_stop(plain, "cup_out_ml_s"))

    def test_a_falling_pressure_lasts_longer_takes_more_out_and_keeps_the_flow_level(self) -> None:
        plain = flat(9)
        falling = predicted(pressure(9, 4, over=plain.shot_time_s.value))
        self.assertGreater(falling.shot_time_s.value, plain.shot_time_s.value)
        self.assertGreater(falling.extraction_yield_pct.value, plain.extraction_yield_pct.value)
        half = falling.shot_time_s.value * 0.6
        early = np.interp(half, falling.series.time_s, falling.series.cup_out_ml_s)
        self.assertLess(at_stop(falling, "cup_out_ml_s"), early * 1.15)
        early_flat = np.interp(
            plain.shot_time_s.value * 0.6, plain.series.time_s, plain.series.cup_out_ml_s
        )
        self.assertGreater(at_stop(plain, "cup_out_ml_s"), early_flat * 1.15)

    def test_long_and_coarse_takes_more_out_into_a_thinner_cup(self) -> None:
        short = flat(9)
        long = predicted(pressure(9, 4, over=30), cup_g=90, grind_um=420)
        self.assertTrue(30 <= long.shot_time_s.value <= 40, long.shot_time_s.value)
        self.assertGreater(long.extraction_yield_pct.value, short.extraction_yield_pct.value)
        self.assertLess(long.tds_pct.value, 5.5)


class MachineLimits(unittest.TestCase):
    def test_pressure_never_passes_the_relief_setting(self) -> None:
        machine = Machine(name="Low", relief_bar=7)
        answer = predicted(flow(6), machine=machine)
        self.assertLessEqual(answer.peak_pressure_bar.value, 7.001)
        self.assertIn("relief valve", [one.what for one in answer.binding])

    def test_a_flow_limit_holds_the_pressure_under_its_command_and_says_so(self) -> None:
        answer = predicted(pressure(9, limit=Limit(flow_ml_s=1.5)))
        [limit] = [one for one in answer.binding if one.what == "flow limit"]
        self.assertIn("1.5 mL/s", limit.words)
        pumped = np.interp(
            (limit.from_s + limit.to_s) / 2, answer.series.time_s, answer.series.water_in_ml_s
        )
        self.assertAlmostEqual(float(pumped), 1.5, delta=0.02)

    def test_a_plumbed_feed_pushes_even_where_less_is_commanded(self) -> None:
        machine = Machine(name="Plumbed", floor_bar=2.5)
        answer = predicted(pressure(1, None, seconds(20)), machine=machine, cup_g=None)
        self.assertAlmostEqual(at_stop(answer, "pressure_bar"), 2.5, delta=0.1)

    def test_a_plumbed_feed_presses_on_while_the_pump_rests_and_not_after_the_stop(self) -> None:
        machine = Machine(name="Plumbed", floor_bar=2.5, when_off="hold")
        answer = predicted(
            pressure(6, None, seconds(8)), off(seconds(20)), machine=machine, cup_g=None
        )
        rested = float(np.interp(25.0, answer.series.time_s, answer.series.pressure_bar))
        self.assertAlmostEqual(rested, 2.5, delta=0.1)
        pumped = np.interp((25.0, 31.0), answer.series.time_s, answer.series.water_in_ml_s)
        self.assertGreater(pumped[0], 0.1)
        self.assertEqual(pumped[1], 0.0)

    def test_a_machine_that_holds_keeps_its_pressure_with_the_pump_off(self) -> None:
        after = {}
        for kind in ("hold", "dump"):
            machine = Machine(name=kind, when_off=kind)
            answer = predicted(
                pressure(6, None, seconds(8)),
                *bloomed()[1:2],
                machine=machine,
                cup_g=None,
            )
            after[kind] = float(np.interp(9.0, answer.series.time_s, answer.series.pressure_bar))
        self.assertGreater(after["hold"], after["dump"] + 1)
