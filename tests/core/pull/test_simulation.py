"""A running shot: what hands do to it, and what it does then."""

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
from vapocline.core.pull.simulation import TICK_S, ShotSimulation
from vapocline.core.pull.steering import nudge_of, taken_over_with, worked_by_hand

MACHINE = Machine(name="Any", relief_bar=10, top_flow_ml_s=8.5)
LEVER = Machine(name="Oar", control=HandLever(bar_per_kg=0.5), relief_bar=10)
NEEDLE = Machine(
    name="Needle",
    control=ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 2.4, 6, 8)),
)
SPRUNG = Machine(name="Sprung", control=SpringLever(springs=(Spring(top_bar=8, end_bar=4),)))


def simulation_of(one: Plan, *, by_hand: bool = False) -> ShotSimulation:
    return ShotSimulation(
        one.profile, one.setup.machine, parameters_for(one.setup), by_hand=by_hand
    )


def flown(simulation: ShotSimulation, until_s: float) -> ShotSimulation:
    while simulation.time_s < until_s - 1e-9 and not simulation.advance():
        pass
    return simulation


def mean(simulation: ShotSimulation, column: int, from_s: float, to_s: float) -> float:
    rows = simulation.samples[: simulation.sampled]
    inside = (rows[:, columns.S_TIME] >= from_s) & (rows[:, columns.S_TIME] < to_s)
    return float(rows[inside, column].mean())


TWO = plan(pressure(4, None, seconds(10)), pressure(8), machine=MACHINE)


class LeftAlone(unittest.TestCase):
    def test_a_flight_nobody_touches_is_the_predicted_shot(self) -> None:
        for one in (TWO, plan(flow(4, None, seconds(5)), pressure(9, 6, over=15), machine=MACHINE)):
            simulation = flown(simulation_of(one), 200)
            stop = simulation.state.now[columns.STOP_T]
            self.assertAlmostEqual(stop, predict(one).shot_time_s.value, delta=0.05)

    def test_a_leap_is_as_many_ticks_at_once(self) -> None:
        ticks, advance_to = flown(simulation_of(TWO), 14), simulation_of(TWO)
        advance_to.advance_to(14)
        self.assertEqual(ticks.sampled, advance_to.sampled)
        np.testing.assert_allclose(ticks.samples, advance_to.samples, rtol=1e-9)

    def test_every_tick_tells_what_was_asked(self) -> None:
        simulation = flown(simulation_of(TWO), 12)
        self.assertEqual(len(simulation.commands), simulation.sampled)
        self.assertEqual(simulation.commands[40].commanded, 4)
        self.assertEqual(simulation.commands[-1].commanded, 8)
        self.assertIsNone(simulation.commands[-1].by_hand)


class Nudging(unittest.TestCase):
    def test_a_nudge_moves_the_pressure_now_and_in_later_phases(self) -> None:
        simulation = flown(simulation_of(TWO), 6)
        self.assertEqual(simulation.nudge(0.5), "pressure")
        flown(simulation, 14)
        self.assertAlmostEqual(mean(simulation, columns.S_P, 8, 10), 4.5, delta=0.1)
        self.assertAlmostEqual(mean(simulation, columns.S_P, 13, 14), 8.5, delta=0.2)

    def test_nudges_add_up_and_belong_to_their_variable(self) -> None:
        one = plan(
            flow(2, None, seconds(6)), pressure(6, None, seconds(6)), flow(3), machine=MACHINE
        )
        simulation = flown(simulation_of(one), 3)
        simulation.nudge(0.2)
        simulation.nudge(0.2)
        flown(simulation, 8)
        self.assertEqual(simulation.commands[-1].commanded, 6, "pressure was not nudged")
        flown(simulation, 14)
        self.assertAlmostEqual(simulation.commands[-1].commanded or 0, 3.4)

    def test_a_nudge_beyond_what_the_machine_takes_is_refused_and_nothing_changes(self) -> None:
        simulation = flown(simulation_of(TWO), 6)
        with self.assertRaisesRegex(OrderError, "pressure goes from 0 to 10"):
            simulation.nudge(-5)
        flown(simulation, 8)
        self.assertEqual(simulation.commands[-1].commanded, 4)

    def test_there_is_nothing_to_nudge_with_the_pump_off_or_on_a_spring(self) -> None:
        resting = plan(off(seconds(9)), pressure(8), machine=MACHINE)
        with self.assertRaisesRegex(OrderError, "the pump is off"):
            flown(simulation_of(resting), 2).nudge(0.5)
        sprung = plan(
            Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(90),)),
            machine=SPRUNG,
        )
        with self.assertRaisesRegex(OrderError, "presses by itself"):
            flown(simulation_of(sprung), 2).nudge(0.5)

    def test_a_needle_turns_with_a_lag_and_nudges_count(self) -> None:
        one = plan(valve(1, seconds(4)), valve(2), machine=NEEDLE)
        simulation = flown(simulation_of(one), 4.1)
        self.assertLess(float(simulation.run.start[1]), 1.6, "not there at once")
        flown(simulation, 6)
        self.assertAlmostEqual(float(simulation.run.start[1]), 2.0, places=2)
        simulation.nudge(0.1)
        flown(simulation, 8)
        self.assertAlmostEqual(float(simulation.run.start[1]), 2.1, places=2)

    def test_one_nudge_is_a_step_one_feels_on_the_machines_own_steps(self) -> None:
        coarse = MACHINE.model_copy(
            update={"steps": MACHINE.steps.model_copy(update={"pressure_bar": 1.0})}
        )
        self.assertEqual(nudge_of("pressure", MACHINE), 0.5)
        self.assertEqual(nudge_of("pressure", coarse), 1.0)
        self.assertEqual(nudge_of("valve", NEEDLE), 0.1)


class HoldingAndSkipping(unittest.TestCase):
    def test_skipping_begins_the_next_phase_and_says_so(self) -> None:
        simulation = flown(simulation_of(TWO), 5)
        simulation.skip()
        flown(simulation, 5.2)
        self.assertEqual(simulation.phase, 1)
        self.assertAlmostEqual(float(simulation.state.log[1, 0]), 5.0, delta=TICK_S)

    def test_a_held_phase_stands_still_and_then_goes_on_where_it_was(self) -> None:
        rising = plan(pressure(2, 8, seconds(10), over=10), pressure(8), machine=MACHINE)
        simulation = flown(simulation_of(rising), 5)
        simulation.hold(True)
        flown(simulation, 12)
        self.assertTrue(simulation.held)
        self.assertEqual(simulation.phase, 0, "its ten seconds do not count meanwhile")
        self.assertAlmostEqual(simulation.commands[-1].commanded or 0, 5.0, delta=0.05)
        simulation.hold(False)
        flown(simulation, 16.9)
        self.assertEqual(simulation.phase, 0)
        self.assertAlmostEqual(simulation.commands[-1].commanded or 0, 7.9, delta=0.1)
        flown(simulation, 17.2)
        self.assertEqual(simulation.phase, 1)

    def test_a_held_phase_still_stops_at_the_weight(self) -> None:
        simulation = flown(simulation_of(plan(pressure(9), cup_g=20, machine=MACHINE)), 6)
        simulation.hold(True)
        flown(simulation, 60)
        self.assertTrue(simulation.over)
        self.assertLess(simulation.samples[simulation.sampled - 1, columns.S_CUP], 23)

    def test_what_a_phase_counts_in_water_or_weight_stands_still_too(self) -> None:
        one = plan(pressure(9, 5, seconds(80), along="cup", over=20), machine=MACHINE, cup_g=40)
        simulation = flown(simulation_of(one), 14)
        before = simulation.commands[-1].commanded or 0
        simulation.hold(True)
        flown(simulation, 18)
        self.assertAlmostEqual(simulation.commands[-1].commanded or 0, before, delta=0.05)

    def test_orders_to_a_shot_that_is_over_are_refused(self) -> None:
        simulation = flown(simulation_of(plan(pressure(9), cup_g=10, machine=MACHINE)), 100)
        for order in (
            simulation.skip,
            simulation.stop,
            simulation.take,
            lambda: simulation.hold(True),
        ):
            with self.assertRaisesRegex(OrderError, "no shot is running"):
                order()


class TakingOver(unittest.TestCase):
    def test_the_hand_begins_where_the_program_stood_and_gives_back_there(self) -> None:
        simulation = flown(simulation_of(TWO), 5)
        self.assertEqual(simulation.take(), ("pressure", 4.0))
        simulation.hold_level(6.5)
        flown(simulation, 12)
        self.assertEqual(simulation.phase, 0, "the program waits")
        self.assertAlmostEqual(mean(simulation, columns.S_P, 9, 12), 6.5, delta=0.1)
        self.assertEqual(simulation.commands[-1].by_hand, 6.5)
        simulation.give_back()
        flown(simulation, 16)
        self.assertAlmostEqual(mean(simulation, columns.S_P, 15, 16), 4.0, delta=0.2)
        flown(simulation, 17.5)
        self.assertEqual(simulation.phase, 1)

    def test_a_level_stays_within_what_the_machine_takes(self) -> None:
        simulation = flown(simulation_of(TWO), 5)
        simulation.take()
        self.assertEqual(simulation.hold_level(40), 10)
        self.assertEqual(simulation.hold_level(-3), 0)

    def test_nothing_is_held_or_given_back_before_it_was_taken(self) -> None:
        simulation = flown(simulation_of(TWO), 5)
        with self.assertRaisesRegex(OrderError, "nobody has taken control"):
            simulation.hold_level(3)
        with self.assertRaisesRegex(OrderError, "nobody has taken control"):
            simulation.give_back()
        simulation.take()
        with self.assertRaisesRegex(OrderError, "return control first"):
            simulation.hold(False)

    def test_with_the_pump_off_the_hand_holds_the_machines_own_variable(self) -> None:
        one = plan(pressure(4, None, seconds(6)), off(seconds(30)), machine=MACHINE)
        simulation = flown(simulation_of(one), 12)
        control, level = simulation.take()
        self.assertEqual(control, "pressure")
        self.assertLess(level, 4)
        simulation.hold_level(3)
        flown(simulation, 16)
        self.assertAlmostEqual(mean(simulation, columns.S_P, 15, 16), 3, delta=0.2)

    def test_a_spring_has_no_level_for_a_hand(self) -> None:
        phase = Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(90),))
        self.assertIsNone(taken_over_with(SPRUNG, phase))
        with self.assertRaisesRegex(OrderError, "no level"):
            flown(simulation_of(plan(phase, machine=SPRUNG)), 2).take()

    def test_a_flow_is_taken_over_as_a_flow(self) -> None:
        phase = flow(3, limit=Limit(pressure_bar=9))
        self.assertIsInstance(phase.command, FlowCommand)
        simulation = flown(simulation_of(plan(phase, machine=MACHINE)), 3)
        self.assertEqual(simulation.take()[0], "flow")


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
        simulation = simulation_of(self.PRESSED, by_hand=True)
        simulation.hold_level(4)
        flown(simulation, 10)
        self.assertAlmostEqual(mean(simulation, columns.S_P, 6, 8), 2.0, delta=0.15)
        self.assertEqual(simulation.phase, 1, "the cue's eight seconds are over")
        self.assertAlmostEqual(
            simulation.commands[-1].commanded or 0, 8.0, msg="wanted, told in bar"
        )
        self.assertEqual(simulation.commands[-1].by_hand, 4)

    def test_the_stop_is_the_hands_own(self) -> None:
        simulation = simulation_of(self.PRESSED, by_hand=True)
        simulation.hold_level(16)
        flown(simulation, 45)
        self.assertGreater(simulation.samples[simulation.sampled - 1, columns.S_CUP], 27)
        self.assertFalse(simulation.stopped)
        simulation.stop()
        flown(simulation, 46)
        self.assertTrue(simulation.stopped)

    def test_without_a_level_every_step_waits_for_the_hand(self) -> None:
        one = plan(
            pressure(1, None, seconds(5)),
            Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(60),)),
            machine=SPRUNG,
        )
        simulation = flown(simulation_of(one, by_hand=True), 9)
        self.assertEqual(simulation.phase, 0, "its five seconds are only a cue")
        simulation.signal()
        flown(simulation, 10)
        self.assertEqual(simulation.phase, 1)
        self.assertGreater(mean(simulation, columns.S_P, 9.5, 10), 2)
