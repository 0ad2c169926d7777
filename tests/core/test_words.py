"""Differences, comparisons and scores, in words and figures."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import date

import numpy as np

from tests.factories import flow, off, pressure, profile, seconds
from vapocline.core.compare import Pulled, Recipe, compare
from vapocline.core.differences import profile_differences
from vapocline.core.grind import grind_um_at
from vapocline.core.problems import Refused
from vapocline.core.profile import Limit, PressureAboveExit, Stop
from vapocline.core.shelf import Coffee, Grinder, rest_days
from vapocline.core.shot import Result, Sample, cup_flow_ml_s, result_of, traces_of
from vapocline.core.styles.fit import steady_nine
from vapocline.core.taste import Tasting, extraction_yield_pct


class Differences(unittest.TestCase):
    BASE = profile(
        flow(4, None, PressureAboveExit(value=4), seconds(20), name="Pre-infusion"),
        pressure(9, None, seconds(30), name="Hold"),
    )

    def test_like_profiles_have_none(self) -> None:
        self.assertEqual(profile_differences(self.BASE, self.BASE), [])

    def test_each_change_is_one_short_phrase(self) -> None:
        changed = profile(
            flow(3, None, PressureAboveExit(value=6), seconds(20), name="Pre-infusion"),
            pressure(9, None, seconds(30), name="Hold", limit=Limit(flow_ml_s=2.5)),
        )
        self.assertEqual(
            profile_differences(self.BASE, changed),
            [
                "pre-infusion 4 to 3 mL/s",
                "pre-infusion leaves at 6 bar, was 4 bar",
                "hold flow limit 2.5 mL/s added",
            ],
        )

    def test_added_and_removed_phases_are_named(self) -> None:
        first, last = self.BASE.phases
        rested = profile(first, off(seconds(10), name="Rest"), last)
        self.assertEqual(profile_differences(self.BASE, rested), ["rest added"])
        self.assertEqual(profile_differences(rested, self.BASE), ["rest removed"])

    def test_moves_commands_and_the_stop(self) -> None:
        first, _last = self.BASE.phases
        falling = profile(first, pressure(9, 5, seconds(30), over=18, name="Hold"), cup_g=40)
        self.assertEqual(
            profile_differences(self.BASE, falling),
            [
                "hold ends at 5 bar, was 9",
                "hold moves over 18 s, was 0 s",
                "stop weight 36 to 40 g",
            ],
        )
        by_flow = profile(first, flow(2, None, seconds(30), name="Hold"))
        self.assertIn(
            "hold commands flow, was pressure",
            " ".join(profile_differences(self.BASE, by_flow)) or "",
        )

    def test_the_plainest_start_can_run(self) -> None:
        start = steady_nine("New", 36)
        self.assertEqual(start.stop, Stop(cup_g=36, time_s=90))
        self.assertEqual(len(start.phases), 3)


RECIPE = Recipe("Ferrow Hill", 12, 18, 36, "Ratline", 14.5, "Sluice Two", 93)
RESULT = Result(28.0, 8.0, 37.0, 36.2, 9.0, 70.0, 2.06)
PULLED = Pulled("Steady v1", RECIPE, Differences.BASE, RESULT, (Tasting(liking=5, sweetness=4),))


class Comparisons(unittest.TestCase):
    def test_causes_results_and_tastes_are_kept_apart(self) -> None:
        finer = replace(
            PULLED,
            name="Steady v2",
            recipe=replace(RECIPE, grind_setting=14.0),
            result=replace(RESULT, shot_time_s=31.5),
            tastings=(Tasting(liking=7, sweetness=6),),
        )
        found = compare(PULLED, finer)
        self.assertEqual([one.words for one in found.done], ["grind -0.50"])
        self.assertEqual([one.words for one in found.came], ["shot time +3.5 s"])
        self.assertEqual(
            [one.words for one in found.tasted], ["sweetness, hot +2", "liking, hot +2"]
        )
        self.assertEqual(found.verdict, "Steady v2 was liked more: 7 against 5, hot.")
        self.assertIsNone(found.caution)
        [cups] = found.cups
        self.assertEqual((cups.warmth, cups.served), ("hot", "straight"))
        self.assertEqual((cups.first["liking"], cups.second["liking"]), (5, 7))

    def test_two_causes_at_once_are_flagged(self) -> None:
        both = replace(PULLED, recipe=replace(RECIPE, grind_setting=14.0, dose_g=18.5))
        self.assertIn("Dose and grind changed together", compare(PULLED, both).caution or "")

    def test_a_repeat_is_called_one(self) -> None:
        self.assertIn("spread of repeats", compare(PULLED, PULLED).caution or "")
        self.assertIn("liked as much", compare(PULLED, PULLED).verdict)

    def test_cups_tasted_at_different_warmth_are_not_set_side_by_side(self) -> None:
        cool = replace(PULLED, tastings=(Tasting(liking=9, warmth="cool"),))
        self.assertEqual(compare(PULLED, cool).tasted, [])
        self.assertEqual(compare(PULLED, cool).cups, [])
        self.assertIn("unknown", compare(PULLED, cool).verdict)

    def test_strength_is_compared_only_where_both_were_measured(self) -> None:
        strong = replace(PULLED, result=replace(RESULT, tds_pct=9.8, ey_pct=20.1))
        weak = replace(PULLED, result=replace(RESULT, tds_pct=9.1, ey_pct=18.7))
        words = [one.words for one in compare(strong, weak).came]
        self.assertEqual(words, ["strength -0.7 %", "extraction -1.4 %"])
        self.assertEqual(compare(PULLED, weak).came, [])

    def test_what_no_device_told_is_no_difference(self) -> None:
        unread = replace(RESULT, cup_g=None, peak_pressure_bar=None, water_in_ml=None, ratio=None)
        found = compare(PULLED, replace(PULLED, result=unread))
        self.assertEqual(found.came, [])
        never = replace(RESULT, first_drip_s=None)
        words = [one.words for one in compare(PULLED, replace(PULLED, result=never)).came]
        self.assertEqual(words, ["first drip 8.0 s, then none"])

    def test_differences_within_the_gauges_noise_are_left_out(self) -> None:
        close = replace(PULLED, result=replace(RESULT, shot_time_s=28.2, cup_g=37.1))
        self.assertEqual(compare(PULLED, close).came, [])


class Shelf(unittest.TestCase):
    def test_grinder_points_are_met_and_lie_monotone_between(self) -> None:
        settings, sizes = (8, 12, 14.5, 18, 24), (214, 263, 300, 352, 446)
        for setting, size in zip(settings, sizes, strict=True):
            self.assertAlmostEqual(grind_um_at(settings, sizes, setting), size)
        between = [grind_um_at(settings, sizes, x) for x in np.linspace(8, 24, 60)]
        self.assertTrue((np.diff(between) > 0).all())

    def test_a_setting_far_outside_is_refused_with_the_size_it_would_give(self) -> None:
        with self.assertRaisesRegex(Refused, "which is .* µm"):
            grind_um_at((8, 24), (214, 446), 200)

    def test_grinder_points_that_turn_are_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "points"):
            Grinder(name="Bent", settings=(1, 2, 3), grind_um=(200, 300, 250))
        with self.assertRaises(ValueError):
            Grinder(name="One", settings=(1,), grind_um=(200,))

    def test_rest_days_count_from_the_roast(self) -> None:
        coffee = Coffee(name="Any", roasted_on=date(2026, 3, 1))
        self.assertEqual(rest_days(coffee, date(2026, 3, 13)), 12)
        self.assertEqual(rest_days(coffee, date(2026, 2, 1)), 0)
        self.assertIsNone(rest_days(Coffee(name="Any"), date(2026, 3, 13)))


def sample(t: float, cup: float, bar: float = 9.0) -> Sample:
    return Sample(t, bar, 2.0, cup, 93.0, 9.0, "pressure", 0)


class ReadingShots(unittest.TestCase):
    def test_figures_are_read_off_the_traces(self) -> None:
        samples = [sample(t / 10, max(0.0, (t - 80) / 10 * 2)) for t in range(301)]
        result = result_of(traces_of(samples), stop_s=26.0, dose_g=18)
        self.assertEqual(result.shot_time_s, 26.0)
        self.assertAlmostEqual(result.first_drip_s or 0, 8.2, places=1)
        self.assertAlmostEqual(result.cup_at_stop_g or 0, 36.0, places=1)
        self.assertAlmostEqual(result.water_in_ml, 60, places=1)
        self.assertAlmostEqual(result.ratio, result.cup_g / 18)

    def test_the_cups_flow_is_the_slope_of_its_weight(self) -> None:
        t = np.arange(0, 10, 0.05)
        flow_ml_s = cup_flow_ml_s(t, 1.7 * t)
        np.testing.assert_allclose(flow_ml_s[20:], 1.7, atol=1e-9)

    def test_a_shot_that_said_nothing_has_no_figures(self) -> None:
        result = result_of(traces_of([]), stop_s=None, dose_g=18)
        self.assertIsNone(result.first_drip_s)
        self.assertEqual(result.cup_g, 0)

    def test_what_no_device_told_has_no_figure(self) -> None:
        unread = [sample(t / 10, float("nan"), float("nan")) for t in range(100)]
        unread = [replace(one, water_in_ml_s=float("nan")) for one in unread]
        result = result_of(traces_of(unread), stop_s=9.0, dose_g=18)
        self.assertEqual((result.shot_time_s, result.peak_pressure_bar), (9.0, None))
        self.assertEqual((result.water_in_ml, result.cup_g, result.ratio), (None, None, None))

    def test_figures_are_of_what_was_told_where_some_is_lacking(self) -> None:
        samples = [sample(t / 10, t / 10, 9.0 if t < 50 else float("nan")) for t in range(100)]
        self.assertEqual(
            result_of(traces_of(samples), stop_s=9.0, dose_g=18).peak_pressure_bar, 9.0
        )

    def test_extraction_follows_from_measured_strength(self) -> None:
        self.assertAlmostEqual(extraction_yield_pct(9.5, 37, 18), 19.53, places=2)

    def test_scores_left_out_stay_unknown(self) -> None:
        self.assertEqual(Tasting(acidity=0, notes="thin").scores(), {"acidity": 0})
        with self.assertRaises(ValueError):
            Tasting(acidity=11)
