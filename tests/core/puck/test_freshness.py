"""When a coffee is at its best: by roast, decaffeinated, as a blend."""

from __future__ import annotations

import unittest
from typing import get_args

from tests.factories import pressure, profile
from vapocline.core.coffee.coffee import Roast
from vapocline.core.puck.freshness import (
    BEST_FROM_ML_G,
    BEST_TO_ML_G,
    best_days,
    freshness_of,
    gas_over_days,
)
from vapocline.core.puck.parameters import gas_left_ml_g, parameters_for
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict

ROASTS: tuple[Roast, ...] = get_args(Roast)


class AtItsBest(unittest.TestCase):
    def test_the_days_are_those_on_which_so_much_gas_is_left(self) -> None:
        for roast in ROASTS:
            for kind in ({}, {"decaf": True}, {"blend": True}):
                with self.subTest(roast=roast, **kind):
                    first, last = best_days(roast, **kind)
                    self.assertLess(first, last)
                    left = [gas_left_ml_g(roast, day, **kind) for day in (first, last)]
                    self.assertAlmostEqual(left[0], BEST_FROM_ML_G, delta=0.05)
                    self.assertAlmostEqual(left[1], BEST_TO_ML_G, delta=0.05)

    def test_a_blend_is_ready_later_and_lasts_longer_than_its_roast(self) -> None:
        for roast in ROASTS:
            alone, blend = best_days(roast), best_days(roast, blend=True)
            self.assertAlmostEqual(blend[0], 2 * alone[0], delta=0.15)
            self.assertAlmostEqual(blend[1], 2 * alone[1], delta=0.15)
            self.assertGreaterEqual(gas_over_days(roast, blend=True).days[-1], blend[1])

    def test_it_is_said_in_days_from_its_best(self) -> None:
        first, last = best_days("medium")
        for day, state, words in (
            (first - 2, "early", "2 days early"),
            (first - 0.5, "early", "1 day early"),
            ((first + last) / 2, "best", "at its best"),
            (last + 3, "past", "3 days past its best"),
        ):
            with self.subTest(day=day):
                found = freshness_of("medium", day)
                self.assertEqual(found.state, state)
                self.assertEqual(found.words, f"day {day:.0f}, {words}")


class Blends(unittest.TestCase):
    def setup_of(self, *, blend: bool) -> Setup:
        return Setup(dose_g=18, rest_days=14, blend=blend, dialled_in=False)

    def test_a_blend_holds_more_gas_and_how_fast_it_stales_is_known_less_well(self) -> None:
        alone, blend = (parameters_for(self.setup_of(blend=one)) for one in (False, True))
        self.assertGreater(blend.gas_ml_g, alone.gas_ml_g)
        self.assertEqual(blend.rested, alone.rested)

    def test_its_ranges_are_wider(self) -> None:
        shot = profile(pressure(9, name="Press"), cup_g=36)
        widths = []
        for blend in (False, True):
            plan = Plan(setup=self.setup_of(blend=blend), profile=shot, members=200)
            glass = predict(plan).glass_ml
            assert glass.p10 is not None
            assert glass.p90 is not None
            widths.append(glass.p90 - glass.p10)
        self.assertGreater(widths[1], widths[0])
