"""Exits that can never count are named."""

from __future__ import annotations

import unittest

from tests.factories import flow, plan, pressure, profile, seconds, until_cup
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import (
    FlowAboveExit,
    Limit,
    Phase,
    PressureAboveExit,
    PressureBelowExit,
)
from vapocline.core.puck.check import notices, refuse_unrunnable


class Contradictions(unittest.TestCase):
    def fields(self, phase: Phase) -> dict[str, str]:
        return {one.field: one.accepted for one in profile_problems(profile(phase))}

    def test_a_way_down_that_the_way_up_forestalls_is_refused(self) -> None:
        exits = (PressureAboveExit(value=4), PressureBelowExit(value=6), seconds(20))
        words = self.fields(flow(4, None, *exits))["phases.0.exits.1.value"]
        self.assertIn("less than 4 bar", words)

    def test_an_exit_over_the_phases_own_limit_is_refused(self) -> None:
        exits = (PressureAboveExit(value=6), seconds(20))
        phase = flow(4, None, *exits, limit=Limit(pressure_bar=4))
        self.assertIn("own limit", self.fields(phase)["phases.0.exits.0.value"])

    def test_exits_that_make_sense_together_pass(self) -> None:
        exits = (PressureAboveExit(value=6), PressureBelowExit(value=2), seconds(20))
        self.assertEqual(self.fields(flow(4, None, *exits, limit=Limit(pressure_bar=6))), {})

    def test_what_can_have_no_effect_is_noticed_but_runs(self) -> None:
        one = plan(
            pressure(6, None, PressureAboveExit(value=9), seconds(5)),
            pressure(6, None, FlowAboveExit(value=13), until_cup(40), seconds(300)),
            pressure(9, 4, seconds(5), over=12),
        )
        refuse_unrunnable(one)
        found = {one.field: one.words for one in notices(one)}
        self.assertIn("never reached", found["phases.0.exits.0.value"])
        self.assertIn("at most 12 flows", found["phases.1.exits.0.value"])
        self.assertIn("stops at 36 g", found["phases.1.exits.1.value"])
        self.assertIn("ends after 110 s", found["phases.1.exits.2.value"])
        self.assertIn("before the move of 12 s is done", found["phases.2.over"])
        self.assertEqual(notices(plan(pressure(9, None, seconds(60)))), [])
