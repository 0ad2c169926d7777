"""From coffee, grinder, basket and machine to the kernel's numbers."""

from __future__ import annotations

import itertools
import math
import unittest
from typing import get_args

from tests.core.puck.test_levers import HAND, SLOW, force, spring
from tests.factories import plan, pressure, seconds
from vapocline.core.base.problems import Refused
from vapocline.core.coffee.coffee import Process, Roast
from vapocline.core.plan.adjustable import adjustable_at, adjustables_of, adjusted
from vapocline.core.profile.profile import CupExit, FirstDripExit, Limit, PressureAboveExit
from vapocline.core.puck.parameters import Parameters, gas_left_ml_g, parameters_for, record_of
from vapocline.core.puck.plan import Setup


def of(**setup: object) -> Parameters:
    return parameters_for(Setup(**{"dose_g": 18} | setup))


class Coffee(unittest.TestCase):
    def test_gas_only_leaves_and_darker_coffee_loses_it_sooner(self) -> None:
        for roast in get_args(Roast):
            left = [gas_left_ml_g(roast, days) for days in (0, 2, 7, 20, 60, 365)]
            self.assertEqual(left, sorted(left, reverse=True), roast)
            self.assertGreaterEqual(left[-1], 0.3)
        lost = {
            roast: gas_left_ml_g(roast, 14) / gas_left_ml_g(roast, 0) for roast in ("light", "dark")
        }
        self.assertLess(lost["dark"], lost["light"])

    def test_lighter_coffee_is_denser_erodes_more_and_grinds_to_fewer_fines(self) -> None:
        light, dark = of(roast="light"), of(roast="dark")
        self.assertLess(light.depth_cm, dark.depth_cm)
        self.assertGreater(light.erosion, dark.erosion)
        self.assertLess(light.fines_share, dark.fines_share)
        self.assertLess(dark.sweet_pct, light.sweet_pct)

    def test_decaf_and_process_move_what_their_table_says(self) -> None:
        plain, decaf, natural = of(), of(decaf=True), of(process="natural")
        self.assertAlmostEqual(decaf.gas_ml_g / plain.gas_ml_g, 0.6)
        self.assertGreater(decaf.fines_share, natural.fines_share)
        self.assertGreater(natural.fines_share, plain.fines_share)
        self.assertEqual(of(process="washed"), plain)

    def test_permeability_goes_with_the_square_of_the_size(self) -> None:
        self.assertAlmostEqual(of(grind_um=600).permeability / of(grind_um=300).permeability, 4)
        self.assertLess(of(grind_um=600).size_ratio, 0.5)

    def test_fines_go_with_the_grinder_and_with_fineness(self) -> None:
        self.assertGreater(of(grind_um=220).fines_share, of(grind_um=300).fines_share)
        self.assertAlmostEqual(of(fines_pct=30).fines_share, 0.30)
        self.assertLess(of(grind_um=900, fines_pct=2).fines_share, 0.02)

    def test_the_room_above_the_bed_is_the_baskets_less_the_coffees(self) -> None:
        usual, fuller = of(dose_g=18), of(dose_g=20)
        self.assertAlmostEqual(usual.head_free_ml, 7)
        self.assertAlmostEqual(fuller.head_free_ml, 7 - 2 / 0.46)
        self.assertAlmostEqual(of(basket_volume_ml=50.2).head_free_ml, 11)
        self.assertEqual(of(dose_g=30).head_free_ml, 1.5, "a screen never lies in the coffee")

    def test_depth_goes_with_dose_over_area(self) -> None:
        self.assertAlmostEqual(of(dose_g=20).depth_cm / of(dose_g=10).depth_cm, 2)
        narrow, wide = of(basket_diameter_mm=50), of(basket_diameter_mm=60)
        self.assertAlmostEqual(narrow.depth_cm / wide.depth_cm, 1.44)

    def test_every_choice_gives_sound_numbers(self) -> None:
        choices = itertools.product(
            get_args(Roast), get_args(Process), (False, True), ("straight", "tapered")
        )
        for roast, process, decaf, shape in choices:
            p = of(roast=roast, process=process, decaf=decaf, basket_shape=shape)
            for name, value in p._asdict().items():
                self.assertIs(type(value), float, name)
                self.assertTrue(math.isfinite(value) and value >= 0, name)

    def test_the_record_reads_like_the_tuple(self) -> None:
        p = of(roast="light")
        record = record_of(p)
        self.assertEqual([getattr(record, name) for name in p._fields], list(p))


class Adjusting(unittest.TestCase):
    def paths(self, *phases: object, **setup: object) -> dict[str, tuple[float, str]]:
        found = adjustables_of(plan(*phases, **setup))
        return {one.path: (one.step, one.unit) for one in found}

    def test_a_held_level_is_one_number_and_a_move_three(self) -> None:
        held = self.paths(pressure(9))
        self.assertEqual(held["profile.phases.0.command.level"], (0.5, "bar"))
        moving = self.paths(pressure(9, 5, over=20, along="cup"))
        self.assertEqual(moving["profile.phases.0.over"], (1.0, "g"))
        self.assertIn("profile.phases.0.command.from", moving)
        self.assertNotIn("profile.phases.0.command.level", moving)

    def test_exits_with_a_number_and_limits_can_be_moved(self) -> None:
        exits = (FirstDripExit(), PressureAboveExit(value=4), CupExit(value=9), seconds(9))
        found = self.paths(pressure(6, None, *exits, limit=Limit(flow_ml_s=2)))
        indices = [path for path in found if ".exits." in path]
        self.assertEqual(indices, [f"profile.phases.0.exits.{i}.value" for i in (1, 2, 3)])
        self.assertEqual(found["profile.phases.0.limit.flow_ml_s"], (0.2, "mL/s"))

    def test_a_springs_pressure_is_not_for_turning_but_a_hands_force_is(self) -> None:
        self.assertFalse([path for path in self.paths(spring()) if ".command." in path])
        found = self.paths(force(12, 12), machine=HAND)
        self.assertEqual(found["profile.phases.0.command.level"], (1.0, "kg"))

    def test_what_leaves_its_range_is_refused_by_its_path(self) -> None:
        one = plan(pressure(9))
        with self.assertRaisesRegex(Refused, "setup.dose_g: got 400"):
            adjusted(one, {"setup.dose_g": 400})
        with self.assertRaisesRegex(Refused, "one of setup.grind_um"):
            adjustable_at(one, "profile.phases.7.over")

    def test_the_plan_given_stays_as_it_was(self) -> None:
        one = plan(pressure(9), machine=SLOW)
        before = one.written()
        adjusted(one, {"profile.phases.0.command.level": 7})
        self.assertEqual(one.written(), before)
