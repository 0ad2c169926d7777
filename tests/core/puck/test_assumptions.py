"""What nobody said of a set-up is assumed aloud; what was said is used or refused."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from pydantic import ValidationError

from tests.core.puck.test_levers import LEVER, inside, spring
from tests.factories import STRONG, plan, predicted, pressure
from vapocline.core.base.problems import refused_by_pydantic
from vapocline.core.formats.registry import MACHINE, PLAN
from vapocline.core.machine.machine import Machine, Preamble
from vapocline.core.puck.predict import predict

FIXTURES = Path(__file__).parents[1] / "formats" / "fixtures"
BOILER = STRONG.model_copy(update={"boiler_ml": 300.0})


class Assumed(unittest.TestCase):
    def test_each_unknown_is_said_until_it_is_known(self) -> None:
        bare = predict(plan(pressure(9))).assumed
        self.assertEqual(len(bare), 3)
        known = {"basket_volume_ml": 46, "fines_pct": 20, "machine": BOILER}
        self.assertEqual(predict(plan(pressure(9), **known)).assumed, [])
        new = predict(plan(pressure(9), dialled_in=False, **known))
        self.assertEqual((new.ranges, len(new.assumed)), ("new", 1))

    def test_a_plan_of_an_earlier_version_is_predicted_and_told_what_was_assumed(self) -> None:
        for version in (1, 2):
            with self.subTest(version=version):
                stored = json.loads((FIXTURES / f"plan.{version}.json").read_text())
                answer = predict(PLAN.read(stored))
                self.assertGreater(answer.shot_time_s.value or 0, 5)
                said = " ".join(answer.assumed)
                for what in ("a basket of 46 mL", "fines", "the boiler"):
                    self.assertIn(what, said)

    def test_a_machine_whose_head_nobody_measured_takes_the_new_one(self) -> None:
        old = Machine(name="Old").written() | {"version": 2}
        unmeasured, measured = (
            MACHINE.read(old | {"head_trapped_ml": trapped}).head_trapped_ml for trapped in (4, 6)
        )
        self.assertEqual((unmeasured, measured), (Machine(name="New").head_trapped_ml, 6))


class Refused(unittest.TestCase):
    def refused(self, change: dict[str, object], of: Machine = STRONG) -> dict[str, str]:
        with self.assertRaises(ValidationError) as caught:
            Machine.model_validate(of.written() | change)
        return {p.field: p.accepted for p in refused_by_pydantic(caught.exception).problems}

    def test_new_fields_take_a_range_and_say_so(self) -> None:
        for field, value, accepted in (
            ("boiler_ml", 10, "from 50 to 5000 mL"),
            ("heater_w", 0, "from 100 to 6000 W"),
            ("hose_ml_bar", -1, "from 0 to 2 mL/bar"),
        ):
            with self.subTest(field):
                self.assertIn(accepted, self.refused({field: value})[field])
        document = plan(pressure(9)).written()
        for field, value in (("basket_volume_ml", 5), ("fines_pct", 90)):
            with self.subTest(field), self.assertRaisesRegex(ValidationError, "takes a number"):
                PLAN.adapter.validate_python(
                    document | {"setup": document["setup"] | {field: value}}
                )

    def test_springs_act_within_the_stroke_and_a_lever_wets_nothing_by_itself(self) -> None:
        lever = LEVER.written()
        for part in ({"from_ml": 70}, {"to_ml": 90}, {"from_ml": 30, "to_ml": 20}):
            spring = lever["control"]["springs"][0] | part
            with self.subTest(part):
                control = lever["control"] | {"springs": [spring]}
                self.assertTrue(self.refused({"control": control}, LEVER))
        self.assertIn("preamble", self.refused({"preamble": Preamble().written()}, LEVER))


class Machines(unittest.TestCase):
    def test_water_sags_with_a_long_draw_and_more_so_from_a_small_boiler(self) -> None:
        coldest = []
        for litres in (None, 2.0, 0.15):
            boiler = None if litres is None else 1000 * litres
            machine = STRONG.model_copy(update={"boiler_ml": boiler, "heater_w": 800})
            answer = predicted(pressure(9), machine=machine, cup_g=90)
            coldest.append(answer.extraction_yield_pct.value)
        self.assertEqual(coldest, sorted(coldest, reverse=True))
        self.assertGreater(coldest[0], coldest[2] + 0.1)

    def test_what_a_machine_does_before_any_program_comes_first_and_counts_on_the_clock(
        self,
    ) -> None:
        own = Preamble(flow_ml_s=3, wet_s=2, soak_s=3)
        wets = STRONG.model_copy(update={"preamble": own})
        plain, after = predicted(pressure(9)), predicted(pressure(9), machine=wets)
        self.assertEqual((after.preamble_s, after.phases[0].start_s), (5.0, 5.0))
        self.assertIn("wets the puck at 3 mL/s for 2 s, then soaks 3 s", after.preamble or "")
        self.assertEqual((plain.preamble, plain.phases[0].start_s), (None, 0.0))
        late = after.shot_time_s.value - plain.shot_time_s.value
        self.assertTrue(2 < late < 6, late)
        before = [i for i, t in enumerate(after.series.time_s) if t < 5 - 1e-6]
        self.assertEqual({after.series.control[i] for i in before}, {None})
        self.assertEqual({after.series.commanded[i] for i in before}, {None})
        self.assertAlmostEqual(max(after.series.water_in_ml_s[i] for i in before), 3, delta=0.1)

    def test_springs_hold_until_their_own_part_then_fall_over_it(self) -> None:
        one = LEVER.control.springs[0].model_copy(update={"from_ml": 20.0, "to_ml": 45.0})
        held = LEVER.model_copy(
            update={"control": LEVER.control.model_copy(update={"springs": (one,)})}
        )
        answer = predicted(spring(), machine=held, cup_g=34)
        pressed, bar = inside(answer, "water_ml"), inside(answer, "commanded")
        for water, wanted in ((5, 8.5), (19, 8.5), (32.5, 6.25), (46, 4.0)):
            at = int(abs(pressed - water).argmin())
            self.assertAlmostEqual(bar[at], wanted, delta=0.25)
