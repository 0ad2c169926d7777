"""What a forecast asks of the database: the bench, how many shots there are, how they ended."""

from __future__ import annotations

import unittest

from sqlalchemy import event

from tests.factories import pressure, profile
from tests.parts import context_on_fresh_database, sample_world
from vapocline.desk.plan.forecast import forecast


class Asked(unittest.TestCase):
    def test_a_forecast_reads_no_whole_shot_and_counts_no_more_than_it_needs(self) -> None:
        asked: list[str] = []
        with context_on_fresh_database(template=sample_world()) as context:
            event.listen(
                context.resources.engine,
                "before_cursor_execute",
                lambda _connection, _cursor, statement, *_rest: asked.append(statement.lower()),
            )
            found = forecast(context, profile(pressure(9)))
        self.assertGreater(found.prediction.shot_time_s.value or 0, 10)
        self.assertTrue(any("from benches" in one for one in asked))
        counted, stops = [one for one in asked if "from shots" in one]
        self.assertTrue(counted.startswith("select count(*)"), counted)
        for one in (counted, stops):
            self.assertIn("limit", one)
        for heavy in ("plan", "prediction", "conditions", "cup_g ", "time_s "):
            self.assertNotIn(f"shots.{heavy}", stops)
