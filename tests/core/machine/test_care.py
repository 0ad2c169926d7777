"""What falls due: by days, shots and litres, by kind of machine, water and what was marked."""

from __future__ import annotations

import unittest
from datetime import time

import numpy as np

from vapocline.core.machine.care import (
    CareUnit,
    GoneBy,
    Interval,
    better_words,
    care_state,
    group_words,
    machine_jobs,
    switch_on_at,
    uneven_words,
)
from vapocline.core.machine.machine import HandLever, Machine


def tasks(machine: Machine, hardness_mg_l: float | None = None) -> dict[str, float]:
    return {job.task: job.usual.every for job in machine_jobs(machine, hardness_mg_l)}


class Jobs(unittest.TestCase):
    def test_a_lever_is_not_back_flushed_and_only_a_boiler_has_water_to_renew(self) -> None:
        lever = tasks(Machine(name="Lever", control=HandLever(bar_per_kg=0.4)))
        pump = tasks(Machine(name="Pump", boiler_ml=350))
        self.assertNotIn("back_flush", lever)
        self.assertNotIn("boiler_water", lever)
        self.assertLessEqual({"back_flush", "boiler_water", "screen_look"}, set(pump))

    def test_the_harder_the_water_the_sooner_it_is_descaled_and_unknown_or_soft_never(self) -> None:
        machine = Machine(name="Pump")
        self.assertNotIn("descale", tasks(machine))
        self.assertNotIn("descale", tasks(machine, 5))
        self.assertEqual(tasks(machine, 100)["descale"], 120)
        self.assertLess(tasks(machine, 250)["descale"], 60)


class Due(unittest.TestCase):
    def state(self, unit: CareUnit, days: float = 0, shots: int = 0, litres: float = 0) -> str:
        since = GoneBy(days=days, shots=shots, litres=litres)
        return care_state(Interval(every=100, unit=unit), since)

    def test_each_unit_counts_its_own(self) -> None:
        for unit in ("days", "shots", "litres"):
            with self.subTest(unit):
                gone = {"days": 0.0, "shots": 1, "litres": 0.0}
                for value, state in ((50, "fine"), (90, "soon"), (100, "due"), (300, "due")):
                    self.assertEqual(self.state(unit, **(gone | {unit: value})), state)  # type: ignore[arg-type]

    def test_days_alone_ask_nothing_of_a_machine_that_pulled_nothing(self) -> None:
        self.assertEqual(self.state("days", days=400), "fine")
        self.assertEqual(self.state("days", days=400, shots=1), "due")

    def test_three_uneven_of_the_last_ten_ask_for_a_look_and_two_do_not(self) -> None:
        self.assertIsNone(uneven_words([True, True] + [False] * 8))
        self.assertEqual(
            uneven_words([True, False, True, True] + [False] * 20),
            "3 of the last 10 shots dripped on one side or spurted",
        )
        self.assertIsNone(uneven_words([False] * 10 + [True] * 10), "that was before")

    def test_what_came_of_it_is_said_where_there_was_something_to_mend(self) -> None:
        before = [True] * 4 + [False] * 6
        self.assertEqual(
            better_words(before, [False] * 6),
            "marked uneven: 4 of 10 shots before, 0 of 6 since",
        )
        self.assertIsNone(better_words(before, []))
        self.assertIsNone(better_words([False] * 10, [True]))

    def test_a_group_that_left_its_line_is_said_by_the_middle_of_its_shots(self) -> None:
        self.assertIsNone(group_words([0.9, -0.8, 5.0]))
        self.assertIsNone(group_words([2.0, 2.0]), "two shots are too few")
        said = group_words([-1.4, -1.6, 0.1, -1.5, -1.8])
        self.assertEqual(said, "the group was logged 1.5 °C below what was set")

    def test_a_group_that_keeps_its_line_is_called_off_it_at_most_once_in_twenty(self) -> None:
        """2,000 groups of ten shots, read with a scatter of 0.5 °C."""
        read = np.random.default_rng(4).normal(0.0, 0.5, (2000, 10))
        called = sum(group_words(list(shots)) is not None for shots in read)
        self.assertLessEqual(called / 2000, 0.05)

    def test_shots_marked_by_chance_ask_for_a_look_at_most_once_in_twenty(self) -> None:
        """2,000 times ten shots of which one in twenty is marked with nothing wrong."""
        marked = np.random.default_rng(5).random((2000, 10)) < 0.05
        asked = sum(uneven_words([bool(one) for one in shots]) is not None for shots in marked)
        self.assertLessEqual(asked / 2000, 0.05)

    def test_when_to_switch_on_may_be_the_evening_before(self) -> None:
        self.assertEqual(switch_on_at(time(7), 25), time(6, 35))
        self.assertEqual(switch_on_at(time(0, 10), 30), time(23, 40))
        self.assertIsNone(switch_on_at(None, 25))
