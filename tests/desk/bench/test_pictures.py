"""What the shelf draws of a thing, from what stands on the bench and what was pulled with it."""

from __future__ import annotations

from datetime import timedelta

from tests.core.machine.test_calibration import MEASURED, valve_rows
from tests.desk.pull.test_pull import AtBench
from tests.factories import pressure, profile
from vapocline.core.base.problems import NotFoundError, Refused
from vapocline.core.coffee.coffee import Bag, Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.machine.machine import HandLever, Machine, Spring, SpringLever, ValveAhead
from vapocline.core.puck.pictures import DrawnPress, DrawnStroke
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.bench.pictures import coffee_days, grinder_curve, lever_stroke
from vapocline.desk.pull.start import pull
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.shelf.calibrations import Measurement, keep
from vapocline.desk.shelf.coffees import add_coffee, open_bag
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.machines import add_machine
from vapocline.desk.shelf.valves import ValveAsked, ask_valve, valve_curve
from vapocline.desk.taste.tasting import score

PRESSED = profile(pressure(8, name="Press"), cup_g=30)
VALVE = ValveAhead(pump_bar=9, turns=(0, 1, 3), free_flow_ml_s=(0, 2, 8))
LEVER = SpringLever(springs=(Spring(top_bar=9, end_bar=4),))


class OfMachines(AtBench):
    def machine(self, control: ValveAhead | SpringLever | HandLever) -> int:
        made = add_machine(self.context, Machine(name=self._testMethodName[5:55], control=control))
        return made.id

    def test_a_valve_is_asked_both_ways_and_knows_its_error_once_it_was_calibrated(self) -> None:
        valve = self.machine(VALVE)
        self.assertIsNone(valve_curve(self.context, valve).error_ml_s)
        before = ask_valve(self.context, valve, ValveAsked(turns=2))
        self.assertEqual((before.free_flow_ml_s, before.free_flow_error_ml_s), (5, None))
        rows = MEASURED.validate_python({"what": "valve", "rows": valve_rows(3)})
        keep(self.context, "machine", valve, Measurement(measured=rows))
        curve = valve_curve(self.context, valve)
        self.assertEqual(len(curve.measured), len(valve_rows(3)))
        after = ask_valve(self.context, valve, ValveAsked(free_flow_ml_s=3))
        self.assertEqual(after.free_flow_error_ml_s, curve.error_ml_s)
        back = ask_valve(self.context, valve, ValveAsked(turns=after.turns))
        self.assertAlmostEqual(back.free_flow_ml_s, 3, delta=0.02)

    def test_one_thing_is_asked_and_only_of_a_valve(self) -> None:
        valve = self.machine(VALVE)
        for asked in (ValveAsked(), ValveAsked(turns=1, free_flow_ml_s=2), ValveAsked(turns=9)):
            with self.subTest(asked), self.assertRaises(Refused):
                ask_valve(self.context, valve, asked)
        with self.assertRaisesRegex(Refused, "with a needle valve"):
            valve_curve(self.context, self.first)
        with self.assertRaises(NotFoundError):
            valve_curve(self.context, 9999)

    def test_a_lever_is_drawn_by_its_kind_and_a_pump_is_none(self) -> None:
        self.assertIsInstance(lever_stroke(self.context, self.machine(LEVER)), DrawnStroke)
        hand = add_machine(self.context, Machine(name="By hand", control=HandLever()))
        self.assertIsInstance(lever_stroke(self.context, hand.id), DrawnPress)
        with self.assertRaisesRegex(Refused, "with a lever"):
            lever_stroke(self.context, self.first)


class OfACoffee(AtBench):
    def test_shots_lie_at_their_days_with_their_liking_and_what_does_not_count_is_left_out(
        self,
    ) -> None:
        roasted = self.context.today() - timedelta(days=9)
        coffee = add_coffee(self.context, Coffee(name="Young", roasted_on=roasted))
        grinder = add_grinder(
            self.context, Grinder(name="Mill", settings=(0, 10), grind_um=(200, 400))
        )
        on_bench = BenchChange(coffee_id=coffee.id, grinder_id=grinder.id, grind_setting=4)
        change_bench(self.context, on_bench)
        request = self.request(PRESSED)
        liked, spoiled, untasted = (pull(self.context, request) for _ in range(3))
        score(self.context, liked, Tasting(liking=7))
        set_aside(self.context, spoiled, SetAside(reason="spoiled"))
        drawn = coffee_days(self.context, coffee.id)
        self.assertEqual(
            [(one.shot_id, one.rest_days, one.liking) for one in drawn.shots],
            [(liked, 9, 7), (untasted, 9, None)],
        )
        (used,) = grinder_curve(self.context, grinder.id).used
        self.assertEqual((used.setting, used.shots, used.liking), (4, 2, 7))

    def test_a_bag_is_counted_in_shots_of_the_benchs_dose_and_in_money(self) -> None:
        coffee = add_coffee(self.context, Coffee(name="Dear", bag_g=250))
        change_bench(self.context, BenchChange(coffee_id=coffee.id, dose_g=18))
        cost = coffee_days(self.context, coffee.id).cost
        assert cost
        self.assertEqual((cost.shots_left, cost.a_shot, cost.dialling_in), (13, None, None))
        open_bag(self.context, coffee.id, Bag(bag_g=500, bag_price=15))
        cost = coffee_days(self.context, coffee.id).cost
        assert cost
        self.assertEqual((cost.shots_left, cost.a_shot, cost.dialling_in), (27, 0.54, 1.62))
        change_bench(self.context, BenchChange(dose_g=20))
        cost = coffee_days(self.context, coffee.id).cost
        assert cost
        self.assertEqual((cost.shots_left, cost.a_shot), (25, 0.6))
