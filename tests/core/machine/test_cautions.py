"""Cautions: said where they apply."""

from __future__ import annotations

import unittest

from tests.factories import off, pressure, profile, seconds
from vapocline.core.machine.cautions import (
    ALWAYS,
    DUMPS,
    HOLDS,
    RATED,
    RELIEF,
    SPRING,
    cautions_for,
)
from vapocline.core.machine.commands import levels_of
from vapocline.core.machine.machine import Machine, Spring, SpringLever


class Cautions(unittest.TestCase):
    def test_each_is_reported_where_it_applies(self) -> None:
        plain = Machine(name="Plain", relief_bar=11)
        bloomed = profile(off(seconds(10)), pressure(9))
        self.assertEqual(cautions_for(plain, profile(pressure(9)), 9.0), [DUMPS, ALWAYS])
        self.assertIn(DUMPS, cautions_for(plain, bloomed, 9.0))
        holds = plain.model_copy(update={"when_off": "hold"})
        self.assertIn(HOLDS, cautions_for(holds, bloomed, 9.0))
        self.assertIn(RELIEF, cautions_for(plain, bloomed, 10.8))
        self.assertIn(RATED, cautions_for(plain, bloomed, 10.2))
        lever = SpringLever(springs=(Spring(top_bar=8, end_bar=3),))
        gaff = Machine(name="Gaff", control=lever)
        self.assertEqual(cautions_for(gaff, bloomed, None)[0], SPRING)

    def test_levels_are_those_of_the_commands_a_machine_takes(self) -> None:
        self.assertEqual(
            levels_of(Machine(name="Both", relief_bar=10)), {"pressure": 10, "flow": 9}
        )
        lever = SpringLever(springs=(Spring(top_bar=8, end_bar=3),), line_bar=1.5)
        self.assertEqual(levels_of(Machine(name="Gaff", control=lever)), {"pressure": 1.5})
