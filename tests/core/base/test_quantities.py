"""Every quantity's range, from the one table: ends included, anything else refused in its words."""

from __future__ import annotations

import math
import unittest
from typing import Annotated, Any

from hypothesis import given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from vapocline.core.base.problems import problems_in
from vapocline.core.base.quantities import RANGES, Within


def adapter(name: str) -> TypeAdapter[float]:
    return TypeAdapter(Annotated[float, Within(name)])


def accepted_words(name: str, value: Any) -> str:
    try:
        adapter(name).validate_python(value)
    except ValidationError as error:
        return problems_in(error.errors())[0].accepted
    return ""


class Quantities(unittest.TestCase):
    def test_both_ends_are_taken_and_nothing_beyond(self) -> None:
        for name, bounds in RANGES.items():
            with self.subTest(name):
                self.assertLess(bounds.low, bounds.high)
                for end in (bounds.low, bounds.high):
                    self.assertEqual(adapter(name).validate_python(end), end)
                beyond = (
                    math.nextafter(bounds.low, -math.inf),
                    math.nextafter(bounds.high, math.inf),
                )
                for value in beyond:
                    self.assertEqual(accepted_words(name, value), str(bounds))

    def test_what_is_no_number_is_refused_with_the_range(self) -> None:
        for value in ("abc", "", None, True, False, math.nan, math.inf, -math.inf, [1], {}):
            with self.subTest(value=value):
                words = accepted_words("dose_g", value)
                self.assertEqual(words, "a number from 5 to 40 g")

    def test_numbers_written_as_text_are_taken(self) -> None:
        self.assertEqual(adapter("dose_g").validate_python("18.5"), 18.5)
        self.assertEqual(adapter("dose_g").validate_json("18"), 18.0)

    def test_a_range_without_a_unit_says_none(self) -> None:
        self.assertEqual(str(RANGES["unevenness"]), "a number from 0 to 0.6")
        self.assertEqual(str(RANGES["dial_drop"]), "a number from 0 to 0.2 bar per (mL/s)²")

    def test_the_schema_tells_the_same_range_and_unit(self) -> None:
        for name, bounds in RANGES.items():
            schema = adapter(name).json_schema()
            self.assertEqual(
                (schema["minimum"], schema["maximum"], schema["x-unit"]),
                (bounds.low, bounds.high, bounds.unit),
            )

    @given(st.sampled_from(sorted(RANGES)), st.floats())
    def test_any_float_is_taken_just_where_it_lies_within(self, name: str, value: float) -> None:
        bounds = RANGES[name]
        inside = math.isfinite(value) and bounds.low <= value <= bounds.high
        self.assertEqual(accepted_words(name, value) == "", inside)
