"""A shot in flight: what hands do to it, and what it does then."""

from __future__ import annotations

import unittest

import numpy as np

from tests.factories import flow, off, plan, pressure, seconds, until_cup, valve
from vapocline.core.base.problems import OrderError
from vapocline.core.machine.machine import (
    HandLever,
    Machine,
    SoftStart,
    Spring,
    SpringLever,
    ValveAhead,
)
from vapocline.core.profile.profile import FlowCommand, ForceCommand, Limit, Phase, SpringCommand
from vapocline.core.puck import columns
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.pull.simulation import TICK_S, Flight
from vapocline.core.pull.steering import nudge_of, taken_over_with, worked_by_hand

MACHINE = Machine(name="Any", relief_bar=10, top_flow_ml_s=8.5)
LEVER = Machine(name="Oar", control=HandLever(bar_per_kg=0.5), relief_bar=10)
NEEDLE = Machine(
    name="Needle",
    control=ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 2.4, 6, 8)),
)
SPRUNG = Machine(name="Sprung", control=SpringLever(springs=(Spring(top_bar=8, end_bar=4),)))


def flight_of(one: Plan, *, by_hand: bool = False) -> Flight:
    return Flight(one.profile, one.setup.machine, parameters_for(one.setup), by_hand=by_hand)


def flown(flight: Flight, until_s: float) -> Flight:
    while flight.time_s < until_s - 1e-9 and not flight.advance():
        pass
    return flight


def mean(flight: Flight, column: int, from_s: float, to_s: float) -> float:
    rows = flight.samples[: flight.sampled]
    inside = (rows[:, columns.S_TIME] >= from_s) & (rows[:, columns.S_TIME] < to_s)
    return float(rows[inside, column].mean())


TWO = plan(pressure(4, None, seconds(10)), pressure(8), machine=MACHINE)


class LeftAlone(unittest.TestCase):
    def test_a_flight_nobody_touches_is_the_predicted_shot(self) -> None:
        for one in (TWO, plan(flow(4, None, seconds(5)), pressure(9, 6, over=15), machine=MACHINE)):
            flight = flown(flight_of(one), 200)
            stop = flight.state.now[columns.STOP_T]
            self.assertAlmostEqual(stop, predict(one).shot_time_s.value, delta=0.05)

    def test_a_leap_is_as_many_ticks_at_once(self) -> None:
        ticks, leap = flown(flight_of(TWO), 14), flight_of(TWO)
        leap.leap(14)
        self.assertEqual(ticks.sampled, leap.sampled)
        np.testing.assert_allclose(ticks.samples, leap.samples, rtol=1e-9)

    def test_every_tick_tells_what_was_asked(self) -> None:
        flight = flown(flight_of(TWO), 12)
        self.assertEqual(len(flight.told), flight.sampled)
        self.assertEqual(flight.told[40].commanded, 4)
        self.assertEqual(flight.told[-1].commanded, 8)
        self.assertIsNone(flight.told[-1].by_hand)


class Nudging(unittest.TestCase):
    def test_a_nudge_moves_the_pressure_now_and_in_later_phases(self) -> None:
        flight = flown(flight_of(TWO), 6)
        self.assertEqual(flight.nudge(0.5), "pressure")
        flown(flight, 14)
        self.assertAlmostEqual(mean(flight, columns.S_P, 8, 10), 4.5, delta=0.1)
        self.assertAlmostEqual(mean(flight, columns.S_P, 13, 14), 8.5, delta=0.2)

    def test_nudges_add_up_and_belong_to_their_variable(self) -> None:
        one = plan(
            flow(2, None, seconds(6)), pressure(6, None, seconds(6)), flow(3), machine=MACHINE
        )
        flight = flown(flight_of(one), 3)
        flight.nudge(0.2)
        flight.nudge(0.2)
        flown(flight, 8)
        self.assertEqual(flight.told[-1].commanded, 6, "pressure was not nudged")
        flown(flight, 14)
        self.assertAlmostEqual(flight.told[-1].commanded or 0, 3.4)

    def test_a_nudge_beyond_what_the_machine_takes_is_refused_and_nothing_changes(self) -> None:
        flight = flown(flight_of(TWO), 6)
        with self.assertRaisesRegex(OrderError, "pressure goes from 0 to 10"):
            flight.nudge(-5)
        flown(flight, 8)
        self.assertEqual(flight.told[-1].commanded, 4)

    def test_there_is_nothing_to_nudge_with_the_pump_off_or_on_a_spring(self) -> None:
        resting = plan(off(seconds(9)), pressure(8), machine=MACHINE)
        with self.assertRaisesRegex(OrderError, "the pump is off"):
            flown(flight_of(resting), 2).nudge(0.5)
        sprung = plan(
            Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(90),)),
            machine=SPRUNG,
        )
        with self.assertRaisesRegex(OrderError, "presses by itself"):
            flown(flight_of(sprung), 2).nudge(0.5)

    def test_a_needle_turns_with_a_lag_and_nudges_count(self) -> None:
        one = plan(valve(1, seconds(4)), valve(2), machine=NEEDLE)
        flight = flown(flight_of(one), 4.1)
        self.assertLess(float(flight.run.start[1]), 1.6, "not there at once")
        flown(flight, 6)
        self.assertAlmostEqual(float(flight.run.start[1]), 2.0, places=2)
        flight.nudge(0.1)
        flown(flight, 8)
        self.assertAlmostEqual(float(flight.run.start[1]), 2.1, places=2)

    def test_one_nudge_is_a_step_one_feels_on_the_machines_own_steps(self) -> None:
        coarse = MACHINE.model_copy(
            update={"steps": MACHINE.steps.model_copy(update={"pressure_bar": 1.0})}
        )
        self.assertEqual(nudge_of("pressure", MACHINE), 0.5)
        self.assertEqual(nudge_of("pressure", coarse), 1.0)
        self.assertEqual(nudge_of("valve", NEEDLE), 0.1)


class HoldingAndSkipping(unittest.TestCase):
    def test_skipping_begins_the_next_phase_and_says_so(self) -> None:
        flight = flown(flight_of(TWO), 5)
        flight.skip()
        flown(flight, 5.2)
        self.assertEqual(flight.phase, 1)
        self.assertAlmostEqual(float(flight.state.log[1, 0]), 5.0, delta=TICK_S)

    def test_a_held_phase_stands_still_and_then_goes_on_where_it_was(self) -> None:
        rising = plan(pressure(2, 8, seconds(10), over=10), pressure(8), machine=MACHINE)
        flight = flown(flight_of(rising), 5)
        flight.hold(True)
        flown(flight, 12)
        self.assertTrue(flight.held)
        self.assertEqual(flight.phase, 0, "its ten seconds do not count meanwhile")
        self.assertAlmostEqual(flight.told[-1].commanded or 0, 5.0, delta=0.05)
        flight.hold(False)
        flown(flight, 16.9)
        self.assertEqual(flight.phase, 0)
        self.assertAlmostEqual(flight.told[-1].commanded or 0, 7.9, delta=0.1)
        flown(flight, 17.2)
        self.assertEqual(flight.phase, 1)

    def test_a_held_phase_still_stops_at_the_weight(self) -> None:
        flight = flown(flight_of(plan(pressure(9), cup_g=20, machine=MACHINE)), 6)
        flight.hold(True)
        flown(flight, 60)
        self.assertTrue(flight.over)
        self.assertLess(flight.samples[flight.sampled - 1, columns.S_CUP], 23)

    def test_what_a_phase_counts_in_water_or_weight_stands_still_too(self) -> None:
        one = plan(pressure(9, 5, seconds(80), along="cup", over=20), machine=MACHINE, cup_g=40)
        flight = flown(flight_of(one), 14)
        before = flight.told[-1].commanded or 0
        flight.hold(True)
        flown(flight, 18)
        self.assertAlmostEqual(flight.told[-1].commanded or 0, before, delta=0.05)

    def test_orders_to_a_shot_that_is_over_are_refused(self) -> None:
        flight = flown(flight_of(plan(pressure(9), cup_g=10, machine=MACHINE)), 100)
        for order in (flight.skip, flight.stop, flight.take, lambda: flight.hold(True)):
            with self.assertRaisesRegex(OrderError, "no shot is running"):
                order()


class TakingOver(unittest.TestCase):
    def test_the_hand_begins_where_the_program_stood_and_gives_back_there(self) -> None:
        flight = flown(flight_of(TWO), 5)
        self.assertEqual(flight.take(), ("pressure", 4.0))
        flight.hold_level(6.5)
        flown(flight, 12)
        self.assertEqual(flight.phase, 0, "the program waits")
        self.assertAlmostEqual(mean(flight, columns.S_P, 9, 12), 6.5, delta=0.1)
        self.assertEqual(flight.told[-1].by_hand, 6.5)
        flight.give_back()
        flown(flight, 16)
        self.assertAlmostEqual(mean(flight, columns.S_P, 15, 16), 4.0, delta=0.2)
        flown(flight, 17.5)
        self.assertEqual(flight.phase, 1)

    def test_a_level_stays_within_what_the_machine_takes(self) -> None:
        flight = flown(flight_of(TWO), 5)
        flight.take()
        self.assertEqual(flight.hold_level(40), 10)
        self.assertEqual(flight.hold_level(-3), 0)

    def test_nothing_is_held_or_given_back_before_it_was_taken(self) -> None:
        flight = flown(flight_of(TWO), 5)
        with self.assertRaisesRegex(OrderError, "nobody has taken over"):
            flight.hold_level(3)
        with self.assertRaisesRegex(OrderError, "nobody has taken over"):
            flight.give_back()
        flight.take()
        with self.assertRaisesRegex(OrderError, "give it back first"):
            flight.hold(False)

    def test_with_the_pump_off_the_hand_holds_the_machines_own_variable(self) -> None:
        one = plan(pressure(4, None, seconds(6)), off(seconds(30)), machine=MACHINE)
        flight = flown(flight_of(one), 12)
        control, level = flight.take()
        self.assertEqual(control, "pressure")
        self.assertLess(level, 4)
        flight.hold_level(3)
        flown(flight, 16)
        self.assertAlmostEqual(mean(flight, columns.S_P, 15, 16), 3, delta=0.2)

    def test_a_spring_has_no_level_for_a_hand(self) -> None:
        phase = Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(90),))
        self.assertIsNone(taken_over_with(SPRUNG, phase))
        with self.assertRaisesRegex(OrderError, "no level"):
            flown(flight_of(plan(phase, machine=SPRUNG)), 2).take()

    def test_a_flow_is_taken_over_as_a_flow(self) -> None:
        phase = flow(3, limit=Limit(pressure_bar=9))
        self.assertIsInstance(phase.command, FlowCommand)
        flight = flown(flight_of(plan(phase, machine=MACHINE)), 3)
        self.assertEqual(flight.take()[0], "flow")


class WorkedByHand(unittest.TestCase):
    PRESSED = plan(
        Phase(
            name="Soak",
            kind="pre-infusion",
            command=ForceCommand(from_=6, to=6),
            exits=(seconds(8),),
        ),
        Phase(
            name="Press",
            kind="hold",
            command=ForceCommand(from_=16, to=16),
            exits=(until_cup(30), seconds(90)),
        ),
        machine=LEVER,
        cup_g=24,
    )

    def test_who_is_worked_by_hand_and_how(self) -> None:
        self.assertEqual(worked_by_hand(LEVER), "level")
        self.assertEqual(worked_by_hand(NEEDLE), "level")
        self.assertEqual(worked_by_hand(SPRUNG), "steps")
        self.assertEqual(worked_by_hand(Machine(name="S", control=SoftStart())), "steps")
        self.assertIsNone(worked_by_hand(MACHINE))

    def test_the_lever_gives_what_the_hand_gives_while_the_cues_go_on(self) -> None:
        flight = flight_of(self.PRESSED, by_hand=True)
        flight.hold_level(4)
        flown(flight, 10)
        self.assertAlmostEqual(mean(flight, columns.S_P, 6, 8), 2.0, delta=0.15)
        self.assertEqual(flight.phase, 1, "the cue's eight seconds are over")
        self.assertAlmostEqual(flight.told[-1].commanded or 0, 8.0, msg="wanted, told in bar")
        self.assertEqual(flight.told[-1].by_hand, 4)

    def test_the_stop_is_the_hands_own(self) -> None:
        flight = flight_of(self.PRESSED, by_hand=True)
        flight.hold_level(16)
        flown(flight, 45)
        self.assertGreater(flight.samples[flight.sampled - 1, columns.S_CUP], 27)
        self.assertFalse(flight.stopped)
        flight.stop()
        flown(flight, 46)
        self.assertTrue(flight.stopped)

    def test_without_a_level_every_step_waits_for_the_hand(self) -> None:
        one = plan(
            pressure(1, None, seconds(5)),
            Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(60),)),
            machine=SPRUNG,
        )
        flight = flown(flight_of(one, by_hand=True), 9)
        self.assertEqual(flight.phase, 0, "its five seconds are only a cue")
        flight.signal()
        flown(flight, 10)
        self.assertEqual(flight.phase, 1)
        self.assertGreater(mean(flight, columns.S_P, 9.5, 10), 2)
