"""The clock of a machine that is not connected: cues by hand, a time, and nothing made up."""

from __future__ import annotations

import contextlib
import unittest
from functools import cache

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.factories import off, plan, pressure, seconds, until_water
from tests.marks import examples, more_cases
from tests.parts import for_the_run
from vapocline.core.base.problems import DeviceError, OrderError
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.program import program_of
from vapocline.core.pull.simulation import LONGEST_BY_HAND_S, TICK_S
from vapocline.devices.machine import LineMachine
from vapocline.devices.messages import (
    EndLine,
    EventLine,
    Level,
    MarkIt,
    Nudge,
    PlainOrder,
    SampleLine,
)
from vapocline.devices.simulators.hand_clock import NAMED, HandShot
from vapocline.runtime.simulators import simulated_machine

CUES = plan(
    pressure(2, None, seconds(8), name="Soak"),
    off(seconds(5), name="Rest"),
    pressure(2, 9, seconds(40), over=10, name="Rise"),
)


@cache
def clocks(speed: float) -> str:
    """Where clocks answer that run at a speed."""
    return for_the_run(simulated_machine(speed=speed, calm=True))


class ByHand(unittest.TestCase):
    def at_the_clock(self, speed: float, one: Plan = CUES) -> LineMachine:
        own = f"{self._testMethodName}/{NAMED}Old Lever"
        machine = self.enterContext(LineMachine(f"{clocks(speed)}/{own}"))
        machine.basket(one.setup)
        machine.load(one.profile)
        return machine

    def test_phases_go_on_when_the_hand_says_so_and_the_end_comes_after_the_drips(self) -> None:
        machine = self.at_the_clock(speed=20)
        token = machine.start(by_hand=True)
        machine.order(PlainOrder(do="next"))
        machine.order(MarkIt(mark="first_drip"))
        machine.order(PlainOrder(do="skip"))
        with self.assertRaisesRegex(OrderError, "that was the last cue"):
            machine.order(PlainOrder(do="next"))
        self.assertEqual(machine.status().shot, token)
        machine.order(PlainOrder(do="stop"))
        said = list(machine.said())
        events = [(e.what, e.phase, e.because) for e in said if isinstance(e, EventLine)]
        self.assertEqual(
            events,
            [
                ("phase", 0, None),
                ("phase", 1, "hand"),
                ("mark", 1, "first_drip"),
                ("phase", 2, "hand"),
                ("stop", None, "hand"),
            ],
        )
        self.assertIsInstance(said[-1], EndLine)
        stop_s = next(e.t for e in said if isinstance(e, EventLine) and e.what == "stop")
        last = [one for one in said if isinstance(one, SampleLine)][-1]
        self.assertAlmostEqual(last.t - stop_s, 6, delta=0.2)
        self.assertFalse(machine.status().running)

    def test_what_no_wire_tells_is_left_open(self) -> None:
        machine = self.at_the_clock(speed=0)
        machine.start(by_hand=True)
        samples = [one for one in machine.said() if isinstance(one, SampleLine)]
        for sample in samples:
            self.assertEqual(
                (sample.pressure_bar, sample.water_ml_s, sample.weight_g, sample.group_c),
                (None, None, None, None),
            )
        self.assertIsNone(machine.status().group_c)
        self.assertIsNone(machine.status().water_left_ml)

    def test_a_shot_that_nobody_stops_ends_after_three_minutes(self) -> None:
        machine = self.at_the_clock(speed=0)
        machine.start(by_hand=True)
        said = list(machine.said())
        stop = next(e for e in said if isinstance(e, EventLine) and e.what == "stop")
        self.assertEqual((stop.because, stop.t), ("time_s", 180.0))

    def test_a_move_along_time_is_reported_one_along_water_only_where_it_begins(self) -> None:
        rising = plan(pressure(2, 8, seconds(60), over=30))
        machine = self.at_the_clock(speed=0, one=rising)
        machine.start(by_hand=True)
        told = {
            one.t: one.commanded
            for one in machine.said()
            if isinstance(one, SampleLine) and one.phase == 0
        }
        self.assertAlmostEqual(told[15.0] or 0, 5.0)
        self.assertAlmostEqual(told[60.0] or 0, 8.0)
        machine.load(plan(pressure(8, 4, until_water(30), along="water", over=30)).profile)
        machine.start(by_hand=True)
        asked = {one.commanded for one in machine.said() if isinstance(one, SampleLine)}
        self.assertEqual(asked, {None})

    def test_what_only_a_wire_could_do_is_refused(self) -> None:
        machine = self.at_the_clock(speed=1)
        with self.assertRaisesRegex(OrderError, "no shot is running"):
            machine.order(PlainOrder(do="stop"))
        machine.start(by_hand=True)
        for order in (Nudge(by=0.5), Level(level=3), PlainOrder(do="take"), PlainOrder(do="tare")):
            with self.subTest(order.do), self.assertRaisesRegex(OrderError, "not connected"):
                machine.order(order)
        with self.assertRaisesRegex(DeviceError, "a shot is running"):
            machine.start(by_hand=True)
        machine.order(PlainOrder(do="stop"))

    def test_each_name_is_a_clock_of_its_own(self) -> None:
        one, other = (
            self.enterContext(LineMachine(f"{clocks(1)}/{NAMED}{name}")) for name in ("A", "B")
        )
        one.basket(CUES.setup)
        one.load(CUES.profile)
        one.start(by_hand=True)
        self.assertTrue(one.status().running)
        self.assertFalse(other.status().running)
        with self.assertRaisesRegex(DeviceError, "no profile is loaded"):
            other.start(by_hand=True)


class AnyOrders(unittest.TestCase):
    """Whatever the hand says, in any order: numbers without a gap, cues in order, one stop."""

    @more_cases
    @settings(max_examples=examples(40), deadline=None, derandomize=True)
    @given(
        doing=st.lists(
            st.tuples(st.integers(1, 900), st.sampled_from(["next", "stop", "mark"])), max_size=8
        )
    )
    def test_a_shot_is_reported_whole(self, doing: list[tuple[int, str]]) -> None:
        shot = HandShot("any", program_of(CUES.profile, CUES.setup.machine))
        shot.say("phase", 0)
        tick = 0
        for ticks, what in [*doing, (9000, "stop")]:
            for _ in range(ticks):
                if not shot.ended:
                    tick += 1
                    shot.advance(tick * TICK_S)
            if shot.stopped_s is None:
                self.told(shot, what)
        self.assertTrue(shot.ended)
        self.assertEqual([one.seq for one in shot.said], list(range(len(shot.said))))
        self.assertIsInstance(shot.said[-1], EndLine)
        phases = [e.phase for e in shot.said if isinstance(e, EventLine) and e.what == "phase"]
        self.assertEqual(phases, list(range(len(phases))))
        self.assertLessEqual(len(phases), 3)
        stops = [e for e in shot.said if isinstance(e, EventLine) and e.what == "stop"]
        self.assertEqual(len(stops), 1)
        self.assertLessEqual(stops[0].t, LONGEST_BY_HAND_S + 1e-6)

    def told(self, shot: HandShot, what: str) -> None:
        match what:
            case "next":
                with contextlib.suppress(OrderError):  # no cue is left
                    shot.go_on()
            case "stop":
                shot.stop("hand")
            case _:
                shot.say("mark", shot.phase, "blond")
