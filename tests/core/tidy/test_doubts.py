"""Recordings from elsewhere whose numbers are no shot's: each is asked about, none is put right."""

from __future__ import annotations

import unittest

import numpy as np

from tests.core.read.recordings import GOOD, KEYS, POOR, recording, styled
from tests.marks import examples, more_cases, some_of
from vapocline.core.tidy.bring_in import UNITS, Column, ImportedColumn, mapped
from vapocline.core.tidy.doubts import ImportDoubt, doubts_of

CHANNELS: tuple[ImportedColumn, ...] = (
    "time_s", "pressure_bar", "water_in_ml_s", "cup_g", "group_c",
)  # fmt: skip
TIME = np.arange(0, 30, 0.1)


def shot() -> dict[ImportedColumn, np.ndarray]:  # type: ignore[type-arg]
    """An ordinary shot in our units."""
    return {
        "time_s": TIME,
        "pressure_bar": np.minimum(9, 3 * TIME),
        "water_in_ml_s": np.where(TIME < 4, 6.0, 2.2),
        "cup_g": np.maximum(0, (TIME - 8) * 1.7),
        "group_c": np.full(TIME.size, 92.0),
    }


def doubts(
    values: dict[ImportedColumn, np.ndarray],  # type: ignore[type-arg]
    units: dict[ImportedColumn, str] | None = None,
    begins_s: float = 0.0,
) -> list[ImportDoubt]:
    """What is asked of a sheet of these numbers, read in our units or in others."""
    columns = [
        Column(column=at, channel=name, unit=(units or {}).get(name, next(iter(UNITS[name]))))
        for at, name in enumerate(values)
    ]
    rows = zip(*values.values(), strict=True)
    text = "\n".join([",".join(values), *(",".join(f"{x:.5f}" for x in row) for row in rows)])
    return doubts_of(mapped(text, columns, begins_s), columns, begins_s)


def in_unit(channel: ImportedColumn, unit: str) -> dict[ImportedColumn, np.ndarray]:  # type: ignore[type-arg]
    """The shot with one channel in another unit."""
    values = shot()
    factor, constant = UNITS[channel][unit]
    values[channel] = (values[channel] - constant) / factor
    return values


class Units(unittest.TestCase):
    def test_an_ordinary_shot_raises_no_question(self) -> None:
        self.assertEqual(doubts(shot()), [])

    @more_cases
    def test_another_unit_is_recognized_by_its_range_and_offered(self) -> None:
        pairs = [("pressure_bar", "psi"), ("pressure_bar", "kPa"), ("pressure_bar", "mbar"),
                 ("water_in_ml_s", "mL/min"), ("cup_g", "oz"), ("cup_g", "kg"), ("group_c", "°F"),
                 ("time_s", "min")]  # fmt: skip
        for channel, unit in some_of(pairs, 8):
            with self.subTest(channel=channel, unit=unit):
                [one] = doubts(in_unit(channel, unit))  # type: ignore[arg-type]
                self.assertEqual((one.unit, one.column), (unit, CHANNELS.index(channel)))  # type: ignore[arg-type]
                self.assertIn(f"Is it in {unit}?", one.words)
                read = doubts(in_unit(channel, unit), {channel: unit})  # type: ignore[arg-type, dict-item]
                self.assertEqual(read, [], "read in its own unit there is no question")

    def test_a_size_that_no_unit_explains_asks_for_the_column(self) -> None:
        values = shot()
        values["pressure_bar"] = values["pressure_bar"] * 1e7
        [one] = doubts(values)
        self.assertIsNone(one.unit)
        self.assertIn("Is this the right column?", one.words)


class NothingWrong(unittest.TestCase):
    @more_cases
    def test_of_sound_recordings_of_every_style_at_most_one_in_twenty_raises_a_question(
        self,
    ) -> None:
        columns = [
            Column(column=at, channel=name, unit=next(iter(UNITS[name])))
            for at, name in enumerate(CHANNELS)
        ]
        asked = [
            doubts_of(recording(styled(key), seed, gauges=gauges).traces, columns)
            for key in some_of(KEYS, 6)
            for gauges in (GOOD, POOR)
            for seed in range(examples(20))
        ]
        self.assertLessEqual(
            sum(map(bool, asked)) / len(asked), 0.05, [one for one in asked if one]
        )


class ScalesAndClocks(unittest.TestCase):
    def test_a_first_weight_far_from_nothing_is_offered_to_be_taken_off(self) -> None:
        values = shot()
        values["cup_g"] = values["cup_g"] - 250
        [one] = doubts(values)
        self.assertEqual((one.offset, one.column), (250.0, 3))

    def test_a_turned_scale_is_offered_to_be_turned(self) -> None:
        values = shot()
        values["cup_g"] = -values["cup_g"]
        [one] = doubts(values)
        self.assertEqual(one.unit, "−g")
        self.assertEqual(doubts(values, {"cup_g": "−g"}), [])

    def test_idle_seconds_before_the_pump_are_offered_to_be_left_out(self) -> None:
        values = shot()
        values["time_s"] = TIME + 30
        idle = {
            name: np.concatenate([[0.0, 0.0, 0.0] if name != "group_c" else [92.0] * 3, column])
            for name, column in values.items()
        }
        idle["time_s"][:3] = 0, 10, 29
        [one] = doubts(idle)
        self.assertAlmostEqual(one.begins_s or 0, 30.2, delta=0.3)
        self.assertEqual(doubts(idle, begins_s=one.begins_s or 0), [])

    def test_two_shots_in_one_recording_are_offered_to_be_cut(self) -> None:
        one = shot()
        twice = {name: np.concatenate([column, column]) for name, column in one.items()}
        twice["time_s"] = np.concatenate([TIME, TIME + 60])
        twice["cup_g"][TIME.size :] += 38
        [asked] = doubts(twice)
        self.assertIn("two shots", asked.words)
        self.assertTrue(30 < (asked.ends_s or 0) < 60)

    def test_a_tare_in_mid_shot_is_told_as_one(self) -> None:
        values = shot()
        values["cup_g"] = np.where(TIME > 18, values["cup_g"] - 17, values["cup_g"])
        [one] = doubts(values)
        self.assertIn("tared in mid shot", one.words)

    def test_a_drifting_scale_is_told_before_a_drop_can_fall(self) -> None:
        values = shot()
        values["cup_g"] = values["cup_g"] + 0.1 * TIME
        [one] = doubts(values)
        self.assertIn("the scale drifts", one.words)
