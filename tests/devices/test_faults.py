"""What goes wrong at a machine and on the way from it: dry tanks, stalled pumps, lost packets."""

from __future__ import annotations

import unittest
from typing import ClassVar

import numpy as np

from tests.factories import flow, off, plan, pressure, seconds
from tests.marks import exhaustive
from vapocline.core.base.problems import OrderError
from vapocline.core.machine.machine import HandLever, Machine, ValveAhead
from vapocline.core.profile.profile import ForceCommand, Phase, ValveCommand
from vapocline.core.puck.plan import Plan
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import (
    EventLine,
    GoWrong,
    Hold,
    Level,
    MarkIt,
    Nudge,
    PlainOrder,
    SampleLine,
    Watch,
)
from vapocline.runtime.simulators import simulated_machine

SIMPLE = plan(flow(5, None, seconds(4)), pressure(9), cup_g=25)


def pulled(
    machine: LineMachine, one: Plan = SIMPLE, *faults: GoWrong, by_hand: bool = False
) -> tuple[list[SampleLine], list[EventLine]]:
    machine.basket(one.setup)
    machine.load(one.profile)
    for fault in faults:
        machine.order(fault)
    machine.start(by_hand=by_hand)
    said = list(machine.said())
    return (
        [line for line in said if isinstance(line, SampleLine)],
        [line for line in said if isinstance(line, EventLine)],
    )


class OnMachines(unittest.TestCase):
    """One process of simulators a class; each test talks to a machine of its own name there."""

    speed: ClassVar[float] = 0.0

    @classmethod
    def setUpClass(cls) -> None:
        cls.address = cls.enterClassContext(simulated_machine(speed=cls.speed, seed=3, calm=True))

    def machine(self) -> LineMachine:
        return self.enterContext(LineMachine(f"{self.address}/{self._testMethodName}"))


class PacketLoss(OnMachines):
    """Packets that a radio loses or delays: the desk's end of the line makes the shot whole."""

    def whole(self, *faults: GoWrong) -> None:
        machine = self.machine()
        machine.basket(SIMPLE.setup)
        machine.load(SIMPLE.profile)
        for fault in faults:
            machine.order(fault)
        machine.start()
        numbers = [line.seq for line in machine.said()]
        self.assertEqual(numbers, list(range(len(numbers))))
        self.assertGreater(len(numbers), 300)

    def test_a_tenth_of_all_packets_lost_and_nothing_is_missing(self) -> None:
        self.whole(GoWrong(fault="packets_dropped", share=10))

    @exhaustive
    def test_half_of_all_packets_lost_and_nothing_is_missing(self) -> None:
        self.whole(GoWrong(fault="packets_dropped", share=50))

    def test_late_packets_are_put_back_in_their_order(self) -> None:
        self.whole(GoWrong(fault="packets_late", share=30))

    @exhaustive
    def test_lost_and_late_together(self) -> None:
        self.whole(
            GoWrong(fault="packets_late", share=20), GoWrong(fault="packets_dropped", share=20)
        )

    def test_it_does_lose_them_for_who_does_not_ask_again(self) -> None:
        machine = self.machine()
        machine.order(GoWrong(fault="packets_dropped", share=40))
        machine.basket(SIMPLE.setup)
        machine.load(SIMPLE.profile)
        machine.start()
        machine.order(Watch(since=0))
        numbers: list[int] = []
        while len(numbers) < 100:
            message = machine._read()
            if isinstance(message, SampleLine | EventLine):
                numbers.append(message.seq)
        self.assertGreater(max(np.diff(numbers)), 1)


class GoingWrong(OnMachines):
    def shot(self, *faults: GoWrong, one: Plan = SIMPLE) -> tuple[list[SampleLine], list[str]]:
        samples, events = pulled(self.machine(), one, *faults)
        return samples, [event.what for event in events]

    def flow_after(self, samples: list[SampleLine], t: float) -> float:
        return float(np.mean([s.water_ml_s for s in samples if t < s.t < t + 2]))

    def test_an_empty_tank_stops_the_water_and_the_machine_says_so(self) -> None:
        samples, events = self.shot(GoWrong(fault="water_empty", at_s=6))
        self.assertIn("water_empty", events)
        self.assertGreater(self.flow_after(samples, 4), 0.5)
        self.assertLess(self.flow_after(samples, 7), 0.05)

    def test_a_stalled_pump_gives_nothing_and_says_nothing(self) -> None:
        samples, events = self.shot(GoWrong(fault="pump_stall", at_s=6))
        self.assertEqual(set(events), {"phase", "stop"})
        self.assertLess(self.flow_after(samples, 7), 0.05)

    def test_a_stall_reaches_a_valve_and_a_lever_too(self) -> None:
        needle = Machine(
            name="Needle",
            control=ValveAhead(pump_bar=9, turns=(0, 1, 2), free_flow_ml_s=(0, 3, 7)),
        )
        turned = Phase(
            name="Open", kind="hold", command=ValveCommand(from_=1, to=1), exits=(seconds(30),)
        )
        samples, _ = self.shot(
            GoWrong(fault="pump_stall", at_s=4),
            one=plan(turned, machine=needle, stop={"time_s": 12}),
        )
        self.assertLess(self.flow_after(samples, 6), 0.05)

    def test_a_relief_valve_that_opens_too_soon_caps_the_pressure(self) -> None:
        samples, events = self.shot(GoWrong(fault="relief_opens", at_s=10))
        self.assertIn("relief", events)
        late = [s.pressure_bar for s in samples if 12 < s.t < 15]
        self.assertLess(max(late), 5.3)

    def test_a_channel_lets_more_through_at_once(self) -> None:
        plain, _events = self.shot(one=plan(pressure(6), stop={"time_s": 20}))
        samples, _events = self.shot(
            GoWrong(fault="channel", at_s=12), one=plan(pressure(6), stop={"time_s": 20})
        )
        before, after = self.flow_after(samples, 11), self.flow_after(samples, 13)
        self.assertGreater(after, 1.2 * self.flow_after(plain, 13))
        self.assertGreater(after, before)

    def test_without_its_scale_the_machine_neither_weighs_nor_stops_by_weight(self) -> None:
        samples, events = self.shot(
            GoWrong(fault="scale_off", at_s=9), one=plan(pressure(9), cup_g=20, stop={"time_s": 40})
        )
        self.assertTrue(all(s.weight_g is None for s in samples if s.t > 9.1))
        self.assertIsNotNone(samples[100].weight_g)
        stop_s = next(s.t for s in samples if s.commanded is None)
        self.assertAlmostEqual(stop_s, 40, delta=0.2)
        self.assertIn("stop", events)

    def test_a_cup_that_is_taken_away_weighs_less_than_nothing(self) -> None:
        samples, _ = self.shot(
            GoWrong(fault="cup_missing", at_s=9), one=plan(pressure(9), stop={"time_s": 15})
        )
        self.assertLess(samples[-1].weight_g or 0, -100)

    def test_a_fault_for_a_time_of_one_shot_does_not_come_with_the_next(self) -> None:
        machine = self.machine()
        _, first = pulled(machine, SIMPLE, GoWrong(fault="water_empty", at_s=6))
        samples, second = pulled(machine)
        self.assertIn("water_empty", [event.what for event in first])
        self.assertNotIn("water_empty", [event.what for event in second])
        self.assertGreater(self.flow_after(samples, 7), 0.2)

    def test_what_was_switched_off_again_does_not_happen(self) -> None:
        samples, events = self.shot(
            GoWrong(fault="water_empty", at_s=6), GoWrong(fault="water_empty", on=False)
        )
        self.assertNotIn("water_empty", events)
        self.assertGreater(self.flow_after(samples, 7), 0.2)


class Steering(OnMachines):
    """Orders to a running shot over the line, each said again with its time."""

    speed = 20.0

    LONG = plan(
        pressure(4, None, seconds(60)), pressure(8, None, seconds(60)), cup_g=None,
        stop={"time_s": 110},
    )  # fmt: skip

    def setUp(self) -> None:
        self.steered_machine, self.hand = self.machine(), self.machine()

    def steered(self, *orders: object) -> list[EventLine]:
        """Start, give one order after each second of samples, and stop at last."""
        self.steered_machine.basket(self.LONG.setup)
        self.steered_machine.load(self.LONG.profile)
        self.steered_machine.start()
        events, left, heard = [], list(orders), 0
        for line in self.steered_machine.said():
            if isinstance(line, EventLine):
                events.append(line)
            elif isinstance(line, SampleLine):
                heard += 1
                if heard % 20 == 0:
                    if left:
                        self.hand.order(left.pop(0))  # type: ignore[arg-type]
                    elif line.commanded is not None:
                        self.hand.order(PlainOrder(do="stop"))
                        left = [PlainOrder(do="status")] * 1000
        return [event for event in events if event.what != "phase" or event.because]

    def test_everything_a_hand_does_is_reported_with_its_time_in_order(self) -> None:
        events = self.steered(
            Nudge(by=0.5),
            Hold(on=True),
            Hold(on=False),
            PlainOrder(do="take"),
            Level(level=6),
            PlainOrder(do="give_back"),
            MarkIt(mark="blond"),
            PlainOrder(do="skip"),
        )
        self.assertEqual(
            [(e.what, e.because) for e in events],
            [
                ("nudge", "pressure"),
                ("hold", None),
                ("go_on", None),
                ("take", "pressure"),
                ("give_back", None),
                ("mark", "blond"),
                ("phase", "skip"),
                ("stop", "hand"),
            ],
        )
        times = [event.t for event in events]
        self.assertEqual(times, sorted(times))
        self.assertEqual(events[0].value, 0.5)

    def test_what_cannot_be_done_is_refused_with_the_reason_and_the_shot_goes_on(self) -> None:
        self.steered_machine.basket(self.LONG.setup)
        self.steered_machine.load(self.LONG.profile)
        self.steered_machine.start()
        for order, words in (
            (Nudge(by=-9), "pressure goes from 0"),
            (Level(level=3), "nobody has taken control"),
            (PlainOrder(do="give_back"), "nobody has taken control"),
            (PlainOrder(do="tare"), "does not support that"),
        ):
            with self.assertRaisesRegex(OrderError, words):
                self.hand.order(order)
        status = self.hand.status()
        self.assertTrue(status.running)
        self.hand.order(PlainOrder(do="stop"))

    def test_a_lever_worked_by_hand_follows_the_level_it_is_given(self) -> None:
        lever = Machine(name="Oar", control=HandLever(bar_per_kg=0.5), relief_bar=10)
        pressed = Phase(
            name="Press", kind="hold", command=ForceCommand(from_=10, to=10), exits=(seconds(60),)
        )
        one = plan(pressed, machine=lever, stop={"time_s": 100})
        self.steered_machine.basket(one.setup)
        self.steered_machine.load(one.profile)
        self.steered_machine.start(by_hand=True)
        self.hand.order(Level(level=9))
        samples = []
        for line in self.steered_machine.said():
            if isinstance(line, SampleLine):
                samples.append(line)
                if len(samples) == 200:
                    self.hand.order(PlainOrder(do="stop"))
        held = [s for s in samples if 5 < s.t < 9]
        self.assertAlmostEqual(float(np.mean([s.pressure_bar for s in held])), 4.5, delta=0.3)
        self.assertEqual({s.by_hand for s in held}, {9.0})
        self.assertAlmostEqual(held[0].commanded or 0, 5.0)


class Named(unittest.TestCase):
    def test_each_name_is_a_machine_of_its_own_with_its_own_truth(self) -> None:
        stops = {}
        with simulated_machine(speed=0, seed=3, calm=True) as address:
            for name in ("Sluice Two", "Low Tide"):
                with LineMachine(f"{address}/{name}") as machine:
                    _, events = pulled(machine)
                    stops[name] = events[-1].t
            with LineMachine(f"{address}/Low Tide") as machine:
                self.assertEqual(machine.status().loaded, "Trial")
            with LineMachine(f"{address}/New") as machine:
                self.assertIsNone(machine.status().loaded)
        self.assertEqual(len(set(stops.values())), 2)

    def test_a_machine_tells_how_it_stands(self) -> None:
        with (
            simulated_machine(speed=0, seed=3, calm=True) as address,
            LineMachine(address) as machine,
        ):
            before = machine.status()
            pulled(machine, plan(off(seconds(1)), pressure(9), cup_g=20))
            after = machine.status()
        self.assertAlmostEqual(before.group_c or 0, 93, delta=0.6)
        self.assertFalse(after.running)
        self.assertIsNotNone(after.shot)
        used = (before.water_left_ml or 0) - (after.water_left_ml or 0)
        self.assertAlmostEqual(used, 50, delta=20)
