"""Settings from the environment: what is wrong is said by the name of its variable."""

from __future__ import annotations

import os
import unittest
from unittest.mock import patch

from vapocline.core.base.problems import Refused
from vapocline.runtime.settings import read_settings


class FromTheEnvironment(unittest.TestCase):
    def test_a_slow_computer_asks_for_fewer_simulated_shots(self) -> None:
        with patch.dict(os.environ):
            os.environ.pop("VAPOCLINE_MEMBERS", None)
            self.assertEqual(read_settings("url").members, 200)
        with patch.dict(os.environ, VAPOCLINE_MEMBERS="50"):
            self.assertEqual(read_settings("url").members, 50)

    def test_what_is_wrong_is_refused_by_its_variable(self) -> None:
        for name, value, words in (
            ("VAPOCLINE_MEMBERS", "many", "VAPOCLINE_MEMBERS: got 'many'; takes a whole number"),
            ("VAPOCLINE_MEMBERS", "0", "VAPOCLINE_MEMBERS: got '0'; takes a number of at least 1"),
            ("VAPOCLINE_LEARNS", "perhaps", "VAPOCLINE_LEARNS: got 'perhaps'"),
        ):
            with (
                self.subTest(value),
                patch.dict(os.environ, {name: value}),
                self.assertRaises(Refused) as refused,
            ):
                read_settings("url")
            self.assertIn(words, str(refused.exception))
