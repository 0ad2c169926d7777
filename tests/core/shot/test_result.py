"""Figures read off the traces of a shot."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from tests.core.taste.test_compare import sample
from vapocline.core.shot.result import lasting_peak_bar, result_of
from vapocline.core.shot.traces import cup_flow_ml_s, traces_of
from vapocline.core.taste.tasting import Tasting, extraction_yield_pct


class ReadingShots(unittest.TestCase):
    def test_figures_are_read_off_the_traces(self) -> None:
        samples = [sample(t / 10, max(0.0, (t - 80) / 10 * 2)) for t in range(301)]
        result = result_of(traces_of(samples), stop_s=26.0, dose_g=18)
        self.assertEqual(result.shot_time_s, 26.0)
        self.assertAlmostEqual(result.first_drip_s or 0, 8.2, places=1)
        self.assertAlmostEqual(result.cup_at_stop_g or 0, 36.0, places=1)
        self.assertAlmostEqual(result.water_in_ml, 60, places=1)
        self.assertAlmostEqual(result.ratio, result.yield_g / 18)

    def test_the_cups_flow_is_the_slope_of_its_weight(self) -> None:
        t = np.arange(0, 10, 0.05)
        flow_ml_s = cup_flow_ml_s(t, 1.7 * t)
        np.testing.assert_allclose(flow_ml_s[20:], 1.7, atol=1e-9)

    def test_the_flow_at_the_stop_is_the_slope_of_the_last_second(self) -> None:
        samples = [sample(t / 10, max(0.0, (t - 80) / 10 * 2)) for t in range(301)]
        result = result_of(traces_of(samples), stop_s=26.0, dose_g=18)
        self.assertAlmostEqual(result.last_flow_g_s or 0, 2.0, places=6)
        early = result_of(traces_of(samples), stop_s=0.2, dose_g=18)
        self.assertIsNone(early.last_flow_g_s, "two weights are no slope")
        self.assertIsNone(result_of(traces_of(samples), stop_s=None, dose_g=18).last_flow_g_s)

    def test_a_shot_without_readings_has_no_figures(self) -> None:
        result = result_of(traces_of([]), stop_s=None, dose_g=18)
        self.assertIsNone(result.first_drip_s)
        self.assertEqual(result.yield_g, 0)

    def test_what_no_device_measured_has_no_figure(self) -> None:
        unread = [sample(t / 10, float("nan"), float("nan")) for t in range(100)]
        unread = [replace(one, water_in_ml_s=float("nan")) for one in unread]
        result = result_of(traces_of(unread), stop_s=9.0, dose_g=18)
        self.assertEqual((result.shot_time_s, result.peak_pressure_bar), (9.0, None))
        self.assertEqual((result.water_in_ml, result.yield_g, result.ratio), (None, None, None))

    def test_figures_are_of_what_was_measured_where_some_is_missing(self) -> None:
        samples = [sample(t / 10, t / 10, 9.0 if t < 50 else float("nan")) for t in range(100)]
        self.assertEqual(
            result_of(traces_of(samples), stop_s=9.0, dose_g=18).peak_pressure_bar, 9.0
        )

    def test_a_peak_that_lasts_is_not_raised_by_a_gauges_noise(self) -> None:
        t = np.arange(0, 20, 0.1)
        pressure = np.minimum(9.0, t)
        noisy = pressure + np.random.default_rng(1).normal(0, 0.2, t.size)
        self.assertAlmostEqual(lasting_peak_bar(t, pressure) or 0, 9.0)
        self.assertGreater(float(noisy.max()), 9.4)
        self.assertAlmostEqual(lasting_peak_bar(t, noisy) or 0, 9.0, delta=0.25)
        noisy[50:60] = np.nan
        self.assertAlmostEqual(lasting_peak_bar(t, noisy) or 0, 9.0, delta=0.25)
        self.assertAlmostEqual(lasting_peak_bar(t[:3], np.array([1.0, 2.0, 3.0])) or 0, 2.0)
        self.assertIsNone(lasting_peak_bar(t, np.full(t.size, np.nan)))

    def test_extraction_follows_from_measured_strength(self) -> None:
        self.assertAlmostEqual(extraction_yield_pct(9.5, 37, 18), 19.53, places=2)

    def test_scores_left_out_stay_unknown(self) -> None:
        self.assertEqual(Tasting(acidity=0, notes="thin").scores(), {"acidity": 0})
        with self.assertRaises(ValueError):
            Tasting(acidity=11)
