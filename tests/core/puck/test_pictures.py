"""What the Shelf draws: a machine's reach, a coffee's gas, a basket to scale."""

from __future__ import annotations

import unittest

from vapocline.core.base.quantities import RANGES
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.core.puck.pictures import bed_of, gas_over_days, reach_of
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


class Gas(unittest.TestCase):
    def test_gas_only_falls_and_dark_coffee_is_ready_and_over_sooner(self) -> None:
        light, dark = gas_over_days("light", False), gas_over_days("dark", False)
        self.assertEqual(light.gas_ml_g, sorted(light.gas_ml_g, reverse=True))
        self.assertLess(dark.best_from, light.best_from)
        self.assertLess(dark.best_to, light.best_to)
        self.assertLess(light.best_from, light.best_to)
        self.assertLess(gas_over_days("light", True).best_from, light.best_from)


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
