"""Learning as a whole: which shots count, whether it beats its rivals, what predictions gain."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from dataclasses import replace
from functools import cache

import numpy as np

from tests.core.learn.shots import KEYS, shot, shots, timed_only
from tests.core.read.recordings import styled
from tests.marks import exhaustive
from vapocline.core.learn.held_out import FIGURES, Guess, folds_of, guess
from vapocline.core.learn.judging import Verdict, as_last_time, judged, scores
from vapocline.core.learn.learning import MOST_SHOTS, Learning, learn, to_learn_from
from vapocline.core.learn.logged import LoggedShot, counts, void_because
from vapocline.core.puck.plan import knowing
from vapocline.core.puck.predict import predict
from vapocline.core.read.findings import Opened, RecordBroken

STRANGE = {"permeability": 1.4, "head_free_ml": 1.25, "erosion": 1.2}
NEW = ("gentle-low-pressure", "hard-start-falling", "slow-saturate")


def knowledge(found: Learning) -> tuple[tuple[str, float, float], ...]:
    return tuple((one.name, one.mean, one.sd) for one in found.knowledge.learnt)


@cache
def of_five() -> Learning:
    return learn(five())


@cache
def five() -> list[LoggedShot]:
    logged = shots(5, STRANGE)
    return [*logged[:2], shot(KEYS[2], 502, STRANGE, tds=True), *logged[3:]]


def errors(found: Sequence[Guess], figure: str) -> float:
    return float(np.mean([abs(one.off) for one in found if one.figure == figure]))


class Learns(unittest.TestCase):
    def test_new_profiles_are_predicted_better_than_by_any_rival(self) -> None:
        self.assertTrue(of_five().used, of_five().because)
        new = [shot(key, 800 + at, STRANGE, tds=True) for at, key in enumerate(NEW)]
        learnt = [one for each in new for one in guess(each, of_five().knowledge)]
        assumed = [one for each in new for one in guess(each, None)]
        for figure in ("shot_time_s", "first_drip_s", "extraction_yield_pct"):
            with self.subTest(figure):
                self.assertLess(errors(learnt, figure), 0.6 * errors(assumed, figure))
        last = as_last_time([five()[-1], new[0]])
        self.assertLess(errors(learnt, "shot_time_s"), errors(last, "shot_time_s"))

    def test_ranges_close_in_with_every_shot(self) -> None:
        plan = styled("gentle-low-pressure").model_copy(update={"members": 128})
        new = plan.setup.model_copy(update={"dialled_in": False})
        widths = []
        for known in (None, learn(five()[:1]).knowledge, of_five().knowledge):
            answer = predict(knowing(plan.model_copy(update={"setup": new}), known))
            widths.append(answer.shot_time_s.p90 - answer.shot_time_s.p10)
        self.assertEqual(answer.ranges, "learnt")
        self.assertEqual(answer.learnt_shots, 5)
        self.assertGreater(widths[0], 1.3 * widths[1])
        self.assertGreater(widths[1], 1.1 * widths[2])

    def test_what_was_left_out_is_scored_beside_the_rivals(self) -> None:
        found = of_five()
        assert found.held_out
        self.assertEqual(found.held_out.shots, 5)
        self.assertLess(found.held_out.time_pct, found.rivals["nothing"].time_pct)
        self.assertLess(found.held_out.time_pct, found.rivals["last_time"].time_pct)
        self.assertGreater(found.held_out.coverage, 0.5)
        self.assertEqual(found.rivals["last_time"].shots, 4)
        moved = {one.name: one for one in found.parameters}
        self.assertEqual(moved["head"].prior, 0.0)
        self.assertLess(moved["head"].sd, moved["head"].prior_sd)

    def test_what_loses_to_its_rivals_is_not_used(self) -> None:
        def off_by(seconds: float) -> list[Guess]:
            return [Guess(str(at), "shot_time_s", 30 + seconds, 28, 32, 30.0) for at in range(4)]

        def said(whole: float, nothing: float, permeability: float, last: float) -> Verdict:
            return judged(
                off_by(whole),
                {
                    "nothing": off_by(nothing),
                    "permeability": off_by(permeability),
                    "last_time": off_by(last),
                },
            )

        self.assertEqual(said(1, 4, 2, 3)[::2], (True, False))
        self.assertEqual(said(2, 4, 1, 3)[::2], (True, True))
        worse = said(4, 1, 2, 3)
        self.assertFalse(worse.used)
        self.assertIn("predicted better without any learning", worse.because)
        self.assertIn("as last time", said(4, 5, 4.5, 1).because)
        alike = said(1.02, 1, 1, 1)
        self.assertEqual(alike[::2], (True, False))  # no rival is noticeably better


class Counting(unittest.TestCase):
    def test_shots_that_do_not_count_change_nothing_and_are_named(self) -> None:
        wild = shot("steady-nine", 640, {"permeability": 3.0})
        aside = replace(wild, name="aside", void="it was set aside: spilt")
        unweighed = replace(wild, name="unweighed", yield_g=None)
        blocked = replace(wild, name="blocked", yield_g=1.0)
        lost = replace(wild, name="lost", shot_time_s=None)
        found = learn([aside, *five(), unweighed, blocked, lost])
        self.assertEqual(knowledge(found), knowledge(of_five()))
        self.assertEqual(
            {one.shot: one.because for one in found.left_out},
            {
                "aside": "it was set aside: spilt",
                "unweighed": "its yield is unknown",
                "blocked": "less than 5 g came out",
                "lost": "its shot time is unknown",
            },
        )
        self.assertEqual((found.shots, len(found.counted)), (9, 5))

    def test_nothing_to_learn_from_says_so(self) -> None:
        for none in ([], [replace(five()[0], yield_g=None)]):
            found = learn(none)
            self.assertFalse(found.used)
            self.assertEqual(found.because, "No shot counts yet.")
            self.assertEqual(found.knowledge.learnt, ())

    def test_a_dry_run_does_not_count(self) -> None:
        plan = five()[0].plan
        disc = plan.model_copy(update={"setup": plan.setup.model_copy(update={"insert": True})})
        self.assertEqual(counts(replace(five()[0], plan=disc)), "it was a dry run")

    def test_one_shot_teaches_and_says_that_nothing_could_be_held_out(self) -> None:
        found = learn(five()[:1])
        self.assertTrue(found.used)
        self.assertIn("With one shot", found.because)
        self.assertIsNone(found.held_out)
        self.assertLess(found.knowledge.of("permeability").sd, 0.2)

    def test_shots_steered_by_hand_teach_but_are_not_predicted(self) -> None:
        steered = [replace(one, steered=True) for one in five()]
        found = learn(steered)
        self.assertEqual(len(found.counted), 5)
        self.assertIn("With 0 shots run by plan", found.because)
        self.assertEqual(guess(steered[0], None), [])

    def test_an_outlier_is_named(self) -> None:
        odd = shot("steady-nine", 905, {**STRANGE, "permeability": 1.4 * 1.9})
        found = learn([*five(), odd])
        self.assertEqual([one.shot for one in found.outliers], [odd.name])
        self.assertGreater(found.outliers[0].permeability_pct, 20)

    def test_time_and_drink_alone_are_enough_for_a_first_guess(self) -> None:
        found = learn([timed_only(one) for one in five()])
        self.assertGreater(found.knowledge.of("permeability").mean, 0.1)
        self.assertGreater(
            found.knowledge.of("permeability").sd, of_five().knowledge.of("permeability").sd
        )

    @exhaustive
    def test_only_the_newest_are_fitted_where_there_are_many(self) -> None:
        many = [timed_only(shot(KEYS[at % 5], at, STRANGE)) for at in range(14)]
        many = [replace(one, name=str(at)) for at, one in enumerate(many)]
        found = learn(many)
        self.assertEqual(found.counted, [str(at) for at in range(2, 14)])

    def test_a_measured_strength_is_not_forgotten_when_newer_shots_come(self) -> None:
        def logged(count: int, *measured: int) -> list[LoggedShot]:
            one = LoggedShot("", styled("steady-nine"))
            return [
                replace(one, name=str(at), tds_pct=9.0 if at in measured else None)
                for at in range(count)
            ]

        for logged_shots, taken in (
            (logged(12, 2), [*range(12)]),
            (logged(16, 2), [2, *range(5, 16)]),
            (logged(20, 0, 1, 2, 3), [1, 2, 3, *range(11, 20)]),
            (logged(20, 1, 2, 8, 15), [2, 8, *range(10, 20)]),
            (logged(20, 1, 17, 18, 19), [*range(8, 20)]),
        ):
            with self.subTest(taken=taken):
                found = [int(shot.name) for shot in to_learn_from(logged_shots)]
                self.assertLessEqual(len(found), MOST_SHOTS)
                self.assertEqual(found[-1], len(logged_shots) - 1)
                self.assertEqual(found, taken)


class HoldingOut(unittest.TestCase):
    def test_each_profile_and_each_bag_is_left_out_together(self) -> None:
        a, b, c = (replace(five()[at], name=str(at)) for at in range(3))
        one_kind = [replace(one, version="v", bag="x") for one in (a, b, c)]
        self.assertEqual(folds_of(one_kind), [(0,), (1,), (2,)])
        two = [replace(a, version="v"), replace(b, version="w"), replace(c, version="v")]
        self.assertEqual(folds_of(two), [(0, 2), (1,)])
        bags = [replace(one, bag="new" if at else "old") for at, one in enumerate(two)]
        self.assertEqual(folds_of(bags), [(0, 2), (1,), (0,), (1, 2)])

    def test_scores_are_what_they_are_called(self) -> None:
        found = [
            Guess("a", "shot_time_s", 30.0, 28.0, 33.0, 25.0),
            Guess("a", "extraction_yield_pct", 20.0, 19.0, 21.0, 20.5),
            Guess("b", "shot_time_s", 30.0, 28.0, 33.0, 30.0),
        ]
        said = scores(found)
        self.assertEqual((said.shots, said.ey_points, said.first_drip_s), (2, 0.5, None))
        self.assertAlmostEqual(said.time_pct, 10.0)
        self.assertAlmostEqual(said.coverage, 2 / 3, places=3)
        # Koenker and Bassett: 0.1 of what lies above p10, 0.9 of what lies below it; and so on.
        self.assertAlmostEqual(found[0].pinball, 0.9 * 3 + 0.1 * 8)
        self.assertAlmostEqual(found[2].pinball, 0.1 * 2 + 0.1 * 3)

    def test_as_last_time_takes_the_one_before_of_its_profile(self) -> None:
        a, b, c = five()[0], five()[1], replace(five()[0], name="again", shot_time_s=29.0)
        found = as_last_time([a, b, c])
        last = next(one for one in found if one.shot == "again" and one.figure == "shot_time_s")
        self.assertEqual((last.value, last.measured), (a.shot_time_s, 29.0))
        self.assertEqual({one.figure for one in found} - set(FIGURES), set())


class Voids(unittest.TestCase):
    def test_what_no_model_of_a_sound_puck_follows_voids_a_shot_and_a_knock_does_not(self) -> None:
        gap = RecordBroken(from_s=8, to_s=11, title="", words="", missing_s=3.0)
        knock = RecordBroken(from_s=8, to_s=8.2, title="", words="", knocked_g=4.0)
        opened = Opened(from_s=12, to_s=20, title="", words="", at_s=12, flow_pct=30)
        self.assertEqual(void_because([gap]), "its record has a long gap")
        self.assertEqual(void_because([knock, opened]), "its puck opened a channel")
        self.assertIsNone(void_because([knock]))
        self.assertIsNone(void_because([opened.model_copy(update={"weight": "note"})]))


class LearnsOfPreparations(unittest.TestCase):
    """Six shots, three of either way, one three times as uneven."""

    @staticmethod
    @cache
    def found() -> Learning:
        return learn(
            [
                replace(
                    shot(KEYS[at], 700 + at, {"unevenness": 0.6 if at % 2 else 1.8}, tds=True),
                    preparation="even" if at % 2 else "uneven",
                )
                for at in range(6)
            ]
        )

    def test_each_is_told_with_its_shots_and_the_two_beside_each_other(self) -> None:
        found = self.found()
        self.assertEqual(
            [(variant.name, variant.shots) for variant in found.preparations.variants],
            [("even", 3), ("uneven", 3)],
        )
        [apart] = found.preparations.comparisons
        self.assertEqual((apart.more, apart.less), ("uneven", "even"))

    def test_a_forecast_takes_the_unevenness_of_the_way_that_is_used(self) -> None:
        even, uneven, other = (
            self.found().made({"preparation": name}).of("unevenness")
            for name in ("even", "uneven", "")
        )
        self.assertLess(even.mean, other.mean)
        self.assertLess(other.mean, uneven.mean)
        self.assertLess(max(even.sd, uneven.sd), other.sd)

    def test_a_way_never_used_widens_what_one_way_taught(self) -> None:
        always = learn([replace(one, preparation="always") for one in shots(2)])
        same, other = (
            always.made({"preparation": name}).of("unevenness") for name in ("always", "another")
        )
        self.assertEqual(same.mean, other.mean)
        self.assertLess(same.sd, other.sd)
        self.assertEqual(always.made({"preparation": ""}), always.knowledge)
        self.assertEqual(always.preparations.comparisons, ())

    def test_shots_of_which_nobody_said_how_are_no_preparation(self) -> None:
        self.assertEqual(of_five().preparations.variants, ())
