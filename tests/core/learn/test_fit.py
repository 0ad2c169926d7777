"""What a fit makes of shots whose truth is known."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from tests.core.learn.shots import KEYS, shot, shots, timed_only
from tests.core.read.recordings import styled
from vapocline.core.learn.fit import Fit, fit, free_names
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.learn.observed import COARSE, observed, residuals
from vapocline.core.puck.knowledge import Knowledge
from vapocline.core.puck.unknowns import UNKNOWNS

COARSER = {"permeability": 1.35, "head_free_ml": 1.3}


def fitted(logged: list[LoggedShot], start: Knowledge | None = None) -> Fit:
    ready = [observed(one) for one in logged]
    return fit(ready, start or Knowledge(), free_names(ready))


@cache
def of_four() -> Fit:
    return fitted(shots(4, COARSER, tds=True))


@cache
def of_two_preparations() -> Fit:
    """Eight shots, every second one prepared three times as unevenly."""
    logged = [
        replace(
            shot(KEYS[at % len(KEYS)], 700 + at, COARSER | {"unevenness": 0.6 if at % 2 else 1.8}),
            preparation="even" if at % 2 else "uneven",
        )
        for at in range(8)
    ]
    return fitted(logged)


class Fits(unittest.TestCase):
    def test_the_truth_is_found_within_what_is_said_to_be_known(self) -> None:
        knowledge = of_four().knowledge
        head = knowledge.of("head")
        self.assertAlmostEqual(head.mean, math.log(1.3), delta=3 * head.sd)
        self.assertLess(head.sd, 0.08)
        self.assertGreater(knowledge.of("permeability").mean, 0.15)
        self.assertLess(knowledge.of("permeability").sd, 0.15)

    def test_more_shots_leave_less_open(self) -> None:
        one = fitted(shots(1, COARSER)).knowledge
        for name in ("permeability", "head", "erosion", "uptake", "unevenness"):
            with self.subTest(name):
                before = next(u.spread for u in UNKNOWNS if u.name == name)
                self.assertLess(one.of(name).sd, before)
                self.assertLess(of_four().knowledge.of(name).sd, one.of(name).sd)

    def test_without_a_measured_strength_rates_stay_at_their_prior(self) -> None:
        knowledge = fitted(shots(2, COARSER)).knowledge
        for unknown in UNKNOWNS:
            if unknown.needs_strength:
                found = knowledge.of(unknown.name)
                self.assertEqual((found.mean, found.sd), (0.0, unknown.spread))
        self.assertLess(of_four().knowledge.of("rate").sd, 0.14)

    def test_from_time_and_drink_alone_permeability_is_learnt_less_surely(self) -> None:
        whole = shots(2, COARSER)
        rough = fitted([timed_only(one) for one in whole]).knowledge
        fine = fitted(whole).knowledge
        self.assertGreater(rough.of("permeability").mean, 0.1)
        self.assertGreater(rough.of("permeability").sd, fine.of("permeability").sd)
        self.assertEqual(rough.of("gauge lag").sd, 0.5)  # no gauge was recorded

    def test_a_shot_worked_by_hand_follows_its_recorded_pressure(self) -> None:
        by_hand = fitted([shot("spring-decline", 511, COARSER, by_hand=True)]).knowledge
        self.assertGreater(by_hand.of("permeability").mean, 0.1)

    def test_what_the_recorded_commands_were_is_replayed(self) -> None:
        logged = shot("bloom", 3, COARSER)
        one = observed(logged)
        known = fitted([logged]).knowledge.means()
        left, assumed = (np.abs(residuals(one, values, COARSE)) for values in (known, {}))
        self.assertLess(left.mean(), 0.2)
        self.assertLess(left.mean(), 0.4 * assumed.mean())
        self.assertEqual(left.size, one.residuals)

    def test_leaving_a_shot_out_is_nearly_as_if_it_never_was(self) -> None:
        logged = shots(4, COARSER, tds=True)
        quick, real = of_four().without((3,)), fitted(logged[:3]).knowledge
        for name in ("permeability", "head", "rate"):
            one, other = quick.of(name), real.of(name)
            self.assertAlmostEqual(one.mean, other.mean, delta=0.7 * other.sd)
            self.assertAlmostEqual(one.sd, other.sd, delta=0.25 * other.sd)
        self.assertEqual((quick.shots, quick.strengths), (3, 3))

    def test_a_later_fit_goes_on_from_what_was_believed_before(self) -> None:
        start = of_four().knowledge
        more = fitted([shot("gentle-low-pressure", 77, COARSER)], start).knowledge
        self.assertLess(more.of("head").sd, start.of("head").sd)
        self.assertAlmostEqual(more.of("head").mean, start.of("head").mean, delta=0.15)

    def test_a_pull_unlike_the_others_weighs_less(self) -> None:
        odd = shot("steady-nine", 900, {"permeability": 1.35 * 1.6, "head_free_ml": 1.3})
        together = fitted([*shots(4, COARSER, tds=True), odd])
        self.assertGreater(together.pulls()[4][0], 0.2)
        shift = (
            together.knowledge.of("permeability").mean - of_four().knowledge.of("permeability").mean
        )
        self.assertLess(shift, 0.1)

    def test_other_doses_and_grinds_are_learnt_from_as_what_they_are(self) -> None:
        plan = styled("steady-nine")
        setup = plan.setup.model_copy(update={"dose_g": 20.0, "grind_um": 330.0})
        other = shot("steady-nine", 12, COARSER,
                     plan=plan.model_copy(update={"setup": setup}))  # fmt: skip
        ready = observed(other)
        self.assertEqual(ready.nominal.dose_g, 20.0)
        knowledge = fitted([other, *shots(1, COARSER)]).knowledge
        self.assertGreater(knowledge.of("permeability").mean, 0.1)


class Preparations(unittest.TestCase):
    def test_each_has_its_own_unevenness_and_they_are_told_apart(self) -> None:
        found = of_two_preparations()
        self.assertEqual(
            list(found.own_share), [("preparation", "even"), ("preparation", "uneven")]
        )
        apart, sd = found.difference("preparation", "uneven", "even")
        self.assertGreater(apart, 0.3)
        self.assertLess(sd, 0.4)
        even, uneven = (found.of_variant("preparation", name) for name in ("even", "uneven"))
        self.assertAlmostEqual(uneven[0] - even[0], apart, places=3)

    def test_one_that_was_never_used_is_less_sure_than_either(self) -> None:
        found = of_two_preparations()
        other = found.without((), {"preparation": "another"}).of("unevenness").sd
        for known in ("even", "uneven"):
            self.assertLess(found.of_variant("preparation", known)[1], other)

    def test_with_one_alone_the_fit_is_as_without_names(self) -> None:
        logged = shots(2, COARSER)
        named = [replace(one, preparation="always") for one in logged]
        self.assertEqual(fitted(named).knowledge, fitted(logged).knowledge)


class Baskets(unittest.TestCase):
    def test_what_a_baskets_holes_do_is_its_own_whatever_the_preparation(self) -> None:
        logged = [
            replace(
                shot(KEYS[at % len(KEYS)], 720 + at, {"permeability": 1.25 if at % 2 else 1.0}),
                basket="wide" if at % 2 else "plain",
                preparation="one" if at < 4 else "other",
            )
            for at in range(8)
        ]
        found = fitted(logged)
        self.assertEqual(found.varied, ["preparation", "basket"])
        apart, sd = found.difference("basket", "wide", "plain")
        self.assertGreater(apart, sd)
        self.assertLess(abs(found.difference("preparation", "one", "other")[0]), 0.5)
        wide, plain = (
            found.without((), {"basket": basket}).of("permeability").mean
            for basket in ("wide", "plain")
        )
        self.assertAlmostEqual(wide - plain, apart, places=3)
