"""Two shots compared, in words and figures."""

from __future__ import annotations

import unittest
from dataclasses import replace
from typing import Any

import numpy as np

from tests.core.profile.test_differences import Differences
from tests.factories import bloomed, flow
from vapocline.core.shot.events import Held, Nudged, Stopped
from vapocline.core.shot.result import Result
from vapocline.core.shot.traces import Sample
from vapocline.core.taste.as_run import AsRun, HandHeld
from vapocline.core.taste.compare import Pulled, ShotRecipe, compare
from vapocline.core.taste.tasting import Tasting

RECIPE = ShotRecipe("Ferrow Hill", 12, 18, 36, "Straight", "Ratline", 14.5, "Sluice Two", 93)
RUN = AsRun(Differences.BASE)
RESULT = Result(28.0, 8.0, 37.0, 36.2, 9.0, 70.0, 2.06)
PULLED = Pulled("Steady v1", RECIPE, RUN, RESULT, (Tasting(liking=5, sweetness=4),))


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

    def test_profiles_that_are_simply_different_say_so_with_their_steps_folded(self) -> None:
        other = Differences.BASE.model_copy(
            update={"name": "Other", "phases": (flow(3, name="Fill"), *bloomed())}
        )
        found = compare(PULLED, replace(PULLED, run=AsRun(other)))
        [line] = found.done
        self.assertEqual(line.words, "the profiles are simply different ones")
        self.assertGreater(len(line.parts), 4)
        self.assertIn("no single cause", found.caution or "")

    def test_a_repeat_is_called_one(self) -> None:
        self.assertIn("spread of repeats", compare(PULLED, PULLED).caution or "")
        self.assertIn("liked as much", compare(PULLED, PULLED).verdict)

    def test_cups_tasted_at_different_warmth_are_not_set_side_by_side(self) -> None:
        cool = replace(PULLED, tastings=(Tasting(liking=9, warmth="cool"),))
        self.assertEqual(compare(PULLED, cool).tasted, [])
        self.assertEqual(compare(PULLED, cool).cups, [])
        self.assertIn("unknown", compare(PULLED, cool).verdict)

    def test_strength_is_compared_only_where_both_were_measured(self) -> None:
        strong = replace(PULLED, result=replace(RESULT, tds_pct=9.8, extraction_yield_pct=20.1))
        weak = replace(PULLED, result=replace(RESULT, tds_pct=9.1, extraction_yield_pct=18.7))
        words = [one.words for one in compare(strong, weak).came]
        self.assertEqual(words, ["strength -0.7 %", "extraction -1.4 %"])
        self.assertEqual(compare(PULLED, weak).came, [])

    def test_what_no_device_measured_is_no_difference(self) -> None:
        unread = replace(RESULT, yield_g=None, peak_pressure_bar=None, water_in_ml=None, ratio=None)
        found = compare(PULLED, replace(PULLED, result=unread))
        self.assertEqual(found.came, [])
        never = replace(RESULT, first_drip_s=None)
        words = [one.words for one in compare(PULLED, replace(PULLED, result=never)).came]
        self.assertEqual(words, ["first drip 8.0 s, then none"])

    def test_differences_within_the_gauges_noise_are_left_out(self) -> None:
        close = replace(PULLED, result=replace(RESULT, shot_time_s=28.2, yield_g=37.1))
        self.assertEqual(compare(PULLED, close).came, [])


class WhatWasRun(unittest.TestCase):
    """What is compared is what was run, not only what was planned."""

    def done(self, **second: Any) -> list[str]:
        return [one.words for one in compare(PULLED, replace(PULLED, **second)).done]

    def test_another_basket_is_a_difference(self) -> None:
        self.assertEqual(
            self.done(recipe=replace(RECIPE, basket="Deep")), ["basket Straight, then Deep"]
        )

    def test_nudges_and_who_stopped_it_are_differences(self) -> None:
        nudged = (
            Nudged(time_s=12.2, phase=0, control="pressure", by=0.5),
            Held(time_s=15.0, phase=0),
            Stopped(time_s=30.1, reason="hand"),
        )
        self.assertEqual(
            self.done(run=replace(RUN, events=nudged)),
            [
                "corrections none, then pressure +0.5 at 12 s; held at 15 s",
                "stop by itself, then by hand",
            ],
        )
        found = compare(PULLED, replace(PULLED, run=replace(RUN, events=nudged)))
        self.assertIn("Corrections and stop changed together", found.caution or "")

    def test_the_same_nudges_a_second_later_are_a_repeat(self) -> None:
        nudge = Nudged(time_s=12.2, phase=0, control="pressure", by=0.5)
        first = replace(PULLED, run=replace(RUN, events=(nudge,)))
        later = replace(
            PULLED, run=replace(RUN, events=(nudge.model_copy(update={"time_s": 13.2}),))
        )
        self.assertEqual(compare(first, later).done, [])

    def test_two_hands_on_a_lever_differ_by_what_they_held(self) -> None:
        time_s = np.arange(0, 20, 0.1)
        steady = HandHeld(time_s, np.full(time_s.size, 16.0), "kg")
        close = HandHeld(time_s, np.full(time_s.size, 16.4), "kg")
        light = HandHeld(time_s[:150], np.full(150, 13.0), "kg")
        first = replace(PULLED, run=replace(RUN, held=steady))
        self.assertEqual(compare(first, replace(PULLED, run=replace(RUN, held=close))).done, [])
        words = [
            one.words for one in compare(first, replace(PULLED, run=replace(RUN, held=light))).done
        ]
        self.assertEqual(words, ["hand 3.0 kg apart on average"])


def sample(t: float, cup: float, bar: float = 9.0) -> Sample:
    return Sample(t, bar, 2.0, cup, 93.0, 9.0, "pressure", 0)
