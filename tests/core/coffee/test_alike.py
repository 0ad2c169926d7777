"""What roasters say of two coffees alike: it groups them, and the model takes none of it."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from vapocline.core.base.problems import problems_in
from vapocline.core.coffee.alike import shared_facts
from vapocline.core.coffee.coffee import Coffee

WASHED = Coffee(
    name="One", process="fully washed", variety="Saltmarsh", dried="Raised beds", lot="12",
    crop="2026-03", altitude_m=1750,
)  # fmt: skip


class SharedFacts(unittest.TestCase):
    def test_what_both_say_is_named_and_what_one_leaves_out_is_not(self) -> None:
        other = Coffee(
            name="Other", process="washed", dried="raised beds", crop="2026-05", altitude_m=1900
        )
        shared = ["washed", "Raised beds", "about 1750 m", "harvest of March 2026"]
        self.assertEqual(shared_facts(WASHED, other), shared)
        self.assertEqual(shared_facts(WASHED, Coffee(name="Silent")), [])
        self.assertEqual(shared_facts(Coffee(name="Silent"), Coffee(name="Mute")), [])

    def test_another_height_harvest_or_process_is_not_shared(self) -> None:
        for rest in ({"altitude_m": 1980}, {"crop": "2026-06"}, {"process": "natural"}):
            self.assertEqual(shared_facts(WASHED, Coffee.model_validate({"name": "N", **rest})), [])

    def test_facts_that_cannot_be_are_refused_by_their_field(self) -> None:
        for field, value in (
            ("crop", "2026-13"), ("crop", "spring"), ("altitude_m", 9000), ("score", 101),
            ("variety", "v" * 61),
        ):  # fmt: skip
            with self.subTest(field, value=value), self.assertRaises(ValidationError) as refused:
                Coffee.model_validate({"name": "N", field: value})
            [problem] = problems_in(refused.exception.errors())
            self.assertEqual(problem.field, field)
            self.assertTrue(problem.accepted)
