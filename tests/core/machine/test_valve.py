"""A needle valve asked both ways: the flow at a position, the position for a flow."""

from __future__ import annotations

import unittest

import numpy as np

from vapocline.core.base.problems import Refused
from vapocline.core.machine.machine import ValveAhead
from vapocline.core.machine.valve import flow_at, position_for

VALVE = ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 2, 6, 8))


class BothWays(unittest.TestCase):
    def test_the_position_for_the_flow_at_a_position_is_that_position(self) -> None:
        dice = np.random.default_rng(4)
        for _ in range(200):
            turns = np.cumsum(dice.uniform(0.1, 1, 6)).round(3)
            flows = np.cumsum(dice.uniform(0.05, 2, 6)).round(3)
            valve = ValveAhead(pump_bar=9, turns=tuple(turns), free_flow_ml_s=tuple(flows))
            at = float(dice.uniform(turns[0], turns[-1]))
            flow = flow_at(valve, at).free_flow_ml_s
            found = position_for(valve, min(max(flow, flows[0]), flows[-1]))
            self.assertAlmostEqual(found.turns, at, delta=0.02)

    def test_where_turning_changes_nothing_the_first_position_is_told(self) -> None:
        flat = ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 4, 4, 8))
        self.assertEqual(position_for(flat, 4).turns, 1)
        self.assertEqual(position_for(flat, 6).turns, 2.5)

    def test_a_glass_holds_what_runs_in_thirty_seconds_with_its_error(self) -> None:
        found = flow_at(VALVE, 1.5, error_ml_s=0.2)
        self.assertEqual((found.free_flow_ml_s, found.grams_30_s), (4, 120))
        self.assertEqual((found.grams_30_s_error, found.turns_error), (6, 0.05))

    def test_without_a_calibration_nothing_is_claimed_of_the_error(self) -> None:
        found = position_for(VALVE, 3)
        self.assertEqual(found.turns, 1.25)
        self.assertEqual(
            (found.turns_error, found.free_flow_error_ml_s, found.grams_30_s_error), (None,) * 3
        )

    def test_a_stored_valve_whose_pump_presses_nothing_is_answered_all_the_same(self) -> None:
        none = VALVE.model_copy(update={"pump_bar": 0.0})
        self.assertAlmostEqual(position_for(none, 2).turns, 1, places=3)

    def test_what_it_does_not_reach_is_refused_with_what_it_does(self) -> None:
        for ask, value, takes in (
            (flow_at, 3.5, "0 to 3 turns"),
            (position_for, 9, "0 to 8 mL/s"),
        ):
            with self.subTest(value), self.assertRaises(Refused) as refused:
                ask(VALVE, value)
            self.assertEqual(refused.exception.problems[0].accepted, takes)
