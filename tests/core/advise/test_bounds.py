"""A change that is repeated and repeated stops before it harms."""

from __future__ import annotations

import unittest

from tests.core.advise.test_candidates import before
from tests.core.read.recordings import styled
from tests.marks import more_cases, some_of
from vapocline.core.advise.bounds import RATIO, WATER_C, BenchBounds
from vapocline.core.advise.candidates import candidates_for
from vapocline.core.advise.rules import RULES, Trigger
from vapocline.core.puck.plan import Plan

REPEATS = 40
BENCH = BenchBounds(grind_um=(240.0, 420.0), dose_g=(16.0, 20.0))
TRIGGERS: dict[str, Trigger] = {rule.move: rule.trigger for rule in RULES}


class Repeated(unittest.TestCase):
    def repeated(self, key: str, move: str, bounds: BenchBounds = BENCH) -> list[Plan]:
        """The plans that one change comes to, made as often as it is offered."""
        plans = [styled(key)]
        for _ in range(REPEATS):
            found = [
                one.plan
                for one in candidates_for(plans[-1], [TRIGGERS[move]], bounds)
                if one.move == move
            ]
            if not found:
                return plans
            plans += found
        return plans

    @more_cases
    def test_no_change_goes_on_for_ever(self) -> None:
        for move in some_of(sorted(TRIGGERS), 5):
            with self.subTest(move=move):
                self.assertLess(len(self.repeated("soak-then-press", move)), REPEATS)

    def test_water_stops_short_of_boiling_and_grind_at_what_the_grinder_is_calibrated_for(
        self,
    ) -> None:
        hottest = self.repeated("soak-then-press", "warmer")[-1]
        self.assertEqual(hottest.setup.water_c, WATER_C[1])
        finest = self.repeated("soak-then-press", "finer")[-1].setup.grind_um
        self.assertGreaterEqual(finest, 240)

    def test_dose_stops_at_the_basket_and_the_drink_at_what_is_one(self) -> None:
        most = self.repeated("steady-nine", "more_coffee")[-1]
        self.assertEqual(most.setup.dose_g, 20)
        unmade = self.repeated("steady-nine", "more_coffee", BenchBounds())[-1]
        self.assertLess(unmade.setup.dose_g, 21, "the basket is full")
        shortest = self.repeated("steady-nine", "shorter_drink")[-1]
        self.assertGreaterEqual(shortest.profile.stop.cup_g or 0, RATIO[0] * shortest.setup.dose_g)
        longest = self.repeated("steady-nine", "longer_drink")[-1]
        self.assertLess(longest.profile.stop.cup_g or 999, 100)

    def test_what_lies_past_a_bound_already_may_come_back_and_not_go_further(self) -> None:
        plan = before("steady-nine").plan
        hot = plan.model_copy(update={"setup": plan.setup.model_copy(update={"water_c": 99})})
        offered = {one.move for one in candidates_for(hot, ["too bitter", "too acidic"])}
        self.assertIn("cooler", offered)
        self.assertNotIn("warmer", offered)
