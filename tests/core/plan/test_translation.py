"""A profile on a machine it was not made for: always runnable, never worse than a plain fix."""

from __future__ import annotations

import unittest
from itertools import pairwise, permutations
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.core.strategies import phases
from tests.factories import flow, off, phase, pressure, profile, seconds, until_cup, valve
from tests.marks import examples, more_cases, some_of
from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import Machine
from vapocline.core.plan.translate.difference import difference
from vapocline.core.plan.translate.fixes import able, fix_context, fixed
from vapocline.core.plan.translate.misfits import Misfit, misfits
from vapocline.core.plan.translate.runs import run_plan
from vapocline.core.plan.translate.translation import (
    Translation,
    Wish,
    compared,
    measure,
    seen_from,
    translate,
)
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import (
    FirstDripExit,
    ForceCommand,
    Limit,
    PressureAboveExit,
    Profile,
    SpringCommand,
)
from vapocline.core.profile.stages import best_stages
from vapocline.core.puck.plan import Plan, Setup, on
from vapocline.demo.things import MACHINES

BY_NAME = {machine.name: machine for machine in MACHINES}
BENCH, LOW, FLOW, VALVE, STAGED, LEVER, HAND, SOFT = MACHINES
FALLING = profile(
    flow(4, None, PressureAboveExit(value=4), seconds(20), name="Soak", kind="pre-infusion"),
    pressure(4, 8.5, seconds(3), over=3, name="Ramp", kind="ramp"),
    pressure(8.5, None, seconds(5), name="Hold"),
    pressure(8.5, 5.5, over=18, name="Decline", kind="decline", limit=Limit(flow_ml_s=1.9)),
)
RESTED = profile(
    flow(4, None, FirstDripExit(), seconds(15), name="Wet", limit=Limit(pressure_bar=6)),
    off(seconds(20), name="Rest", kind="bloom"),
    pressure(1, 8, seconds(6), over=6, name="Rise", kind="ramp"),
    pressure(8, name="Press"),
)
TOLD: dict[str, Profile] = {  # one that each machine runs as it is
    "Sluice Two": FALLING,
    "Low Tide": profile(pressure(2, None, seconds(8), name="Soak"), pressure(9, name="Press")),
    "Millrace": profile(flow(4, None, seconds(6), name="Fill"), flow(1.8, name="Level")),
    "Tide Mill": profile(valve(1, seconds(8), name="Soak"), valve(2, name="Press")),
    "Semaphore": profile(pressure(3, None, seconds(8), name="One"), pressure(8, name="Two")),
    "Gannet": profile(
        pressure(1.2, None, seconds(8), name="Soak"), phase(SpringCommand(springs=2), name="Press")
    ),
    "Oarlock": profile(
        phase(ForceCommand(from_=4, to=4), seconds(6), name="Soak"),
        off(seconds(2), name="Raise"),
        phase(ForceCommand(from_=18, to=18), name="Press"),
    ),
    "Night Watch": profile(pressure(9, name="Press")),
}


def planned(one: Profile, machine: Machine = BENCH) -> Plan:
    return Plan(members=1, setup=Setup(dose_g=18, machine=machine), profile=one)


class Fixing(unittest.TestCase):
    def test_water_of_a_phase_is_taken_away_where_the_machine_has_one_for_the_shot(self) -> None:
        cooler = FALLING.phases[3].model_copy(update={"water_c": 86.0})
        own = FALLING.model_copy(update={"phases": (*FALLING.phases[:3], cooler)})
        [misfit] = misfits(own, BENCH)
        self.assertEqual((misfit.field, misfit.got), ("phases.3.water_c", "86 °C"))
        self.assertEqual(misfit.fix, "the water of the whole shot")
        self.assertEqual(fixed(own, fix_context(planned(own))), FALLING)
        can = BENCH.model_copy(update={"water_follows_s": 4.0})
        self.assertEqual(misfits(own, can), [])

    def test_one_field_alone(self) -> None:
        seen = fix_context(planned(FALLING, LOW))
        found = fixed(FALLING, seen, "phases.3.limit.flow_ml_s")
        self.assertIsNone(found.phases[3].limit.flow_ml_s)
        self.assertEqual(found.phases[:3], FALLING.phases[:3])
        with self.assertRaises(Refused):
            fixed(FALLING, seen, "phases.2.command.from")

    def test_a_forbidden_pause_is_held_next_to_nothing(self) -> None:
        found = fixed(RESTED, fix_context(planned(RESTED, STAGED)))
        self.assertEqual(found.phases[1].command.control, "pressure")
        self.assertLessEqual(found.phases[1].command.to, 0.5)

    def test_a_flow_on_a_pressure_machine_gets_the_pressure_it_has_in_this_puck(self) -> None:
        level = profile(
            flow(4, None, seconds(6), name="Fill"), flow(1.7, None, until_cup(40), seconds(60))
        )
        found = fixed(level, fix_context(planned(level, LOW)))
        shot = run_plan(planned(level))
        held = found.phases[1].command
        self.assertEqual(held.control, "pressure")
        self.assertAlmostEqual(held.to, shot.at(1, shot.stop_s - 0.2), delta=0.5)

    def test_stages_are_merged_where_it_changes_the_shot_least(self) -> None:
        level = profile(
            pressure(3, None, seconds(8)), pressure(8, None, seconds(3)),
            pressure(8, None, seconds(4)), pressure(8.5, None, seconds(5)),
            pressure(7.5, None, seconds(5)), pressure(6, None, seconds(30)),
        )  # fmt: skip
        found = fixed(level, fix_context(planned(level, STAGED)))
        self.assertEqual(len(found.phases), 5)
        self.assertEqual(found.phases[0].command.to, 3)
        self.assertEqual(found.phases[1].command.to, 8)
        self.assertEqual(found.phases[1].exits[0].value, 7)

    @more_cases
    @settings(max_examples=examples(50), deadline=None, derandomize=True,
              suppress_health_check=[HealthCheck.too_slow])  # fmt: skip
    @given(
        parts=st.lists(phases(), min_size=1, max_size=7), target=st.sampled_from(sorted(BY_NAME))
    )
    def test_whatever_is_fixed_passes_the_check(
        self, parts: list[dict[str, Any]], target: str
    ) -> None:
        one = Profile.model_validate({"name": "Any", "phases": parts, "stop": {"time_s": 60}})
        machine = BY_NAME[target]
        if profile_problems(one):
            return
        try:
            seen = fix_context(planned(one, machine))
        except Refused:
            return
        found = fixed(one, seen)
        self.assertEqual(profile_problems(found), [])
        self.assertEqual(misfits(found, machine), [])
        run_plan(on(seen.plan, machine, found))


class Translating(unittest.TestCase):
    def sound(self, found: Translation, machine: Machine) -> None:
        self.assertEqual(misfits(found.profile, machine), [])
        self.assertEqual(profile_problems(found.profile), [])
        self.assertTrue(found.lost)
        self.assertEqual([shift.by_um for shift in found.shifts], [-20, 20])
        self.assertIsNotNone(found.after.shot_time_s.value)

    def no_worse(self, plan: Plan, target: Machine) -> None:
        found = translate(plan, target, Wish(runs=12))
        self.sound(found, target)
        seen = seen_from(plan, target)
        plain = fixed(seen.plan.profile, seen)
        self.assertLessEqual(measure(seen, found.profile), measure(seen, plain) + 1e-9)

    @more_cases
    def test_between_any_two_machines_and_never_worse_than_plain_mending(self) -> None:
        for source, target in some_of(permutations(MACHINES, 2), 6):
            with self.subTest(f"{source.name} to {target.name}"):
                self.no_worse(planned(TOLD[source.name], source), target)

    @more_cases
    @settings(max_examples=examples(8), deadline=None, derandomize=True,
              suppress_health_check=[HealthCheck.too_slow])  # fmt: skip
    @given(
        parts=st.lists(phases(), min_size=1, max_size=4), target=st.sampled_from(sorted(BY_NAME))
    )
    def test_nor_for_any_profile(self, parts: list[dict[str, Any]], target: str) -> None:
        one = Profile.model_validate({"name": "Any", "phases": parts, "stop": {"time_s": 45}})
        if profile_problems(one):
            return
        try:
            able(one, BENCH)
        except Refused:
            return
        self.no_worse(planned(one), BY_NAME[target])

    def test_a_falling_flow_limited_shot_passes_for_the_same_on_a_pressure_machine(self) -> None:
        found = translate(planned(FALLING), LOW)
        self.assertLess(found.difference.distance, 0.6)
        self.assertGreater(found.plain.distance, found.difference.distance)
        self.assertLess(abs(found.difference.shot_time_change_s), 1.5)
        self.assertIn("without its limit", " ".join(found.lost))
        self.assertIn("Soak: flow replaced by pressure", " ".join(found.lost))

    def test_a_levers_decline_as_stages(self) -> None:
        found = translate(planned(TOLD["Gannet"], LEVER), STAGED)
        levels = [one.command.to for one in found.profile.phases]
        self.assertLessEqual(len(levels), 5)
        self.assertGreater(max(levels), levels[-1])
        self.assertLess(
            found.difference.pressure_rms_bar, 1.3
        )  # its rise is the pump's, not a spring's

    def test_stages_as_smooth_moves(self) -> None:
        steps = profile(
            pressure(3, None, seconds(8), name="One"), pressure(9, None, seconds(8), name="Two"),
            pressure(7.5, None, seconds(8), name="Three"), pressure(6, name="Four"),
        )  # fmt: skip
        found = translate(planned(steps, STAGED), BENCH, Wish(smooth=True))
        self.assertTrue(any(one.over > 0 for one in found.profile.phases))
        for before, after in pairwise(found.profile.phases):
            self.assertAlmostEqual(before.command.to, after.command.from_, delta=0.11)

    def test_gates_by_pressure_and_by_weight(self) -> None:
        by_pressure = translate(planned(FALLING), VALVE, Wish(gates="pressure"))
        whens = {rule.when for one in by_pressure.profile.phases for rule in one.exits}
        self.assertIn("pressure_above", whens)
        by_weight = translate(planned(FALLING), HAND, Wish(gates="weight"))
        whens = {rule.when for one in by_weight.profile.phases for rule in one.exits}
        self.assertTrue(whens <= {"seconds", "cup_g"})
        for found, machine in ((by_pressure, VALVE), (by_weight, HAND)):
            self.sound(found, machine)

    def test_it_can_be_stopped_and_answers_the_best_so_far(self) -> None:
        told: list[float] = []

        def once(share: float, _profile: Profile, _distance: float) -> bool:
            told.append(share)
            return False

        found = translate(planned(FALLING), LOW, watch=once)
        self.assertEqual(len(told), 1)
        self.sound(found, LOW)

    def test_a_translation_there_already_is_measured_without_a_search(self) -> None:
        found = compared(planned(FALLING), LOW, TOLD["Low Tide"])
        self.assertEqual(found.runs, 0)
        self.assertGreater(found.difference.distance, 0.5)
        with self.assertRaises(Refused):
            compared(planned(FALLING), LOW, FALLING)


class Parts(unittest.TestCase):
    def test_a_stepped_curve_is_cut_where_it_steps(self) -> None:
        t = np.arange(0, 30, 0.25)
        v = np.where(t < 8, 3.0, np.where(t < 20, 9.0, 6.0))
        three = best_stages(t, v, 5, ramps=False)[2]
        self.assertEqual([round(stage.start_s, 2) for stage in three], [0, 8, 20])
        self.assertEqual([round(stage.start, 2) for stage in three], [3, 9, 6])

    def test_a_ramp_is_one_stage(self) -> None:
        t = np.arange(0, 30, 0.25)
        v = np.interp(t, [0, 10, 30], [2, 9, 5])
        two = best_stages(t, v, 4, ramps=True)[1]
        self.assertAlmostEqual(two[0].end_s, 10, delta=0.5)
        self.assertAlmostEqual(two[1].end, 5, delta=0.1)

    def test_a_shot_is_no_way_apart_from_itself(self) -> None:
        shot = run_plan(planned(FALLING))
        self.assertEqual(difference(shot, shot).distance, 0)
        other = run_plan(planned(TOLD["Low Tide"], LOW))
        self.assertGreater(difference(shot, other).distance, 0.5)

    def test_a_misfit_reads(self) -> None:
        one = misfits(profile(pressure(12)), LOW)[0]
        self.assertIsInstance(one, Misfit)
        self.assertEqual(machine_problems(profile(pressure(9)), LOW), [])


if __name__ == "__main__":
    unittest.main()
