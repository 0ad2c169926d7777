"""A shot against its plan, and how far repeats spread."""

from __future__ import annotations

import unittest

import numpy as np

from tests.core.pull.test_pull import FLAT, MACHINE, traces_of
from tests.factories import plan, pressure, profile, seconds, until_cup
from vapocline.core.profile.profile import FirstDripExit
from vapocline.core.puck.predict import predict
from vapocline.core.read.following import followed
from vapocline.core.read.review import phases_done, recipe_done
from vapocline.core.read.spread import Tolerance, spread, verdict
from vapocline.core.shot.events import Span


class LookingBack(unittest.TestCase):
    def test_dose_grind_and_water_that_stray_are_flagged(self) -> None:
        t = np.arange(0.0, 10.0, 0.1)
        warm = traces_of(t, t, water_in_ml_s=np.full(t.size, 2.0), group_c=np.full(t.size, 90.5))
        lines = recipe_done(
            FLAT,
            asked_dose_g=18,
            dose_g=18.4,
            tolerance_g=0.2,
            asked_grind=14.5,
            grind=14.0,
            traces=warm,
        )
        self.assertEqual(
            [(line.what, line.flagged) for line in lines],
            [("Dose", True), ("Grind", True), ("Water", True)],
        )

    def test_phases_that_end_otherwise_or_at_another_time_are_flagged(self) -> None:
        one = plan(
            pressure(3, None, FirstDripExit(), seconds(30), name="Soak"),
            pressure(9, None, until_cup(20), seconds(60), name="Press"),
            pressure(7, name="Last"),
            machine=MACHINE,
        )
        runs = predict(one).phases
        ends = [run.end_s or 0 for run in runs]
        spans = [
            Span(0, 0.0, ends[0] + 0.5, "first_drip"),
            Span(1, ends[0] + 0.5, ends[1] + 5, "cup_g"),
        ]
        lines = phases_done(one, runs, spans)
        self.assertEqual([line.flagged for line in lines], [False, True, True])
        self.assertEqual(lines[2].done, "not reached")
        self.assertIn("by the first drip", lines[0].planned)

    def test_following_is_scored_by_how_long_the_target_was_kept(self) -> None:
        t = np.arange(0.0, 20.0, 0.05)
        asked = np.where(t < 10, 3.0, 8.0)
        phase = np.where(t < 10, 0.0, 1.0)
        one = profile(pressure(3, name="Soak"), pressure(8, name="Press"))
        near = followed(one, traces_of(t, asked + 0.2, commanded=asked, phase=phase), 20)
        far = followed(
            one, traces_of(t, np.where(t < 10, asked, asked - 2), commanded=asked, phase=phase), 20
        )
        assert near
        assert far
        self.assertEqual(near.score, 100)
        self.assertAlmostEqual(far.score, 50, delta=2)
        self.assertEqual(far.worst, "Press")
        self.assertIn("furthest in Press, 2.0 bar", far.words)

    def test_earlier_pulls_tell_how_repeatable_the_hand_is(self) -> None:
        t = np.arange(0.0, 20.0, 0.05)
        asked, one = np.full(t.size, 6.0), profile(pressure(6))
        pulls = [traces_of(t, asked + off, commanded=asked) for off in (0.0, 0.4, -0.4)]
        found = followed(one, pulls[0], 20, pulls[1:])
        assert found
        self.assertEqual(found.pulls, 3)
        self.assertAlmostEqual(found.repeats_within or 0, 0.4, places=2)

    def test_pulls_of_which_no_pressure_is_known_tell_nothing_of_the_hand(self) -> None:
        t = np.arange(0.0, 20.0, 0.05)
        asked, one = np.full(t.size, 6.0), profile(pressure(6))
        pulls = [traces_of(t, asked + off, commanded=asked) for off in (0.0, 0.4)]
        unread = traces_of(t, np.full(t.size, np.nan), commanded=asked)
        found = followed(one, pulls[0], 20, [pulls[1], unread])
        assert found
        self.assertAlmostEqual(found.repeats_within or 0, 0.28, places=2)
        self.assertIsNone(followed(one, unread, 20, pulls))

    def test_a_shot_without_targets_has_no_score(self) -> None:
        t = np.arange(0.0, 20.0, 0.05)
        self.assertIsNone(followed(profile(pressure(6)), traces_of(t, t), 20))


class Repeating(unittest.TestCase):
    def test_the_spread_is_from_lowest_to_highest_against_the_tolerance(self) -> None:
        pulls = [{"shot_time_s": t, "yield_g": 36.0} for t in (26.0, 28.5, 27.0)]
        rows = {row.figure: row for row in spread(pulls, Tolerance(shot_time_s=2))}
        self.assertEqual(rows["shot_time_s"].span, 2.5)
        self.assertFalse(rows["shot_time_s"].within)
        self.assertTrue(rows["yield_g"].within)
        self.assertAlmostEqual(rows["shot_time_s"].deviation or 0, 1.26, places=2)
        self.assertIn("shot time spreads 2.5 s", verdict(list(rows.values()), 3))

    def test_what_was_not_measured_is_left_unknown(self) -> None:
        rows = {row.figure: row for row in spread([{"shot_time_s": 26.0}], Tolerance())}
        self.assertIsNone(rows["tds_pct"].mean)
        self.assertIsNone(rows["shot_time_s"].within)
        self.assertIn("1 of 3", verdict(list(rows.values()), 3))

    def test_all_within_is_reported(self) -> None:
        pulls: list[dict[str, float | None]] = [{"shot_time_s": 26.0}, {"shot_time_s": 27.0}]
        self.assertIn("all within", verdict(spread(pulls, Tolerance()), 2))
