"""Whatever hands do to a running shot, in any order: it stays a shot, and can be written down."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.core.pull.doing import told
from tests.core.pull.test_corrections import recorded
from tests.core.pull.test_simulation import LEVER, MACHINE, NEEDLE, simulation_of
from tests.factories import flow, off, plan, pressure, seconds, until_cup, valve
from tests.marks import examples, more_cases
from vapocline.core.base.problems import OrderError
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.commands import top_of
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import ForceCommand, Phase
from vapocline.core.puck import columns
from vapocline.core.puck.plan import Plan
from vapocline.core.pull.corrections import corrected
from vapocline.core.pull.simulation import ShotSimulation
from vapocline.core.shot.events import Event

PROGRAM = plan(
    flow(4, None, seconds(6)),
    off(seconds(3)),
    pressure(3, 8, seconds(4), over=4),
    pressure(8, None, until_cup(20), seconds(30)),
    pressure(8, 5, seconds(40), over=10),
    machine=MACHINE,
    stop={"time_s": 60},
)
VALVED = plan(valve(1, seconds(8)), valve(2, seconds(40)), machine=NEEDLE, stop={"time_s": 50})
PRESSED = plan(
    Phase(
        name="Press", kind="hold", command=ForceCommand(from_=12, to=12), exits=(seconds(40),)
    ),
    machine=LEVER,
    stop={"time_s": 50},
)  # fmt: skip
ORDERS = st.one_of(
    st.tuples(st.just("nudge"), st.sampled_from([-2.0, -0.5, 0.5, 2.0])),
    st.tuples(st.sampled_from(["hold", "go_on", "skip", "signal", "take", "give_back"]), st.none()),
    st.tuples(st.just("level"), st.floats(-3, 30)),
    st.tuples(st.just("stop"), st.none()),
)
DOINGS = st.lists(st.tuples(st.integers(1, 200), ORDERS), max_size=8)
FEW = settings(
    max_examples=examples(12),
    deadline=None,
    derandomize=True,
    suppress_health_check=[HealthCheck.too_slow],
)


def given_to(simulation: ShotSimulation, what: str, value: float | None) -> list[Event]:
    """Give one order; returns what a machine would tell of it."""
    match what:
        case "nudge":
            simulation.nudge(value or 0.0)
        case "hold" | "go_on":
            simulation.hold(what == "hold")
        case "take":
            _, value = simulation.take()
        case "level":
            simulation.hold_level(value or 0.0)
            return []
        case _:
            getattr(simulation, what)()
    return [] if what == "skip" else told(what, simulation.time_s, value)


def worked(one: Plan, doing: list, *, by_hand: bool = False) -> tuple[ShotSimulation, list[Event]]:
    """Fly a plan, giving orders after so many ticks each; what is refused changes nothing."""
    simulation, events = simulation_of(one, by_hand=by_hand), list[Event]()
    for ticks, (what, value) in doing:
        for _ in range(ticks):
            simulation.advance()
        try:
            events += given_to(simulation, what, value)
        except OrderError:
            continue
    for _ in range(6000):
        if simulation.advance():
            break
    return simulation, events


class AnyOrders(unittest.TestCase):
    def stays_a_shot(self, simulation: ShotSimulation) -> None:
        self.assertTrue(simulation.over)
        rows = simulation.samples[: simulation.sampled]
        read = rows[:, [columns.S_TIME, columns.S_P, columns.S_Q_IN, columns.S_CUP]]
        self.assertTrue(np.isfinite(read).all())
        self.assertTrue((np.diff(rows[:, columns.S_TIME]) > 0).all())
        self.assertTrue((np.diff(rows[:, columns.S_PHASE]) >= 0).all())
        self.assertTrue((rows[:, columns.S_P] >= 0).all())
        self.assertTrue((np.diff(rows[:, columns.S_CUP]) >= -1e-9).all())
        self.assertEqual(len(simulation.commands), simulation.sampled)
        for one in simulation.commands:
            if one.by_hand is not None:
                self.assertTrue(0 <= one.by_hand <= 20, one)

    @more_cases
    @FEW
    @given(doing=DOINGS)
    def test_a_program_stays_a_shot(self, doing: list) -> None:
        simulation, _ = worked(PROGRAM, doing)
        self.stays_a_shot(simulation)
        for one in simulation.commands:
            if one.commanded is not None and one.control in ("pressure", "flow"):
                self.assertTrue(0 <= one.commanded <= top_of(one.control, MACHINE) + 1e-9, one)

    @more_cases
    @FEW
    @given(doing=DOINGS)
    def test_so_does_a_valve_run_or_worked_by_hand(self, doing: list) -> None:
        for by_hand in (False, True):
            self.stays_a_shot(worked(VALVED, doing, by_hand=by_hand)[0])

    @more_cases
    @FEW
    @given(doing=DOINGS)
    def test_so_does_a_lever(self, doing: list) -> None:
        self.stays_a_shot(worked(PRESSED, doing, by_hand=True)[0])

    @more_cases
    @FEW
    @given(doing=DOINGS)
    def test_what_was_done_can_be_written_down_and_run(self, doing: list) -> None:
        simulation, events = worked(PROGRAM, doing)
        spans, traces = recorded(simulation)
        made = corrected(PROGRAM.profile, MACHINE, spans, events, traces, stopped_by_hand_g=None)
        self.assertEqual(profile_problems(made) + machine_problems(made, MACHINE), [])
