"""Suggestions, what-ifs and the simple sliders."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.factories import flow, off, plan, pressure, seconds
from tests.marks import examples, more_cases
from vapocline.core.base.problems import Refused
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.simple import Sliders, slide
from vapocline.core.plan.suggestions import (
    DeclineStart,
    FlowForBand,
    IndexByWater,
    PreInfusionLength,
    Suggested,
    suggest,
)
from vapocline.core.plan.what_if import what_if
from vapocline.core.profile.profile import FirstDripExit, PressureAboveExit
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.predict import predict


class Suggestions(unittest.TestCase):
    def steady(self) -> Suggested:
        return suggest(plan(pressure(9)), DeclineStart())

    def test_a_flow_that_runs_away_is_held_by_falling_in_time(self) -> None:
        found = self.steady()
        self.assertTrue(found.reached and found.changed, found.words)
        self.assertLess(found.after.late_flow_ml_s.value, found.before.late_flow_ml_s.value - 0.2)
        self.assertEqual(found.profile.phases[-1].kind, "decline")

    def test_once_it_falls_in_time_nothing_more_is_suggested(self) -> None:
        again = suggest(plan(*self.steady().profile.phases), DeclineStart())
        self.assertFalse(again.changed, again.words)
        self.assertIn("need not fall sooner", again.words)

    def test_a_profile_without_a_held_pressure_has_nothing_to_fall_from(self) -> None:
        with self.assertRaisesRegex(Refused, "holds a pressure"):
            suggest(plan(flow(2)), DeclineStart())

    def test_a_flow_lands_in_the_band_in_its_own_phase(self) -> None:
        one = plan(flow(4, None, PressureAboveExit(value=4), seconds(20)), flow(4))
        for low, high in ((5, 6), (8, 9)):
            found = suggest(one, FlowForBand(phase=1, low_bar=low, high_bar=high))
            self.assertTrue(found.reached, found.words)
            self.assertTrue(low <= found.after.peak_pressure_bar.value <= high)

    def test_a_band_upside_down_and_another_kind_of_phase_are_refused(self) -> None:
        with self.assertRaisesRegex(Refused, "low_bar: got 9; takes less than 7"):
            suggest(plan(flow(2)), FlowForBand(phase=0, low_bar=9, high_bar=7))
        with self.assertRaisesRegex(Refused, "commands flow"):
            suggest(plan(pressure(9)), FlowForBand(phase=0))
        with self.assertRaisesRegex(Refused, "from 0 to 0"):
            suggest(plan(flow(2)), FlowForBand(phase=3))

    def test_pre_infusion_lasts_until_the_puck_is_wet_through(self) -> None:
        soaking = plan(pressure(2.5, None, seconds(5), kind="pre-infusion"), pressure(9))
        found = suggest(soaking, PreInfusionLength(phase=0))
        length = found.profile.phases[0].exits[0].value
        self.assertGreater(length, 8)
        self.assertLess(found.after.first_drip_s.value, length)
        self.assertGreater(found.after.first_drip_s.value, length - 8)
        self.assertIn("fill the head", found.words)

    def test_a_command_that_never_wets_it_through_says_so(self) -> None:
        slow = plan(flow(0.1, None, seconds(5), kind="pre-infusion"), pressure(9))
        found = suggest(slow, PreInfusionLength(phase=0))
        self.assertFalse(found.reached or found.changed)

    def test_counted_along_water_the_shot_stays_the_same_at_this_grind(self) -> None:
        falling = plan(
            flow(4, None, PressureAboveExit(value=4), seconds(20)),
            pressure(4, 9, seconds(3), over=3, kind="ramp"),
            pressure(9, 5, seconds(60), over=18),
        )
        found = suggest(falling, IndexByWater())
        self.assertEqual([phase.along for phase in found.profile.phases][1:], ["water", "water"])
        self.assertAlmostEqual(
            found.before.shot_time_s.value, found.after.shot_time_s.value, delta=0.6
        )
        self.assertAlmostEqual(
            found.before.extraction_yield_pct.value,
            found.after.extraction_yield_pct.value,
            delta=0.2,
        )
        time, water = found.shifts
        self.assertEqual((time.name, water.name), ("counted in time", "counted in water"))
        self.assertGreater(time.shot_time_s, 0)


class WhatIfs(unittest.TestCase):
    def test_each_moves_one_thing_and_goes_the_way_it_must(self) -> None:
        found = {one.name: one for one in what_if(plan(pressure(9)))}
        self.assertGreater(found["finer"].shot_time_change_s, 0)
        self.assertLess(found["coarser"].shot_time_change_s, 0)
        self.assertGreater(found["more coffee"].shot_time_change_s, 0)
        self.assertGreater(found["fresher"].shot_time_change_s, found["older"].shot_time_change_s)
        self.assertGreater(
            found["hotter"].extraction_yield_change_points,
            found["cooler"].extraction_yield_change_points,
        )
        for one in found.values():
            self.assertEqual(len(one.time_s), len(one.pressure_bar))
            self.assertNotEqual(one.before, one.after)

    def test_what_would_leave_its_range_is_cut_to_it_or_left_out(self) -> None:
        names = {one.name: one for one in what_if(plan(pressure(9), water_c=100, rest_days=2))}
        self.assertNotIn("hotter", names)
        self.assertEqual(names["fresher"].after, 0)


class Simple(unittest.TestCase):
    def test_the_middle_changes_nothing(self) -> None:
        still = slide(plan(pressure(9)), Sliders())
        self.assertEqual((still.differences, still.effects), ([], []))
        self.assertEqual(still.before, still.after)

    def test_each_slider_does_what_it_is_for_both_ways(self) -> None:
        one = plan(
            flow(5, None, PressureAboveExit(value=2), seconds(12), kind="fill"),
            pressure(2, None, FirstDripExit(), seconds(20), kind="pre-infusion"),
            pressure(8),
        )

        def share(sliders: Sliders) -> tuple[float, float, float]:
            after = slide(one, sliders).after
            classes = after.classes
            total = classes.bright.value + classes.sweet.value + classes.bitter.value
            return after.tds_pct.value, after.yield_g.value, classes.bright.value / total

        gentle, bold = share(Sliders(bolder=-2)), share(Sliders(bolder=2))
        self.assertGreater(bold[0], gentle[0])
        short, long = share(Sliders(longer=-2)), share(Sliders(longer=2))
        self.assertGreater(long[1], short[1] + 8)
        bright, round_ = share(Sliders(rounder=-2)), share(Sliders(rounder=2))
        self.assertGreater(bright[2], round_[2])

    def test_it_says_what_it_changed_and_what_that_should_do(self) -> None:
        moved = slide(plan(pressure(9)), Sliders(bolder=1, longer=1))
        self.assertIn("phase 9 to 9.5 bar", moved.differences)
        self.assertTrue(any(words.startswith("yield +") for words in moved.effects), moved.effects)

    def test_a_relief_valve_is_never_passed(self) -> None:
        machine = Machine(name="Weak", relief_bar=9.2)
        bold = slide(plan(pressure(9), machine=machine), Sliders(bolder=3)).profile
        self.assertEqual(bold.phases[0].command.to, 9.2)

    @more_cases
    @settings(max_examples=examples(25), deadline=None)
    @given(*[st.integers(-3, 3)] * 3)
    def test_wherever_they_stand_the_profile_runs(self, a: int, b: int, c: int) -> None:
        one = plan(
            flow(5, None, PressureAboveExit(value=2), seconds(12), kind="fill"),
            off(seconds(10), kind="bloom"),
            pressure(1, 8, seconds(5), over=5, kind="ramp"),
            pressure(8, 5, seconds(60), over=20, kind="decline"),
        )
        moved = slide(one, Sliders(bolder=a, longer=b, rounder=c))
        after = one.model_copy(update={"profile": moved.profile})
        refuse_unrunnable(after)
        self.assertEqual(predict(after), moved.after)
