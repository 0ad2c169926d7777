"""Recipe, suggestions, what-ifs, the simple sliders, cautions, and exits that can never count."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.factories import flow, off, plan, pressure, profile, seconds, until_cup
from vapocline.core.cautions import ALWAYS, DUMPS, HOLDS, RATED, RELIEF, SPRING, cautions_for
from vapocline.core.check import notices, profile_problems, refuse_unrunnable
from vapocline.core.grind import grind_um_at, setting_for
from vapocline.core.machine import Machine, Spring, SpringLever, levels_of
from vapocline.core.problems import Refused
from vapocline.core.profile import (
    FirstDripExit,
    FlowAboveExit,
    Limit,
    Phase,
    PressureAboveExit,
    PressureBelowExit,
)
from vapocline.core.puck.predict import predict
from vapocline.core.recipe import Recipe, glass_ml, revised
from vapocline.core.simple import Sliders, slide
from vapocline.core.suggest import (
    DeclineStart,
    FlowForBand,
    IndexByWater,
    PreInfusionLength,
    Suggested,
    suggest,
)
from vapocline.core.whatif import what_if


class Recipes(unittest.TestCase):
    def test_any_two_give_the_third(self) -> None:
        now = Recipe(18, 36)
        self.assertEqual(revised(now, dose_g=20), Recipe(20, 40))
        self.assertEqual(revised(now, ratio=2.5), Recipe(18, 45))
        self.assertEqual(revised(now, dose_g=20, yield_g=50).ratio, 2.5)
        follows_dose = Recipe(18, 36, "dose_g")
        self.assertEqual(revised(follows_dose, ratio=2.4)[:2], (15, 36))

    def test_what_followed_hands_its_place_on_when_it_is_changed_itself(self) -> None:
        changed = revised(Recipe(18, 36), yield_g=45)
        self.assertEqual((changed.ratio, changed.follows), (2.5, "ratio"))

    def test_three_that_disagree_and_a_third_out_of_range_are_refused(self) -> None:
        with self.assertRaisesRegex(Refused, "any two of dose, ratio and yield"):
            revised(Recipe(18, 36), dose_g=18, ratio=2, yield_g=50)
        with self.assertRaisesRegex(Refused, "yield_g: got 720, which the other two give"):
            revised(Recipe(18, 36), dose_g=36, ratio=20)

    @given(st.floats(5, 40), st.floats(1, 6))
    def test_the_three_agree_whatever_is_given(self, dose: float, ratio: float) -> None:
        recipe = revised(Recipe(18, 36), dose_g=dose, ratio=ratio)
        self.assertAlmostEqual(recipe.yield_g, dose * ratio, delta=0.051)

    def test_fresher_coffee_stands_higher_in_the_glass(self) -> None:
        self.assertGreater(glass_ml(36, 0.5), glass_ml(36, 0.2))
        self.assertEqual(glass_ml(36, 0), 36)

    def test_a_size_is_turned_back_to_the_setting_that_gives_it(self) -> None:
        settings_, sizes = (8, 12, 14.5, 18, 24), (214, 263, 300, 352, 446)
        for setting in (8, 10.3, 14.5, 23.7):
            size = grind_um_at(settings_, sizes, setting)
            self.assertAlmostEqual(setting_for(settings_, sizes, size), setting, delta=0.02)
        self.assertEqual(setting_for(settings_, sizes, 900), 24)


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


class Cautions(unittest.TestCase):
    def test_each_is_said_where_it_applies(self) -> None:
        plain = Machine(name="Plain", relief_bar=11)
        bloomed = profile(off(seconds(10)), pressure(9))
        self.assertEqual(cautions_for(plain, profile(pressure(9)), 9.0), [ALWAYS])
        self.assertIn(DUMPS, cautions_for(plain, bloomed, 9.0))
        holds = plain.model_copy(update={"when_off": "hold"})
        self.assertIn(HOLDS, cautions_for(holds, bloomed, 9.0))
        self.assertIn(RELIEF, cautions_for(plain, bloomed, 10.8))
        self.assertIn(RATED, cautions_for(plain, bloomed, 10.2))
        lever = SpringLever(springs=(Spring(top_bar=8, end_bar=3),))
        gaff = Machine(name="Gaff", control=lever)
        self.assertEqual(cautions_for(gaff, bloomed, None)[0], SPRING)

    def test_levels_are_those_of_the_commands_a_machine_takes(self) -> None:
        self.assertEqual(
            levels_of(Machine(name="Both", relief_bar=10)), {"pressure": 10, "flow": 9}
        )
        lever = SpringLever(springs=(Spring(top_bar=8, end_bar=3),), line_bar=1.5)
        self.assertEqual(levels_of(Machine(name="Gaff", control=lever)), {"pressure": 1.5})


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
        self.assertAlmostEqual(found.before.ey_pct.value, found.after.ey_pct.value, delta=0.2)
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
        self.assertGreater(found["hotter"].ey_change_points, found["cooler"].ey_change_points)
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
            return after.tds_pct.value, after.cup_g.value, classes.bright.value / total

        gentle, bold = share(Sliders(bolder=-2)), share(Sliders(bolder=2))
        self.assertGreater(bold[0], gentle[0])
        short, long = share(Sliders(longer=-2)), share(Sliders(longer=2))
        self.assertGreater(long[1], short[1] + 8)
        bright, round_ = share(Sliders(rounder=-2)), share(Sliders(rounder=2))
        self.assertGreater(bright[2], round_[2])

    def test_it_says_what_it_changed_and_what_that_should_do(self) -> None:
        moved = slide(plan(pressure(9)), Sliders(bolder=1, longer=1))
        self.assertIn("phase 9 to 9.5 bar", moved.differences)
        self.assertTrue(any(words.startswith("cup +") for words in moved.effects), moved.effects)

    def test_a_relief_valve_is_never_passed(self) -> None:
        machine = Machine(name="Weak", relief_bar=9.2)
        bold = slide(plan(pressure(9), machine=machine), Sliders(bolder=3)).profile
        self.assertEqual(bold.phases[0].command.to, 9.2)

    @settings(max_examples=25, deadline=None)
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
