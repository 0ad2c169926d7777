"""Every row of the model's tables."""

from __future__ import annotations

import unittest

from tests.core.puck.rows import ROWS, Puck


class Rows(unittest.TestCase):
    def test_the_model_gives_every_row_of_its_tables(self) -> None:
        self.assertGreater(len(ROWS), 70)
        puck = Puck()
        for row in ROWS:
            with self.subTest(row.name):
                value = row.value(puck)
                self.assertTrue(row.low <= value <= row.high, f"{value:.3f}, {row.low}:{row.high}")
