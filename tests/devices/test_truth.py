"""What simulated machines hide: wide truths that stay, slips by pull, drift within one."""

from __future__ import annotations

import math
import unittest

import numpy as np

from tests.devices.coverage import coverage
from tests.factories import plan, pressure
from tests.marks import exhaustive
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.devices.simulators.truth import (
    CHANNEL_OPENS,
    CHANNEL_UNEVEN,
    DRIFT,
    Course,
    MachineTruth,
    Sensors,
)

NOMINAL = parameters_for(plan(pressure(9)).setup)
FINE = parameters_for(plan(pressure(9), grind_um=250).setup)


def pucks(
    pair: str, count: int, *, seed: int = 1, calm: bool = False, nominal: Parameters = NOMINAL
) -> list[tuple[Parameters, Course]]:
    """So many pulls of a pair on one machine."""
    dice = np.random.default_rng(seed)
    machine = MachineTruth(dice, calm=calm)
    return [machine.puck(nominal, pair, dice) for _ in range(count)]


def middle(found: list[tuple[Parameters, Course]], name: str) -> float:
    return float(np.mean([math.log(getattr(p, name)) for p, _course in found]))


class Truths(unittest.TestCase):
    def test_a_coffee_by_a_grinder_is_the_same_every_time_and_another_differs(self) -> None:
        one, again, other = pucks("a|b", 40), pucks("a|b", 40)[20:], pucks("c|b", 40)
        for name in ("permeability", "bright_per_s", "sweet_pct"):
            self.assertAlmostEqual(middle(one, name), middle(again, name), delta=0.05)
        apart = abs(middle(one, "permeability") - middle(other, "permeability"))
        self.assertGreater(apart, 0.05)

    def test_pairs_spread_as_widely_as_new_coffees_do(self) -> None:
        many = [middle(pucks(f"{k}|x", 1), "permeability") for k in range(200)]
        self.assertTrue(0.25 < np.std(many) < 0.4, np.std(many))

    def test_pairs_follow_the_grind_in_their_own_way(self) -> None:
        def exponent(pair: str) -> float:
            fine, usual = (
                middle(pucks(pair, 60, nominal=n), "permeability") for n in (FINE, NOMINAL)
            )
            return (fine - usual) / math.log(250 / 300)

        found = [exponent(f"{k}|x") for k in range(12)]
        self.assertTrue(1.3 < np.mean(found) < 2.7, found)
        self.assertGreater(np.ptp(found), 0.3)

    def test_one_pull_in_ten_opens_a_channel_and_all_drift_a_little(self) -> None:
        courses = [course for _p, course in pucks("a|b", 400)]
        opens = np.mean([math.isfinite(course.channel_s) for course in courses])
        self.assertTrue(0.06 < opens < 0.15, opens)
        self.assertLessEqual(max(abs(course.drift) for course in courses), DRIFT)

    def test_drift_comes_slowly_and_a_channel_at_once(self) -> None:
        course = Course(drift=0.2, over_s=10, channel_s=15)
        at = {t: course.at(NOMINAL, t) for t in (0, 5, 14.9, 15)}
        logs = {t: math.log(p.permeability / NOMINAL.permeability) for t, p in at.items()}
        self.assertAlmostEqual(logs[0], 0)
        self.assertAlmostEqual(logs[5], 0.1)
        self.assertAlmostEqual(logs[14.9], 0.2)
        self.assertAlmostEqual(logs[15], 0.2 + CHANNEL_OPENS)
        self.assertAlmostEqual(at[15].unevenness / NOMINAL.unevenness, CHANNEL_UNEVEN)
        self.assertEqual(at[14.9].unevenness, NOMINAL.unevenness)

    def test_sensors_are_off_by_a_little_for_good(self) -> None:
        found = [MachineTruth(np.random.default_rng(k), calm=False).sensors for k in range(300)]
        self.assertAlmostEqual(float(np.std([one.gauge_bar for one in found])), 0.1, delta=0.02)
        self.assertAlmostEqual(float(np.std([one.meter for one in found])), 0.04, delta=0.01)

    def test_a_calm_machine_repeats_closely_whatever_it_is_given(self) -> None:
        found = pucks("a|b", 60, calm=True) + pucks("c|d", 60, calm=True)
        spread = np.std([math.log(p.permeability) for p, _course in found])
        self.assertLess(spread, 0.08)
        self.assertEqual({course for _p, course in found}, {Course()})
        self.assertEqual(MachineTruth(np.random.default_rng(1), calm=True).sensors, Sensors())


class Ranges(unittest.TestCase):
    @exhaustive
    def test_eight_in_ten_truths_lie_within_for_known_and_for_new_coffees(self) -> None:
        for known in (True, False):
            found = coverage(known, 40)
            for name, share in found.within.items():
                with self.subTest(name, known=known):
                    self.assertTrue(0.64 <= share <= 0.95, share)

    def test_a_new_coffees_ranges_are_at_least_twice_as_wide(self) -> None:
        known, new = (coverage(kind, 6).width for kind in (True, False))
        for name in known:
            self.assertGreater(new[name], 2 * known[name], name)
