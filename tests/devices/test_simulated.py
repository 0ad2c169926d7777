"""The simulated machine over its real port: it obeys, it differs, it remembers what it said."""

from __future__ import annotations

import socket
import subprocess
import sys
import unittest
from functools import cache

import numpy as np

from tests.factories import flow, off, plan, pressure, profile, seconds
from tests.parts import PATIENCE_S, for_the_run
from vapocline.core.base.problems import DeviceError
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import HandExit
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import EndLine, EventLine, PlainOrder, SampleLine
from vapocline.runtime.simulators import simulated_machine


@cache
def machines(speed: float) -> str:
    """Where machines answer that run at a speed."""
    return for_the_run(simulated_machine(speed=speed, calm=True))


SIMPLE = plan(flow(5, None, seconds(4)), pressure(9))


def pulled(address: str, one: Plan = SIMPLE) -> tuple[list[SampleLine], list[EventLine]]:
    """Pull a plan and return what the machine said of it."""
    with LineMachine(address) as machine:
        machine.basket(one.setup)
        machine.load(one.profile)
        machine.start()
        said = list(machine.said())
    samples = [line for line in said if isinstance(line, SampleLine)]
    return samples, [line for line in said if isinstance(line, EventLine)]


class Pulling(unittest.TestCase):
    def test_a_shot_comes_with_samples_phases_a_stop_and_an_end(self) -> None:
        samples, events = pulled(f"{machines(0)}/{self._testMethodName}")
        self.assertEqual(
            [(e.what, e.phase) for e in events], [("phase", 0), ("phase", 1), ("stop", None)]
        )
        self.assertEqual(events[1].because, "seconds")
        self.assertEqual(events[-1].because, "cup_g")
        steps = np.diff([sample.t for sample in samples])
        np.testing.assert_allclose(steps, 0.05, atol=1e-6)
        self.assertIsNone(samples[-1].commanded)

    def test_its_truth_is_its_own_so_shots_differ_from_the_forecast_and_each_other(self) -> None:
        forecast = predict(SIMPLE)
        times = []
        for seed in (1, 2):
            with simulated_machine(speed=0, seed=seed, calm=True) as address:
                times += [pulled(address)[1][-1].t for _ in range(2)]
        self.assertEqual(len(set(times)), 4)
        for t in times:
            self.assertNotAlmostEqual(t, forecast.shot_time_s.value, places=2)
            self.assertLess(abs(t / forecast.shot_time_s.value - 1), 0.4)

    def test_the_same_seed_is_the_same_machine(self) -> None:
        found = []
        for _ in range(2):
            with simulated_machine(speed=0, seed=3, calm=True) as address:
                samples, _ = pulled(address)
                found.append([sample.model_dump(exclude={"at"}) for sample in samples])
        self.assertEqual(found[0], found[1])

    def test_gauges_are_noisy_and_the_scale_reads_in_tenths(self) -> None:
        samples, _ = pulled(f"{machines(0)}/{self._testMethodName}")
        held = [s.pressure_bar for s in samples if s.phase == 1 and s.t > 12]
        self.assertTrue(0.02 < np.std(np.diff(held)) < 0.12)
        for sample in samples:
            self.assertAlmostEqual(sample.weight_g * 10, round(sample.weight_g * 10), places=6)

    def test_a_stop_ends_the_shot_and_a_hand_signal_the_phase(self) -> None:
        waits = plan(
            flow(3, None, HandExit(), seconds(250)), pressure(4), stop={"time_s": 280}, cup_g=None
        )
        address = f"{machines(15)}/{self._testMethodName}"
        with LineMachine(address) as machine, LineMachine(address) as hand:
            machine.basket(waits.setup)
            machine.load(waits.profile)
            machine.start()
            events = []
            for line in machine.said():
                if isinstance(line, EventLine):
                    events.append((line.what, line.because))
                    if line.what == "phase" and line.phase == 0:
                        hand.order(PlainOrder(do="next"))
                    elif line.what == "phase":
                        hand.order(PlainOrder(do="stop"))
            self.assertEqual(events, [("phase", None), ("phase", "hand"), ("stop", "hand")])

    def test_whoever_connects_again_gets_what_was_missed_without_a_gap(self) -> None:
        address = f"{machines(15)}/{self._testMethodName}"
        with LineMachine(address) as machine:
            machine.basket(SIMPLE.setup)
            machine.load(SIMPLE.profile)
            machine.start()
            heard = []
            for line in machine.said():
                heard.append(line.seq)
                if len(heard) == 40:
                    break
        with LineMachine(address) as again:
            for line in again.said(since=heard[-1] + 1):
                heard.append(line.seq)
                last = line
        self.assertEqual(heard, list(range(len(heard))))
        self.assertIsInstance(last, EndLine)


class Refusing(unittest.TestCase):
    def test_profiles_it_cannot_run_are_refused_with_the_field(self) -> None:
        low = Machine(name="Low", relief_bar=7)
        with LineMachine(f"{machines(0)}/{self._testMethodName}") as machine:
            machine.basket(plan(pressure(6), machine=low).setup)
            with self.assertRaisesRegex(DeviceError, "relief setting"):
                machine.load(profile(pressure(9)))
            with self.assertRaisesRegex(DeviceError, "no profile is loaded"):
                machine.start()

    def test_orders_out_of_turn_are_refused(self) -> None:
        with LineMachine(f"{machines(15)}/{self._testMethodName}") as machine:
            with self.assertRaisesRegex(DeviceError, "no shot is running"):
                machine.order(PlainOrder(do="stop"))
            machine.load(profile(off(seconds(100)), pressure(4), cup_g=None, time_s=290))
            machine.start()
            with self.assertRaisesRegex(DeviceError, "a shot is running"):
                machine.start()
            machine.order(PlainOrder(do="stop"))

    def test_nobody_there_is_reported_with_the_address(self) -> None:
        with socket.socket() as unused:
            unused.bind(("127.0.0.1", 0))
            port = unused.getsockname()[1]
        with self.assertRaisesRegex(DeviceError, f"No machine responds at 127.0.0.1:{port}"):
            LineMachine(f"127.0.0.1:{port}")


class Living(unittest.TestCase):
    def test_it_ends_when_whoever_started_it_is_gone(self) -> None:
        process = subprocess.Popen(
            [sys.executable, "-m", "vapocline.devices", "machine"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        )
        assert process.stdin
        assert process.stdout
        self.assertRegex(process.stdout.readline().decode(), r"^\S{12,}@127\.0\.0\.1:\d+$")
        process.stdin.close()
        self.assertEqual(process.wait(PATIENCE_S), 0)
        process.stdout.close()
