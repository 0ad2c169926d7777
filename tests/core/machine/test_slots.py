"""Short names for a machine's slots."""

from __future__ import annotations

import unittest

from tests.core.plan.test_translation import BENCH, STAGED
from vapocline.core.machine.slots import fits, short_name


class ShortNames(unittest.TestCase):
    def test_names_fit_stay_readable_and_differ(self) -> None:
        for name, expected in (
            ("Quay fall", "QUAYFALL"),
            ("Steady nine", "STDYNINE"),
            ("Été 3", "ETE 3"),
            ("Rest and rise", "RSTNDRS"),
        ):
            found = short_name(name, STAGED)
            self.assertTrue(fits(found, STAGED), found)
            self.assertLessEqual(len(found), 8)
            self.assertEqual(found[:2], expected[:2])
        taken: list[str] = []
        for _ in range(12):
            taken.append(short_name("Quay fall", STAGED, taken))
        self.assertEqual(len({one.casefold() for one in taken}), 12)
        self.assertTrue(all(fits(one, STAGED) for one in taken))
        self.assertEqual(short_name("Long soak", BENCH), "Long soak")
        self.assertEqual(short_name("…", STAGED), "P")
