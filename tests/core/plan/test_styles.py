"""Styles fitted by solving: every one on every machine, for the dose, drink and coffee at hand."""

from __future__ import annotations

import re
import unittest
from itertools import product

from tests.marks import more_cases, some_of
from vapocline.core.base.problems import Refused
from vapocline.core.base.rounding import to_step
from vapocline.core.machine.commands import commands_of
from vapocline.core.machine.machine import (
    BothLoops,
    Control,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    SoftStart,
    Spring,
    SpringLever,
    ValveAhead,
)
from vapocline.core.machine.steps import to_machine_steps
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import StyleFit, fit, style_named
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import OffCommand, SecondsExit
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.plan import Plan, Setup

CONTROLS: tuple[Control, ...] = (
    BothLoops(),
    PressureLoop(),
    FlowLoop(),
    ValveAhead(pump_bar=9, turns=(0, 0.5, 1, 1.5, 2, 3), free_flow_ml_s=(0, 0.9, 2.4, 4.3, 6.1, 8)),
    SpringLever(springs=(Spring(top_bar=7, end_bar=3), Spring(top_bar=2, end_bar=1))),
    HandLever(),
    SoftStart(),
)
SLUICE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)


def fitted(key: str, yield_g: float = 36, regrind: bool = True, **setup: object) -> StyleFit:
    made = Setup(**{"dose_g": 18, "machine": SLUICE} | setup)
    return fit(style_named(key), made, yield_g, regrind=regrind)


class EveryStyle(unittest.TestCase):
    @more_cases
    def test_each_runs_on_every_kind_of_machine_and_lands_on_its_drink(self) -> None:
        for control, style in some_of(product(CONTROLS, STYLES), 13):
            machine = Machine(name="Any", control=control, relief_bar=11)
            with self.subTest(machine=control.kind, style=style.key):
                made = fit(style, Setup(dose_g=18, machine=machine), 36)
                refuse_unrunnable(Plan(setup=made.setup, profile=made.profile, members=1))
                self.assertEqual(profile_problems(made.profile), [])
                self.assertEqual(made.profile, to_machine_steps(made.profile, machine))
                used = {phase.command.control for phase in made.profile.phases}
                self.assertLessEqual(used, set(commands_of(machine)))
                if "holds no more water" not in made.words[-1]:
                    self.assertEqual(made.prediction.stopped_on, "cup_g")
                    self.assertAlmostEqual(made.prediction.yield_g.value, made.yield_g, delta=0.4)

    def test_each_says_what_it_is_for_and_where_practitioners_disagree(self) -> None:
        self.assertEqual(len({style.key for style in STYLES}), len(STYLES))
        for style in STYLES:
            for words in (style.purpose, style.roasts, style.drink, style.expect):
                self.assertTrue(words, style.key)
            self.assertTrue(style.schools, style.key)
            self.assertTrue(style.ratios[0] <= style.ratio <= style.ratios[1], style.key)


class Fitting(unittest.TestCase):
    def test_the_grind_is_solved_for_the_styles_time_and_may_be_left_as_it_is(self) -> None:
        made = fitted("steady-nine", grind_um=360)
        self.assertAlmostEqual(made.prediction.shot_time_s.value, 27, delta=1.0)
        self.assertLess(made.grind_um, 360)
        kept = fitted("steady-nine", grind_um=360, regrind=False)
        self.assertEqual(kept.setup.grind_um, 360)
        self.assertEqual(kept.grind_um, made.grind_um)
        self.assertLess(kept.prediction.shot_time_s.value, 23)

    def test_a_coffee_just_roasted_gets_another_grind_than_a_stale_one(self) -> None:
        fresh, stale = (fitted("steady-nine", rest_days=days) for days in (2, 60))
        self.assertGreater(fresh.grind_um, stale.grind_um + 10)

    def test_a_fresh_coffee_rests_longer_in_its_bloom(self) -> None:
        def rest(days: float) -> float:
            phases = fitted("bloom", rest_days=days, regrind=False).profile.phases
            [off] = [phase for phase in phases if phase.command.control == "off"]
            return float(off.exits[0].value)

        self.assertGreater(rest(2), rest(40) + 5)

    def test_flow_goes_with_the_dose_where_the_basket_suits_it(self) -> None:
        small, large = (
            fitted("slow-saturate", 2.2 * dose, dose_g=dose, basket_volume_ml=volume)
            for dose, volume in ((14, 37), (21, 53))
        )
        flows = [made.profile.phases[0].command.from_ for made in (small, large)]
        self.assertLess(flows[0], flows[1])

    def test_what_a_style_wants_of_its_own_numbers_is_met(self) -> None:
        self.assertAlmostEqual(
            fitted("hard-start-falling").prediction.late_flow_ml_s.value, 1.9, delta=0.15
        )
        peak = fitted("level-flow").prediction.peak_pressure_bar.value
        self.assertTrue(7.4 <= peak <= 9.1, peak)

    def test_a_drink_the_style_is_not_for_gives_way_and_it_says_so(self) -> None:
        made = fitted("long-and-open")
        self.assertEqual(made.yield_g, 90)
        self.assertIn("yield 36 to 90 g", made.words[0])

    def test_a_rest_is_as_long_as_the_gas_needs_and_says_what_a_day_younger_would(self) -> None:
        lasts = []
        for days in (4, 8, 16):
            made = fitted("bloom", regrind=False, rest_days=days)
            (rest,) = [one for one in made.profile.phases if isinstance(one.command, OffCommand)]
            (lasting,) = [one.value for one in rest.exits if isinstance(one, SecondsExit)]
            (said,) = [one for one in made.words if one.startswith("rest ")]
            self.assertIn(f"rest {lasting:.0f} s, for its gas", said)
            self.assertRegex(said, r"[0-9.]+ s more if it were a day younger$")
            lasts.append(lasting)
        self.assertEqual(sorted(lasts, reverse=True), lasts)
        blend = fitted("bloom", regrind=False, rest_days=16, blend=True)
        self.assertIn(f"rest {lasts[1]:.0f} s", " ".join(blend.words))  # a blend ages half as fast
        self.assertNotIn("rest ", " ".join(fitted("steady-nine").words))

    def test_a_soak_says_what_gas_it_leaves_and_a_day_younger_would(self) -> None:
        left = []
        for days in (4, 8, 16):
            words = " ".join(fitted("soak-then-press", regrind=False, rest_days=days).words)
            found = re.search(r"([\d.]+) mL/g of gas are left .*, ([\d.]+) more if it were", words)
            assert found
            left.append(float(found[1]))
            self.assertGreater(float(found[2]), 0)
        self.assertEqual(sorted(left, reverse=True), left)
        for key in ("steady-nine", "bloom"):
            self.assertNotIn("as it presses", " ".join(fitted(key, regrind=False).words))

    def test_filter_likes_rest_follows_the_gas_too(self) -> None:
        rests = []
        for days in (4, 30):
            made = fitted("filter-like", 126, regrind=False, rest_days=days)
            (rest,) = [one for one in made.profile.phases if isinstance(one.command, OffCommand)]
            rests += [one.value for one in rest.exits if isinstance(one, SecondsExit)]
        self.assertGreater(rests[0], rests[1])

    def test_what_the_machine_cannot_give_is_reported(self) -> None:
        one = fitted("gentle-low-pressure", machine=Machine(name="One", control=SoftStart()))
        self.assertTrue(any("peaks at 9.0 bar" in words for words in one.words), one.words)
        lever = fitted("long-and-open", machine=Machine(name="Oar", control=HandLever()))
        self.assertTrue(any("holds no more water" in words for words in lever.words), lever.words)

    def test_a_weak_relief_valve_caps_the_pressure(self) -> None:
        made = fitted("spring-decline-two", machine=SLUICE.model_copy(update={"relief_bar": 7}))
        self.assertLessEqual(made.prediction.peak_pressure_bar.value, 7.05)


class Steps(unittest.TestCase):
    def test_values_are_brought_to_the_nearest_step_not_above_the_top(self) -> None:
        self.assertEqual(to_step(8.26, 0.5), 8.5)
        self.assertEqual(to_step(9.9, 0.5, top=9.7), 9.5)

    def test_an_unknown_style_is_no_style(self) -> None:
        with self.assertRaises(StopIteration):
            style_named("no-such-style")

    def test_a_setup_that_cannot_run_is_refused(self) -> None:
        weak = Machine(name="Weak", control=PressureLoop(), relief_bar=1, pump_max_bar=2)
        try:
            made = fitted("steady-nine", machine=weak)
        except Refused:
            return
        self.assertLessEqual(made.prediction.peak_pressure_bar.value, 1.05)
