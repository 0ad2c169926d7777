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
from vapocline.core.taste.compare import ComparedShot, Comparison, ShotRecipe, TastedCup
from vapocline.core.taste.compare import compare as compare_two
from vapocline.core.taste.several import compare_several
from vapocline.core.taste.spreads import HouseSpreads, Repeated, RepeatedPulls, house_spreads
from vapocline.core.taste.tasting import LINES, Tasting

RECIPE = ShotRecipe(
    "Ferrow Hill", "no. 1", 12, 18, 18, 36, "Straight", "Ratline", 14.5, "Sluice Two", 93
)
RUN = AsRun(Differences.BASE)
RESULT = Result(28.0, 8.0, 37.0, 36.2, 9.0, 70.0, 2.06)
REPEATED = [Repeated("Ines", line, (5, 5)) for line in LINES for _ in range(60)]
SURE = house_spreads(REPEATED)
UNSURE = HouseSpreads()
# Ines, and pulls of one recipe that hardly differ.
PULLED_AGAIN = house_spreads(
    REPEATED,
    [RepeatedPulls(tuple({("Ines", line): 5.0 for line in LINES} for _ in range(2)))] * 40,
)


def cup(taster: str = "Ines", age_s: float | None = 60, **said: Any) -> TastedCup:
    return TastedCup(Tasting(**said), taster, age_s)


PULLED = ComparedShot("Steady v1", RECIPE, RUN, RESULT, (cup(liking=5, sweetness=4),))


def compare(first: ComparedShot, second: ComparedShot, spreads: HouseSpreads = SURE) -> Comparison:
    return compare_two(first, second, spreads)


class Comparisons(unittest.TestCase):
    def test_causes_results_and_tastes_are_kept_apart(self) -> None:
        finer = replace(
            PULLED,
            name="Steady v2",
            recipe=replace(RECIPE, grind_setting=14.0),
            result=replace(RESULT, shot_time_s=31.5),
            tastings=(cup(liking=7, sweetness=6),),
        )
        found = compare(PULLED, finer, PULLED_AGAIN)
        self.assertEqual([one.words for one in found.done], ["grind -0.50"])
        self.assertEqual([one.words for one in found.came], ["shot time +3.5 s"])
        self.assertEqual(
            sorted(one.words for one in found.tasted), ["liking, hot +2", "sweetness, hot +2"]
        )
        self.assertEqual(found.verdict, "Steady v2 was liked more: 7 against 5, hot.")
        self.assertIsNone(found.caution)
        [cups] = found.cups
        self.assertEqual((cups.warmth, cups.served), ("hot", "straight"))
        self.assertEqual((cups.first["liking"], cups.second["liking"]), (5, 7))
        self.assertEqual(cups.significant, ["liking", "sweetness"])

    def test_without_a_recipe_pulled_twice_only_the_cups_are_spoken_of(self) -> None:
        finer = replace(
            PULLED, name="Steady v2", recipe=replace(RECIPE, grind_setting=14.0),
            tastings=(cup(liking=8),),
        )  # fmt: skip
        words = compare(PULLED, finer).verdict
        self.assertIn("The cup of Steady v2 was liked more: 8 against 5, hot.", words)
        self.assertIn("for the recipes there are only odds", words)

    def test_two_causes_at_once_are_flagged(self) -> None:
        both = replace(
            PULLED, recipe=replace(RECIPE, grind_setting=14.0, dose_g=18.5, wanted_dose_g=18.5)
        )
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
        self.assertIn("cannot be told: 5 against 5", compare(PULLED, PULLED).verdict)

    def test_cups_tasted_at_different_warmth_are_not_set_side_by_side(self) -> None:
        cool = replace(PULLED, tastings=(cup(liking=9, warmth="cool"),))
        self.assertEqual(compare(PULLED, cool).tasted, [])
        self.assertEqual(compare(PULLED, cool).cups, [])
        self.assertIn("unknown", compare(PULLED, cool).verdict)

    def test_what_cannot_be_told_is_given_its_odds(self) -> None:
        finer = replace(RECIPE, grind_setting=14.0)
        liked = replace(
            PULLED, name="Steady v2", recipe=finer, tastings=(cup(liking=6, sweetness=9),)
        )
        found = compare(PULLED, liked, UNSURE)
        self.assertEqual(found.tasted, [])
        self.assertIn("cannot be told: 6 against 5, hot.", found.verdict)
        self.assertNotIn("probably", found.verdict)
        far = replace(liked, tastings=(cup(liking=10),))
        first = replace(PULLED, tastings=(cup(liking=1),))
        self.assertIn("Steady v2 is probably liked more", compare(first, far, UNSURE).verdict)

    def test_flavour_words_are_gained_and_lost(self) -> None:
        first = replace(PULLED, tastings=(cup(liking=5, words=("toast", "plum")),))
        second = replace(PULLED, tastings=(cup(liking=5, words=("plum", "tea")),))
        words = [one.words for one in compare(first, second).tasted]
        self.assertEqual(words, ["gained tea; lost toast"])
        self.assertEqual(compare(PULLED, second).tasted, [])

    def test_only_the_same_tasters_cups_are_set_side_by_side(self) -> None:
        other = replace(PULLED, tastings=(cup("Teodor", liking=9),))
        self.assertEqual(compare(PULLED, other).cups, [])
        both = replace(PULLED, tastings=(cup(liking=9), cup("Teodor", liking=2)))
        first = replace(PULLED, tastings=(*PULLED.tastings, cup("Teodor", liking=6)))
        self.assertIn("9 against 5, hot by Ines; 2 against 6", compare(first, both).verdict)

    def test_cups_that_one_taster_repeated_count_once_by_their_mean(self) -> None:
        twice = replace(PULLED, tastings=(cup(liking=4, sweetness=5), cup(liking=5)))
        found = compare(twice, replace(PULLED, tastings=(cup(liking=9, sweetness=5),)))
        self.assertEqual([one.first for one in found.cups], [{"liking": 4.5, "sweetness": 5}])
        self.assertEqual([d.words for d in found.tasted], ["liking, hot +4.5"])
        self.assertIn("9 against 4.5, hot", found.verdict)

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

    def test_another_water_is_a_difference_and_one_nobody_named_too(self) -> None:
        soft = replace(RECIPE, water="Quay soft")
        said = ["brewing water not said, then Quay soft"]
        self.assertEqual(self.done(recipe=soft), said)

    def test_another_preparation_is_a_difference(self) -> None:
        needles = replace(RECIPE, preparation="Needles")
        self.assertEqual(self.done(recipe=needles), ["preparation not said, then Needles"])

    def test_another_basket_is_a_difference(self) -> None:
        self.assertEqual(
            self.done(recipe=replace(RECIPE, basket="Deep")), ["basket Straight, then Deep"]
        )

    def test_another_bag_a_dose_off_and_an_older_cup_are_differences(self) -> None:
        self.assertEqual(self.done(recipe=replace(RECIPE, bag="no. 2")), ["bag no. 1, then no. 2"])
        self.assertEqual(
            self.done(recipe=replace(RECIPE, dose_g=18.4)),
            ["dose off: 18.0 g, then 18.4 g where 18.0 g was wanted"],
        )
        self.assertEqual(
            self.done(tastings=(cup(liking=5, age_s=300),)), ["cup age 1:00, then 5:00"]
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


class SeveralShots(unittest.TestCase):
    def shot(self, name: str, liking: int | None, **changed: Any) -> ComparedShot:
        tastings = () if liking is None else (cup(liking=liking, sweetness=liking),)
        return replace(PULLED, name=name, tastings=tastings, **changed)

    def test_they_are_sorted_by_liking_and_the_unknown_come_last(self) -> None:
        finer = replace(RECIPE, grind_setting=14.0)
        shots = [
            self.shot("A v1", 4),
            self.shot("B v1", None),
            self.shot("C v1", 8, recipe=finer),
        ]
        found = compare_several(shots, PULLED_AGAIN, "hot", "straight")
        self.assertEqual([place.index for place in found.places], [2, 0, 1])
        self.assertRegex(found.says[0], r"C v1 is liked more (and sweeter )?than A v1")
        self.assertEqual(set(found.places[0].significant), {"sweetness", "liking"})
        self.assertEqual((found.places[0].beats, found.places[1].beats), ((0,), ()))

    def test_what_cannot_be_told_from_the_best_is_said_and_no_line_stands_out(self) -> None:
        shots = [self.shot("A v1", 6), self.shot("B v1", 7)]
        found = compare_several(shots, UNSURE, "hot", "straight")
        self.assertEqual(found.places[0].too_close, (0,))
        self.assertEqual(found.places[0].significant, ())
        self.assertEqual(found.says[0], "No clear difference.")

    def test_the_best_beats_one_and_cannot_be_told_from_another(self) -> None:
        shots = [
            self.shot(f"{name} v1", liking, recipe=replace(RECIPE, grind_setting=14.0 + at))
            for at, (name, liking) in enumerate((("A", 9), ("B", 9), ("C", 1)))
        ]
        found = compare_several(shots, PULLED_AGAIN, "hot", "straight")
        first = next(place for place in found.places if place.index == 0)
        self.assertEqual((first.beats, first.too_close), ((2,), (1,)))

    def test_shots_without_a_taster_in_common_are_not_ranked_by_liking(self) -> None:
        other = replace(PULLED, name="B v1", tastings=(cup("Teodor", liking=9),))
        found = compare_several([self.shot("A v1", 4), other], SURE, "hot", "straight")
        said = " ".join(found.says)
        self.assertIn("they cannot be compared", said)
        self.assertNotIn("liked more", said)

    def test_repeats_show_their_spread_and_changes_that_came_together_are_flagged(self) -> None:
        finer = replace(RECIPE, grind_setting=14.0)
        shots = [
            self.shot("A v1", 6),
            self.shot("A v1", 6, result=replace(RESULT, shot_time_s=30.0)),
            self.shot("A v1", 8, recipe=replace(finer, water_c=90)),
        ]
        found = compare_several(shots, SURE, "hot", "straight")
        [spread] = found.spreads
        self.assertEqual(spread.shots, (0, 1))
        self.assertAlmostEqual(spread.deviations["shot_time_s"], 2**0.5)
        self.assertIn("Grind and water changed together", found.says[-1])
        self.assertEqual(
            [one.words for one in found.places[0].done], ["grind -0.50", "water -3.0 °C"]
        )

    def test_one_change_a_shot_has_a_cause_and_none_is_the_spread_of_repeats(self) -> None:
        finer = self.shot("A v1", 8, recipe=replace(RECIPE, grind_setting=14.0))
        one = compare_several([self.shot("A v1", 6), finer], SURE, "hot", "straight")
        self.assertFalse(any("together" in words for words in one.says))
        same = compare_several([PULLED, PULLED], SURE, "hot", "straight")
        self.assertIn("spread of repeats", same.says[-1])


def sample(t: float, cup: float, bar: float = 9.0) -> Sample:
    return Sample(t, bar, 2.0, cup, 93.0, 9.0, "pressure", 0)
