"""The schemas that ship in docs/formats are those of our own types, and our examples fit them."""

from __future__ import annotations

import json
import unittest
from pathlib import Path

from vapocline.core.base.quantities import RANGES
from vapocline.core.formats.schemas import schemas
from vapocline.core.plan.goal import Goal
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

DOCS = Path(__file__).parents[3] / "docs"


class Formats(unittest.TestCase):
    def test_the_schemas_in_the_documents_are_fresh(self) -> None:
        for name, schema in schemas().items():
            written = json.loads((DOCS / "formats" / f"{name}.schema.json").read_text())
            self.assertEqual(written, json.loads(json.dumps(schema)), f"{name}: ./vapo types")

    def test_ranges_and_units_in_them_are_the_one_tables(self) -> None:
        dose = schemas()["plan"]["$defs"]["Setup"]["properties"]["dose_g"]
        bounds = RANGES["dose_g"]
        self.assertEqual(
            (dose["minimum"], dose["maximum"], dose["x-unit"]), (bounds.low, bounds.high, "g")
        )

    def test_the_examples_can_be_used(self) -> None:
        plan = Plan.model_validate_json((DOCS / "examples/soak-then-press.json").read_text())
        self.assertEqual(plan.members, 200)
        answer = predict(plan)
        self.assertLess(answer.shot_time_s.p10, answer.shot_time_s.p90)
        Goal.model_validate_json((DOCS / "examples/thirty-seconds.json").read_text())
