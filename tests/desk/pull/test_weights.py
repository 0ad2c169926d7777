"""A scale beside a machine: each sample gets what it showed then, however late either was heard."""

from __future__ import annotations

import math
import socket
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest.mock import patch

from tests.parts import PATIENCE_S, wait_for
from vapocline.desk.pull import weights
from vapocline.desk.pull.weights import OurClock, Weights
from vapocline.devices.messages import Reply, WeightLine, read_order, written

PACE_S = 0.1
CLOCK = 1e6  # the scale's day is another than ours


def moment(reading: float) -> float:
    """Just after a reading was made, on our clock."""
    return PACE_S * (reading + 0.1)


class Readings:
    """A scale that says its readings when a test has it do so, each a gram more than the last."""

    def __init__(self, case: unittest.TestCase, count: int) -> None:
        """Say so many: the first few at once as they are made, all others together, late."""
        self.now, self.said = 0.0, 0
        listener = socket.create_server(("127.0.0.1", 0))
        case.addCleanup(listener.close)
        self.weights = Weights(f"127.0.0.1:{listener.getsockname()[1]}", now=lambda: self.now)
        case.addCleanup(self.weights.close)
        self._line, _ = listener.accept()
        case.addCleanup(self._line.close)
        with self._line.makefile("rb") as orders:
            for _ in ("hello", "watch"):
                order = read_order(orders.readline())
                self._line.sendall(written(Reply(to=order.do, id=order.id, ok=True)))
        self.say(1)
        self.now = PACE_S * count
        self.say(count - 1)

    def say(self, count: int) -> None:
        """So many readings, whatever our clock says."""
        for _ in range(count):
            at = PACE_S * self.said
            line = WeightLine(seq=self.said, t=at, at=CLOCK + at, weight_g=self.said)
            self._line.sendall(written(line))
            self.said += 1
        wait_for(lambda: len(self.weights._readings) == self.said, "the readings")


class ScaleAndMachine(unittest.TestCase):
    def test_a_sample_that_was_heard_late_gets_what_the_scale_showed_as_it_was_taken(self) -> None:
        scale = Readings(self, 30)
        for number in (0, 7, 28, 29):
            with self.subTest(reading=number):
                self.assertEqual(scale.weights.at(moment(number)), number)

    def test_what_came_before_the_first_reading_or_long_after_the_last_weighs_nothing(self) -> None:
        scale = Readings(self, 12)
        for number in (-1, 11 + 1.2 / PACE_S):
            with self.subTest(reading=number):
                self.assertTrue(math.isnan(scale.weights.at(moment(number))))

    def test_a_reading_that_must_be_on_its_way_is_waited_for(self) -> None:
        scale = Readings(self, 12)
        with (
            patch.object(weights, "HURRY_S", PATIENCE_S),
            ThreadPoolExecutor(1) as elsewhere,
        ):
            found = elsewhere.submit(scale.weights.at, moment(14))
            scale.now = moment(20)
            scale.say(3)
            self.assertEqual(found.result(PATIENCE_S), 14)

    def test_a_scale_that_fell_silent_is_waited_for_once(self) -> None:
        scale = Readings(self, 12)
        self.assertEqual(scale.weights.at(moment(16)), 11)
        with patch.object(weights, "HURRY_S", 600):
            self.assertEqual(scale.weights.at(moment(17)), 11)


class TwoClocks(unittest.TestCase):
    def test_the_quickest_message_tells_how_far_two_clocks_lie_apart(self) -> None:
        clock = OurClock()
        for at, heard_at in ((100, 5.3), (101, 6.1), (102, 7.2)):
            clock.when(at, heard_at)
        self.assertAlmostEqual(clock.when(103, 12.0), 8.1)  # 4 s late

    def test_a_clock_that_is_set_in_mid_shot_counts_anew(self) -> None:
        for to in (40.0, 4000.0):
            with self.subTest(to=to):
                clock = OurClock()
                clock.when(100, 5.0)
                clock.when(101, 6.0)
                self.assertAlmostEqual(clock.when(to, 7.0), 7.0)
                self.assertAlmostEqual(clock.when(to + 1, 8.5), 8.0)

    def test_a_clock_that_only_shows_seconds_or_stands_still_is_not_gone_by(self) -> None:
        for step_s in (1.0, math.inf):
            clock = OurClock()
            told = [clock.when(100 + heard // step_s, heard) for heard in (5.0, 5.3, 5.6, 6.4, 6.9)]
            self.assertEqual(told, [5.0, 5.3, 5.6, 6.4, 6.9])

    def test_what_was_made_and_sent_together_does_not_make_a_clock_coarse(self) -> None:
        clock = OurClock()
        for at, heard_at in ((100.0, 5.0), (100.05, 5.05), (100.05, 5.051), (100.1, 5.1)):
            clock.when(at, heard_at)
        self.assertAlmostEqual(clock.when(100.15, 9.0), 5.15)

    def test_a_device_without_a_clock_counts_from_when_it_was_heard(self) -> None:
        self.assertEqual(OurClock().when(None, 3.25), 3.25)


if __name__ == "__main__":
    unittest.main()
