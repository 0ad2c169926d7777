"""What the Shelf draws: a machine's reach, a coffee's gas, a basket to scale."""

from __future__ import annotations

import unittest

import numpy as np

from vapocline.core.base.quantities import RANGES
from vapocline.core.machine.machine import HandLever, Machine, Spring, SpringLever, ValveAhead
from vapocline.core.puck.freshness import gas_over_days
from vapocline.core.puck.pictures import bed_of, press_of, reach_of, stroke_of
from vapocline.core.puck.plan import Setup

SLUICE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)


class Reaches(unittest.TestCase):
    def test_a_pump_gives_most_freely_and_nothing_where_it_stalls(self) -> None:
        pump = reach_of(SLUICE, Setup(dose_g=18)).pump
        self.assertEqual((pump.flow_ml_s[0], pump.pressure_bar[0]), (0, 15))
        self.assertEqual((pump.flow_ml_s[-1], pump.pressure_bar[-1]), (8.5, 0))

    def test_a_finer_puck_lies_steeper_than_a_coarser_one(self) -> None:
        finer, bench, coarser = reach_of(SLUICE, Setup(dose_g=18)).pucks
        self.assertEqual(bench.words, "as on the bench")
        self.assertLess(finer.flow_ml_s[-1], bench.flow_ml_s[-1])
        self.assertLess(bench.flow_ml_s[-1], coarser.flow_ml_s[-1])

    def test_a_puck_the_model_does_not_take_is_left_out(self) -> None:
        pucks = reach_of(SLUICE, Setup(dose_g=18, grind_um=RANGES["grind_um"].low + 20)).pucks
        self.assertNotIn("40 µm finer", [one.words for one in pucks])

    def test_a_valve_gives_its_free_flow_by_the_root_of_what_is_left(self) -> None:
        valve = ValveAhead(pump_bar=9, turns=(0, 1), free_flow_ml_s=(0, 6))
        pump = reach_of(SLUICE.model_copy(update={"control": valve}), Setup(dose_g=18)).pump
        self.assertEqual((pump.pressure_bar[0], pump.flow_ml_s[-1]), (9, 6))
        self.assertAlmostEqual(pump.pressure_bar[20], 9 * 0.75, places=2)


LEVER = SpringLever(
    springs=(Spring(top_bar=8.4, end_bar=4.2, from_ml=16), Spring(top_bar=2.2, end_bar=1.4)),
    stroke_ml=60,
)


class Levers(unittest.TestCase):
    def on(self, control: SpringLever | HandLever, **rest: float) -> Setup:
        return Setup(dose_g=18, machine=Machine(name="Lever", control=control), **rest)

    def test_two_springs_press_with_what_each_gives(self) -> None:
        stroke = stroke_of(LEVER, self.on(LEVER))
        first, second = stroke.springs
        self.assertEqual((first.pressure_bar[0], second.pressure_bar[0]), (8.4, 2.2))
        for at in (0, 16, 40, 60):
            apart = sum(np.interp(at, one.pressed_ml, one.pressure_bar) for one in stroke.springs)
            both = np.interp(at, stroke.together.pressed_ml, stroke.together.pressure_bar)
            self.assertAlmostEqual(apart, both, places=2)
        self.assertEqual(stroke.together.pressed_ml[-1], 60)

    def test_the_flow_along_a_stroke_is_the_pucks_and_ends_with_it(self) -> None:
        fine, coarse = (stroke_of(LEVER, self.on(LEVER, grind_um=um)) for um in (270, 360))
        for stroke in (fine, coarse):
            self.assertLessEqual(max(stroke.pressed_ml), 60)
            self.assertGreater(max(stroke.pressed_ml), 40)
        middle = [np.interp(40, one.pressed_ml, one.water_in_ml_s) for one in (fine, coarse)]
        self.assertLess(middle[0], middle[1])
        self.assertGreater(fine.cup_g or 0, 25)

    def test_two_springs_that_together_pass_the_relief_valve_are_drawn_all_the_same(self) -> None:
        strong = LEVER.model_copy(
            update={"springs": (LEVER.springs[0], Spring(top_bar=6, end_bar=3))}
        )
        stroke = stroke_of(strong, self.on(strong))
        self.assertEqual(stroke.together.pressure_bar[0], 14.4)
        self.assertGreater(stroke.cup_g or 0, 20)

    def test_a_lever_of_one_spring_has_one_line(self) -> None:
        one = LEVER.model_copy(update={"springs": LEVER.springs[:1]})
        stroke = stroke_of(one, self.on(one))
        self.assertEqual([each.words for each in stroke.springs], ["spring 1"])
        self.assertEqual(stroke.together.pressure_bar, stroke.springs[0].pressure_bar)

    def test_a_hand_lever_gives_its_bar_for_each_kg(self) -> None:
        lever = HandLever(bar_per_kg=0.42, stroke_ml=62)
        press = press_of(lever, self.on(lever))
        self.assertAlmostEqual(press.pressure_bar[20], 0.42 * press.force_kg[20], places=3)
        self.assertEqual(sorted(press.water_in_ml_s), press.water_in_ml_s)
        self.assertLess(len(press.water_in_ml_s), len(press.force_kg))  # no further than computed


class Gas(unittest.TestCase):
    def test_gas_only_falls_and_dark_coffee_is_ready_and_over_sooner(self) -> None:
        light, dark = gas_over_days("light"), gas_over_days("dark")
        self.assertEqual(light.gas_ml_g, sorted(light.gas_ml_g, reverse=True))
        self.assertLess(dark.best_from, light.best_from)
        self.assertLess(dark.best_to, light.best_to)
        self.assertLess(light.best_from, light.best_to)
        self.assertLess(gas_over_days("light", decaf=True).best_from, light.best_from)


class Beds(unittest.TestCase):
    def test_more_coffee_leaves_less_room_and_both_fill_the_basket(self) -> None:
        usual, full = bed_of(Setup(dose_g=18)), bed_of(Setup(dose_g=20))
        self.assertGreater(full.bed_mm, usual.bed_mm)
        self.assertLess(full.head_ml, usual.head_ml)
        self.assertAlmostEqual(usual.bed_mm + usual.head_mm, usual.depth_mm, delta=0.11)
        self.assertFalse(usual.measured)

    def test_a_tapered_basket_narrows(self) -> None:
        bed = bed_of(Setup(dose_g=18, basket_shape="tapered", basket_volume_ml=48))
        self.assertLess(bed.bottom_mm, bed.diameter_mm)
        self.assertTrue(bed.measured)
