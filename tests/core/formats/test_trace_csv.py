"""Traces as CSV: written and read alike, and what is wrong said by line and column."""

from __future__ import annotations

import unittest

import numpy as np

from tests.core.tidy.test_tidy import recorded
from tests.factories import pressure
from vapocline.core.base.problems import Refused
from vapocline.core.formats.trace_csv import traces_from_csv, traces_to_csv
from vapocline.core.shot.traces import CHANNELS

SMALL = "time_s,pressure_bar,cup_g\n0,0.1,0\n0.5,2,\n1,4.5,1.2\n"


class Reading(unittest.TestCase):
    def test_what_was_written_comes_back_gaps_and_all(self) -> None:
        traces, _stop, _cup = recorded(pressure(9))
        again = traces_from_csv(traces_to_csv(traces))
        for name in CHANNELS:
            np.testing.assert_allclose(
                getattr(again, name), getattr(traces, name), rtol=1e-4, atol=1e-4
            )

    def test_only_time_and_pressure_are_needed_the_rest_is_unknown(self) -> None:
        traces = traces_from_csv(SMALL)
        self.assertEqual(traces.pressure_bar.tolist(), [0.1, 2, 4.5])
        self.assertTrue(np.isnan(traces.cup_g[1]))
        self.assertTrue(np.isnan(traces.group_c).all())

    def test_time_begins_at_nought(self) -> None:
        traces = traces_from_csv("time_s,pressure_bar\n12,1\n12.5,2\n13,3\n")
        self.assertEqual(traces.time_s.tolist(), [0, 0.5, 1])

    def test_semicolons_tabs_and_decimal_commas_are_read(self) -> None:
        for text in (
            "time_s;pressure_bar\n0;1,5\n0,5;2,5\n1;3\n",
            "Time_s\tPressure_bar\n0\t1.5\n0.5\t2.5\n1\t3\n",
        ):
            self.assertEqual(traces_from_csv(text).pressure_bar.tolist(), [1.5, 2.5, 3])

    def test_columns_of_other_names_are_passed_over(self) -> None:
        traces = traces_from_csv("note,time_s,pressure_bar\na,0,1\nb,1,2\nc,2,3\n")
        self.assertEqual(traces.time_s.tolist(), [0, 1, 2])


class Refusing(unittest.TestCase):
    def refused(self, text: str, words: str) -> None:
        with self.assertRaisesRegex(Refused, words):
            traces_from_csv(text)

    def test_what_is_missing_or_no_number_is_named_with_its_line(self) -> None:
        self.refused("", "a header and two or more rows")
        self.refused("time_s,cup_g\n0,1\n1,2\n", "csv.pressure_bar: got time_s, cup_g")
        self.refused(
            SMALL.replace("4.5", "high"), r"csv.pressure_bar.4: got 'high'; takes a number"
        )
        self.refused(SMALL.replace("0.1", ""), r"csv.pressure_bar.2: got nothing")

    def test_time_that_falls_or_stands_still(self) -> None:
        self.refused(SMALL.replace("\n1,", "\n0.5,"), r"csv.time_s.4: got 0.5; takes more than 0.5")

    def test_endless_numbers(self) -> None:
        self.refused(SMALL.replace("4.5", "inf"), "got 'inf'; takes a number")
