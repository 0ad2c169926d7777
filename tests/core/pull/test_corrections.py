"""What was done during the shot as a profile: it would do by itself what the hands did."""

from __future__ import annotations

import unittest
from collections.abc import Callable, Collection
from dataclasses import replace
from itertools import combinations

import numpy as np

from tests.core.pull.doing import told
from tests.core.pull.test_simulation import flown, simulation_of
from tests.factories import flow, plan, pressure, seconds
from vapocline.core.base.problems import Refused
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import PressureCommand, Profile, WaterExit
from vapocline.core.puck import columns
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.puck.program import ended_on
from vapocline.core.pull.corrections import corrected, was_corrected
from vapocline.core.pull.simulation import ShotSimulation
from vapocline.core.shot.events import Event, Marked, Span
from vapocline.core.shot.traces import Traces

MACHINE = Machine(name="Any", relief_bar=10, top_flow_ml_s=8.5)
Doing = list[tuple[float, str, Callable[[ShotSimulation], object], float | None]]


def pulled(one: Plan, doing: Doing) -> tuple[ShotSimulation, list[Event]]:
    """Fly a plan and do things to it at their times."""
    simulation, events = simulation_of(one), list[Event]()
    for t, what, do, value in doing:
        flown(simulation, t)
        do(simulation)
        events += told(what, simulation.time_s, value)
    return flown(simulation, 200), events


def recorded(simulation: ShotSimulation) -> tuple[list[Span], Traces]:
    rows, log = simulation.samples[: simulation.sampled], simulation.state.log
    stop, code = simulation.state.now[columns.STOP_T], int(simulation.state.now[columns.STOP_CODE])
    spans = []
    for index, (start, end, why) in enumerate(log):
        if np.isnan(start):
            continue
        ended = ended_on(code) if np.isnan(end) or index == len(log) - 1 else ended_on(int(why))
        spans.append(Span(index, float(start), float(stop if np.isnan(end) else end), ended))
    nan = float("nan")
    asked = [t.commanded if t.commanded is not None else nan for t in simulation.commands]
    return spans, Traces(
        time_s=rows[:, columns.S_TIME],
        pressure_bar=rows[:, columns.S_P],
        water_in_ml_s=rows[:, columns.S_Q_IN],
        cup_out_ml_s=rows[:, columns.S_Q_CUP],
        cup_g=rows[:, columns.S_CUP],
        group_c=np.full(len(rows), 93.0),
        commanded=np.array(asked),
        phase=rows[:, columns.S_PHASE],
        by_hand=np.array(
            [t.by_hand if t.by_hand is not None else nan for t in simulation.commands]
        ),
    )


def version_of(one: Plan, doing: Doing, *, stopped_g: float | None = None) -> Profile:
    simulation, events = pulled(one, doing)
    spans, traces = recorded(simulation)
    return corrected(one.profile, MACHINE, spans, events, traces, stopped_by_hand_g=stopped_g)


TWO = plan(pressure(4, None, seconds(10), name="Soak"), pressure(8, name="Press"), machine=MACHINE)


def nudge(by: float) -> Callable[[ShotSimulation], object]:
    return lambda simulation: simulation.nudge(by)


class AsAVersion(unittest.TestCase):
    def same_shot(self, one: Plan, doing: Doing) -> Profile:
        """The version, run by itself, does what the corrected shot did."""
        simulation, events = pulled(one, doing)
        spans, traces = recorded(simulation)
        made = corrected(one.profile, MACHINE, spans, events, traces)
        self.assertEqual(profile_problems(made), [])
        again = predict(one.model_copy(update={"profile": made}))
        self.assertAlmostEqual(
            again.shot_time_s.value, simulation.state.now[columns.STOP_T], delta=0.5
        )
        t = np.arange(1.0, again.shot_time_s.value - 1, 0.1)
        was = np.interp(t, traces.time_s, traces.pressure_bar)
        now = np.interp(t, again.series.time_s, again.series.pressure_bar)
        self.assertLess(np.sqrt(np.mean((now - was) ** 2)), 0.35)
        return made

    def test_a_nudge_late_in_a_phase_parts_it_and_moves_what_follows(self) -> None:
        made = self.same_shot(TWO, [(6, "nudge", nudge(0.5), 0.5)])
        levels = [p.command.to for p in made.phases if isinstance(p.command, PressureCommand)]
        self.assertEqual(levels, [4, 4.5, 8.5])
        words = profile_differences(TWO.profile, made)
        self.assertIn("press 8 to 8.5 bar", words)

    def test_nudges_close_together_are_one(self) -> None:
        made = version_of(TWO, [(6 + 0.2 * i, "nudge", nudge(0.5), 0.5) for i in range(3)])
        self.assertEqual(len(made.phases), 3)

    def test_a_nudge_as_a_phase_begins_moves_the_whole_of_it(self) -> None:
        made = version_of(TWO, [(0.3, "nudge", nudge(-0.5), -0.5)])
        self.assertEqual(len(made.phases), 2)
        self.assertEqual(made.phases[0].command.to, 3.5)  # type: ignore[union-attr]

    def test_a_skip_ends_the_phase_by_the_clock(self) -> None:
        made = self.same_shot(TWO, [(5, "skip", ShotSimulation.skip, None)])
        self.assertAlmostEqual(made.phases[0].exits[0].value, 5, delta=0.11)  # type: ignore[union-attr]

    def test_a_hold_becomes_a_phase_of_its_own_and_the_rest_goes_on(self) -> None:
        rising = plan(
            pressure(2, 8, seconds(10), over=10, name="Rise"),
            pressure(8, name="Press"),
            machine=MACHINE,
        )
        made = self.same_shot(
            rising,
            [
                (5, "hold", lambda f: f.hold(True), None),
                (8, "go_on", lambda f: f.hold(False), None),
            ],
        )
        names = [phase.name for phase in made.phases]
        self.assertEqual(names, ["Rise", "Rise, held", "Rise, after", "Press"])
        self.assertAlmostEqual(made.phases[1].command.to, 5, delta=0.15)  # type: ignore[union-attr]

    def test_a_level_by_hand_becomes_the_fewest_stages_that_follow_it(self) -> None:
        made = self.same_shot(
            TWO,
            [
                (5, "take", lambda f: f.take(), None),
                (5.1, "level", lambda f: f.hold_level(6), None),
                (9, "give_back", ShotSimulation.give_back, None),
            ],
        )
        by_hand = [phase for phase in made.phases if "by hand" in phase.name]
        self.assertLessEqual(len(by_hand), 2)
        self.assertAlmostEqual(by_hand[-1].command.to, 6, delta=0.15)  # type: ignore[union-attr]

    def test_a_level_held_for_any_time_at_all_can_be_written_down(self) -> None:
        for length in np.arange(0.3, 6.0, 0.35):
            made = version_of(
                TWO,
                [
                    (4.05, "take", lambda f: f.take(), None),
                    (4.1, "level", lambda f: f.hold_level(5.5), None),
                    (4.1 + length, "give_back", ShotSimulation.give_back, None),
                ],
            )
            self.assertEqual(profile_problems(made), [], length)

    def test_a_stop_by_hand_becomes_the_weight_it_came_at(self) -> None:
        made = version_of(TWO, [(20, "stop", ShotSimulation.stop, None)], stopped_g=27.34)
        self.assertEqual(made.stop.cup_g, 27.3)
        self.assertIn("stop weight 36 to 27.3 g", profile_differences(TWO.profile, made))

    def test_phases_the_shot_never_came_to_take_the_offset_along(self) -> None:
        made = version_of(
            TWO,
            [(4, "nudge", nudge(0.5), 0.5), (8, "stop", ShotSimulation.stop, None)],
            stopped_g=None,
        )
        self.assertEqual(made.phases[-1].name, "Press")
        self.assertEqual(made.phases[-1].command.to, 8.5)  # type: ignore[union-attr]

    def test_a_flow_nudged_stays_a_flow(self) -> None:
        one = plan(flow(3, None, seconds(12), name="Flow"), pressure(8), machine=MACHINE)
        made = self.same_shot(one, [(5, "nudge", nudge(-0.6), -0.6)])
        self.assertEqual([p.command.control for p in made.phases], ["flow", "flow", "pressure"])

    def test_a_move_cut_short_by_the_stop_is_made_whole(self) -> None:
        falling = plan(pressure(9, 5, seconds(60), over=40, name="Fall"), machine=MACHINE)
        made = version_of(falling, [(8, "nudge", nudge(0.5), 0.5)])
        self.assertEqual(made.phases[-1].command.to, 5.5)  # type: ignore[union-attr]
        self.assertAlmostEqual(made.phases[-1].over, 32, delta=0.3)

    def test_more_than_a_profile_may_hold_is_refused_and_not_cut_short(self) -> None:
        doing: Doing = [
            (3.0 + 2.0 * n, "nudge", lambda f, n=n: f.nudge(0.5 if n % 2 else -0.5),
             0.5 if n % 2 else -0.5)
            for n in range(30)
        ]  # fmt: skip
        one = plan(pressure(5, None, seconds(90)), machine=MACHINE, cup_g=None,
                   stop={"time_s": 80})  # fmt: skip
        simulation, events = pulled(one, doing)
        spans, traces = recorded(simulation)
        with self.assertRaisesRegex(Refused, "at most 24"):
            corrected(one.profile, MACHINE, spans, events, traces)

    def test_a_shot_left_alone_was_not_corrected(self) -> None:
        self.assertFalse(was_corrected([], stopped_by_hand=False))
        self.assertTrue(was_corrected([], stopped_by_hand=True))
        self.assertFalse(was_corrected([Marked(time_s=1, mark="spurt")], stopped_by_hand=False))


class WithoutEverySensor(unittest.TestCase):
    """A machine may leave any gauge out: what is made of its shot runs, and makes nothing up."""

    ALONG_WATER = plan(
        pressure(2, 4, WaterExit(value=30), seconds(20), name="Soak", along="water", over=20),
        pressure(8, None, WaterExit(value=90), name="Press"),
        machine=MACHINE,
    )  # fmt: skip

    def made(self, one: Plan, missing: Collection[str]) -> Profile:
        simulation, events = pulled(one, [(6, "nudge", nudge(0.5), 0.5)])
        spans, traces = recorded(simulation)
        blind = {name: np.full_like(traces.time_s, np.nan) for name in missing}
        return corrected(one.profile, MACHINE, spans, events, replace(traces, **blind))

    def test_every_choice_of_gauges_gives_a_profile_that_runs(self) -> None:
        gauges = ("pressure_bar", "water_in_ml_s", "cup_g", "group_c")
        for one in (TWO, self.ALONG_WATER):
            for count in range(len(gauges) + 1):
                for missing in combinations(gauges, count):
                    with self.subTest(missing=missing):
                        made = self.made(one, missing)
                        self.assertEqual(profile_problems(made), [])
                        again = predict(one.model_copy(update={"profile": made}))
                        self.assertGreater(again.shot_time_s.value or 0, 8)

    def test_water_that_nobody_measured_is_no_water_exit(self) -> None:
        made = self.made(self.ALONG_WATER, ["water_in_ml_s"])
        self.assertNotIn(0.5, [rule.value for phase in made.phases for rule in phase.exits])
