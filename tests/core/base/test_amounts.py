"""Amounts in words, in °C or °F, g or oz, mL or fl oz, as levels and as differences; also in what
is refused."""

from __future__ import annotations

import unittest

from pydantic import BaseModel, ValidationError

from vapocline.core.base.amounts import (
    Units,
    amount,
    asked_units,
    change,
    from_to,
    grams,
    millilitres,
    read_in,
    temperature,
    temperature_apart,
    temperature_number,
)
from vapocline.core.base.problems import problems_in
from vapocline.core.base.quantities import DoseG, WaterC

FAHRENHEIT = Units(temperature="F")
OUNCES = Units(weight="oz", volume="fl oz")


class Kettle(BaseModel):
    water_c: WaterC


class Scoop(BaseModel):
    dose_g: DoseG


class Amounts(unittest.TestCase):
    def test_a_level_is_moved_and_a_difference_only_stretched(self) -> None:
        self.assertEqual((temperature(93), temperature_apart(1.5)), ("93 °C", "1.5 °C"))
        with read_in(FAHRENHEIT):
            self.assertEqual((temperature(93), temperature_apart(1.5)), ("199.4 °F", "2.7 °F"))
            self.assertEqual(temperature_number(0, 0), "32")
            self.assertEqual(change(-1, "°C", 1), "-1.8 °F")
        self.assertEqual(temperature(93), "93 °C", "what was read before is read again")

    def test_other_units_stay_what_they_are(self) -> None:
        with read_in(FAHRENHEIT):
            self.assertEqual((amount(18, "g", 1), change(0.5, "g", 1)), ("18.0 g", "+0.5 g"))
            self.assertEqual(amount(93, "°C", 1), "199.4 °F")
            self.assertEqual(amount(14.5, ""), "14.5")
            self.assertEqual(from_to(93, 92, "°C"), "199.4 to 197.6 °F")
        self.assertEqual((from_to(93, 92, "°C"), from_to(18, 18.5, "g")),
                         ("93 to 92 °C", "18 to 18.5 g"))  # fmt: skip

    def test_weights_and_volumes_are_read_in_ounces_as_finely_as_in_grams(self) -> None:
        self.assertEqual((grams(18, 1), millilitres(40)), ("18.0 g", "40 mL"))
        with read_in(OUNCES):
            self.assertEqual((grams(18, 1), millilitres(40, 0)), ("0.635 oz", "1.35 fl oz"))
            self.assertEqual((grams(18), change(-0.5, "g", 1)), ("0.635 oz", "-0.018 oz"))
            self.assertEqual((millilitres(1600, 0), grams(694, 0)), ("54.1 fl oz", "24.5 oz"))
            self.assertEqual(from_to(18, 18.5, "g"), "0.635 to 0.653 oz")
            self.assertEqual(amount(93, "°C"), "93 °C")
            self.assertEqual(amount(2, "mL/s"), "2 mL/s", "a flow has no other unit")
            with self.assertRaises(ValidationError) as refused:
                Scoop(dose_g=57)
            [problem] = problems_in(refused.exception.errors())
        self.assertEqual(str(problem), "dose_g: got 2.011; takes a number from 0.176 to 1.411 oz")

    def test_units_are_asked_for_by_name_in_any_order(self) -> None:
        self.assertEqual(asked_units("oz,F"), Units(temperature="F", weight="oz"))
        self.assertEqual(asked_units("C, g, fl oz"), Units(volume="fl oz"))
        self.assertEqual(asked_units("stones, K"), Units())

    def test_a_refusal_says_what_was_got_and_what_is_taken_in_the_same_unit(self) -> None:
        with read_in(FAHRENHEIT), self.assertRaises(ValidationError) as refused:
            Kettle(water_c=148.9)
        with read_in(FAHRENHEIT):
            [problem] = problems_in(refused.exception.errors())
        self.assertEqual(str(problem), "water_c: got 300; takes a number from 140 to 212 °F")
        with self.assertRaises(ValidationError) as plain:
            Kettle(water_c=148.9)
        [problem] = problems_in(plain.exception.errors())
        self.assertEqual(str(problem), "water_c: got 148.9; takes a number from 60 to 100 °C")
