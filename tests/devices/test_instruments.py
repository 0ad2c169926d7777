"""Scales and refractometers: processes of their own that look into the cup under a machine."""

from __future__ import annotations

import sys
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from tests.factories import plan, pressure
from tests.parts import wait_for
from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.devices import adapters
from vapocline.devices.adapters import open_machine, open_refractometer, open_scale, schemes
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import GoWrong, SampleLine
from vapocline.devices.refractometer import LineRefractometer
from vapocline.devices.scale import LineScale
from vapocline.runtime.simulators import simulators

SIMPLE = plan(pressure(9), cup_g=25)


class OnTheBench(unittest.TestCase):
    speed = 8.0

    @classmethod
    def setUpClass(cls) -> None:
        cls.devices = cls.enterClassContext(simulators(seed=4, speed=cls.speed, calm=True))

    def machine(self, name: str) -> LineMachine:
        machine = self.enterContext(LineMachine(f"{self.devices.machine}/{name}"))
        machine.basket(SIMPLE.setup)
        machine.load(SIMPLE.profile)
        return machine

    def scale(self, name: str) -> LineScale:
        return self.enterContext(LineScale(f"{self.devices.scale}/{name}"))


class Scales(OnTheBench):
    def test_before_it_is_tared_it_feels_the_cup_and_after_it_shows_nothing(self) -> None:
        scale = self.scale("A")
        before = scale.status()
        self.assertEqual((before.cup, before.tared), (True, False))
        self.assertGreater(before.weight_g or 0, 100)
        scale.tare()
        after = scale.status()
        self.assertEqual((after.cup, after.tared), (True, True))
        self.assertAlmostEqual(after.weight_g or 0, 0, delta=0.2)

    def test_it_follows_the_cup_with_a_lag_and_in_tenths(self) -> None:
        machine, scale = self.machine("B"), self.scale("B")
        scale.tare()
        machine.start()
        told = [line.weight_g for line in machine.said() if isinstance(line, SampleLine)]
        weights = []
        for reading in scale.weights():
            weights.append(reading)
            if len(weights) == 5:
                break
        self.assertAlmostEqual(weights[-1].weight_g, told[-1] or 0, delta=0.4)
        for reading in weights:
            self.assertAlmostEqual(reading.weight_g * 10, round(reading.weight_g * 10), places=6)
        numbers = [reading.seq for reading in weights]
        self.assertEqual(numbers, sorted(numbers))

    def test_without_a_cup_it_says_so(self) -> None:
        machine, scale = self.machine("C"), self.scale("C")
        machine.order(GoWrong(fault="cup_missing"))
        wait_for(lambda: scale.status().cup is False, "the scale to feel that the cup is gone")

    def test_switched_off_it_tells_nothing_and_will_not_be_tared(self) -> None:
        machine, scale = self.machine("D"), self.scale("D")
        machine.order(GoWrong(fault="scale_off"))
        wait_for(lambda: scale.status().weight_g is None, "the scale to go off")
        with self.assertRaisesRegex(OrderError, "switched off"):
            scale.tare()
        with self.assertRaisesRegex(DeviceError, "stopped responding"):
            for _ in scale.weights():
                pass

    def test_it_knows_nothing_of_pulling(self) -> None:
        with self.assertRaisesRegex(OrderError, "a scale does not support that"):
            self.scale("E").order(GoWrong(fault="water_empty"))


class Refractometers(OnTheBench):
    def test_it_reads_what_was_pulled_last_and_two_readings_differ_a_little(self) -> None:
        machine = self.machine("R")
        machine.start()
        list(machine.said())
        with LineRefractometer(f"{self.devices.refractometer}/R") as refractometer:
            readings = [refractometer.read().tds_pct for _ in range(6)]
        self.assertGreater(len(set(readings)), 1)
        self.assertLess(max(readings) - min(readings), 0.5)
        self.assertTrue(6 < readings[0] < 16, readings)

    def test_without_a_drink_there_is_nothing_to_read(self) -> None:
        with (
            LineRefractometer(f"{self.devices.refractometer}/Empty") as refractometer,
            self.assertRaisesRegex(OrderError, "no drink to take a sample of"),
        ):
            refractometer.read()


class Adapters(unittest.TestCase):
    def test_an_address_without_a_scheme_speaks_our_line(self) -> None:
        self.assertIn("line", schemes())
        with self.assertRaisesRegex(DeviceError, "No scale responds at 127.0.0.1:1"):
            open_scale("127.0.0.1:1")
        with self.assertRaisesRegex(DeviceError, "No refractometer responds at 127.0.0.1:1"):
            open_refractometer("line://127.0.0.1:1")

    def test_a_scheme_of_no_adapter_is_reported_with_those_there_are(self) -> None:
        with self.assertRaisesRegex(DeviceError, "No adapter is named 'pigeon'; there are: line"):
            open_machine("pigeon://roof")

    def test_a_device_is_added_by_one_file(self) -> None:
        with TemporaryDirectory() as folder:
            Path(folder, "kettle.py").write_text(
                "class Machine:\n    def __init__(self, address, patience_s):\n"
                "        self.address = address\n"
            )
            self.addCleanup(sys.modules.pop, f"{adapters.__name__}.kettle", None)
            with patch.object(adapters, "__path__", [*adapters.__path__, folder]):
                self.assertEqual(schemes(), ["kettle", "line"])
                self.assertEqual(open_machine("kettle://stove/2").address, "stove/2")  # type: ignore[attr-defined]
                with self.assertRaisesRegex(DeviceError, "'kettle' reaches no scale"):
                    open_scale("kettle://stove/2")
