"""Recordings from elsewhere: sheets of any columns and units, and traced pictures."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.marks import examples, more_cases
from vapocline.core.base.problems import Refused
from vapocline.core.read.reading import read_curve
from vapocline.core.tidy.bring_in import (
    Axis,
    Column,
    ImportedColumn,
    Picture,
    TracedLine,
    mapped,
    sheet_of,
    traced,
)
from vapocline.core.tidy.doubts import doubts_of

TABLE = "elapsed;Pressure (psi);Weight\n" + "\n".join(
    f"{i / 10:.1f};{14.5 * min(9, i / 3):.2f};{max(0, i - 60) / 10:.1f}" for i in range(200)
)


def column(at: int, channel: ImportedColumn, unit: str, offset: float = 0) -> Column:
    return Column(column=at, channel=channel, unit=unit, offset=offset)


class Sheets(unittest.TestCase):
    def test_columns_are_guessed_by_their_headers_with_their_units(self) -> None:
        sheet = sheet_of(TABLE)
        self.assertEqual(sheet.headers, ["elapsed", "Pressure (psi)", "Weight"])
        self.assertEqual(sheet.lines, 200)
        guessed = {one.channel: (one.column, one.unit) for one in sheet.guessed}
        self.assertEqual(
            guessed, {"time_s": (0, "s"), "pressure_bar": (1, "psi"), "cup_g": (2, "g")}
        )

    def test_what_was_asked_for_comes_along_and_is_read_without_a_plan(self) -> None:
        text = "time,Target pressure (bar),pressure,weight\n" + "\n".join(
            f"{i / 10:.1f},{9 if i < 300 else 0},{min(6, i / 10) if i < 300 else 0:.2f},"
            f"{max(0, min(i, 300) - 80) * 0.17:.1f}"
            for i in range(340)
        )
        guessed = sheet_of(text).guessed
        self.assertIn(("commanded", 1, "bar"), [(o.channel, o.column, o.unit) for o in guessed])
        traces = mapped(text, guessed)
        self.assertEqual(doubts_of(traces, guessed), [])
        reading = read_curve(traces, None)
        self.assertAlmostEqual(reading.stop_s or 0, 30, delta=0.2)
        self.assertEqual(reading.commands_in, "bar")
        missed = next(one for one in reading.findings if one.kind == "not_reached")
        self.assertEqual((missed.asked, missed.reached, missed.unit), (9, 6, "bar"))

    def test_a_sheet_without_headers_numbers_its_columns(self) -> None:
        sheet = sheet_of("0,1\n1,2\n2,3\n3,4")
        self.assertEqual((sheet.headers, sheet.lines), (["Column 1", "Column 2"], 4))

    def test_units_are_turned_and_offsets_added(self) -> None:
        traces = mapped(
            TABLE,
            [column(0, "time_s", "s"), column(1, "pressure_bar", "psi", -0.5),
             column(2, "cup_g", "oz")],
            begins_s=2.0,
        )  # fmt: skip
        self.assertAlmostEqual(float(traces.time_s[0]), 0.0)
        self.assertAlmostEqual(float(traces.pressure_bar[-1]), 9 * 14.5 * 0.0689476 - 0.5, places=3)
        self.assertAlmostEqual(float(traces.cup_g[-1]), 13.9 * 28.3495, places=2)
        self.assertTrue(np.isnan(traces.water_in_ml_s).all())
        self.assertGreater(float(traces.cup_out_ml_s[-1]), 0)

    def test_fahrenheit_and_milliseconds(self) -> None:
        text = "ms,degrees\n" + "\n".join(f"{i * 100},200" for i in range(30))
        traces = mapped(text, [column(0, "time_s", "ms"), column(1, "group_c", "°F")])
        self.assertAlmostEqual(float(traces.time_s[-1]), 2.9)
        self.assertAlmostEqual(float(traces.group_c[0]), 93.33, places=2)

    def test_a_clock_in_whole_seconds_keeps_the_last_of_each(self) -> None:
        text = "time,bar\n" + "\n".join(f"{i // 4},{i}" for i in range(40))
        traces = mapped(text, [column(0, "time_s", "s"), column(1, "pressure_bar", "bar")])
        self.assertEqual(traces.time_s.tolist(), list(range(10)))
        self.assertEqual(float(traces.pressure_bar[0]), 3)

    def test_what_cannot_be_read_is_named_with_its_line_and_column(self) -> None:
        time, bar = column(0, "time_s", "s"), column(1, "pressure_bar", "bar")
        for text, columns, words in (
            ("t,bar\n0,1\n1,x\n2,3\n3,4", [time, bar], "csv.bar.3: got 'x'; takes a number"),
            ("t,bar\n0,1\n,2\n2,3\n3,4", [time, bar], "csv.t.3: got nothing; takes a number"),
            ("t,bar\n0,1\n1,2\n2,3\n3,4", [bar], "columns: got pressure_bar"),
            ("t,bar\n0,1\n1,2\n2,3\n3,4", [time, bar, bar], "each channel once"),
            ("t,bar\n0,1\n1,2\n2,3\n3,4", [time, column(1, "pressure_bar", "ft")], "bar, psi"),
            ("t,bar\n0,1\n1,2\n2,3\n3,4", [time, column(7, "pressure_bar", "bar")], "2 columns"),
            ("t,bar\n0,1\n9000,2\n9001,3\n9002,4", [time, bar], "9002 s in all"),
            ("t,bar\n0,1", [time, bar], "four or more"),
        ):
            with self.subTest(words), self.assertRaises(Refused) as refused:
                mapped(text, columns)
            self.assertIn(words, str(refused.exception))

    @more_cases
    @settings(max_examples=examples(60), deadline=None, derandomize=True)
    @given(st.text(max_size=200))
    def test_any_text_is_a_sheet_or_refused(self, text: str) -> None:
        try:
            sheet = sheet_of(text)
        except Refused:
            return
        self.assertGreaterEqual(sheet.lines, 3)


class Pictures(unittest.TestCase):
    time = Axis(first_px=100, first=0, second_px=400, second=30)
    bar = Axis(first_px=300, first=0, second_px=100, second=10)

    def line(
        self, *points: tuple[float, float], channel: ImportedColumn = "pressure_bar"
    ) -> TracedLine:
        return TracedLine(channel=channel, axis=self.bar, points=list(points))

    def test_clicks_become_a_curve_by_the_axes_whatever_their_order(self) -> None:
        line = self.line((150, 120), (100, 300), (400, 200), (120, 220), (300, 120))
        traces = traced(Picture(time=self.time, lines=[line]))
        self.assertAlmostEqual(float(traces.time_s[-1]), 30.0)
        self.assertAlmostEqual(float(np.interp(2, traces.time_s, traces.pressure_bar)), 4.0)
        self.assertAlmostEqual(float(np.interp(12, traces.time_s, traces.pressure_bar)), 9.0)

    def test_two_lines_share_the_clock_and_each_keeps_to_its_own_span(self) -> None:
        cup = self.line((200, 300), (250, 280), (300, 200), (400, 100), channel="cup_g")
        bar = self.line((100, 300), (120, 120), (200, 120), (300, 130))
        traces = traced(Picture(time=self.time, lines=[bar, cup]))
        self.assertTrue(np.isnan(traces.cup_g[0]))
        self.assertTrue(np.isnan(traces.pressure_bar[-1]))
        self.assertAlmostEqual(float(traces.cup_g[-1]), 10, delta=0.1)

    def test_an_axis_of_one_place_and_a_line_of_few_points_are_refused(self) -> None:
        flat = self.time.model_copy(update={"second_px": 100})
        line = self.line((100, 300), (120, 120), (200, 120), (300, 130))
        for picture, words in (
            (Picture(time=flat, lines=[line]), "picture.time"),
            (Picture(time=self.time, lines=[self.line((1, 2), (3, 4))]), "points"),
            (Picture(time=self.time, lines=[line, line]), "each channel once"),
        ):
            with self.subTest(words), self.assertRaisesRegex(Refused, words):
                traced(picture)
