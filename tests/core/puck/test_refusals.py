"""What cannot run is refused before the kernel, by field, with what it got and what it takes."""

from __future__ import annotations

import unittest
from typing import Any

from pydantic import ValidationError

from tests.factories import flow, off, plan, pressure, profile, seconds, valve
from vapocline.core.base.problems import Problem, Refused, refused_by_pydantic
from vapocline.core.machine.machine import FlowLoop, Machine, PressureLoop, ValveAhead
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import FirstDripExit, Limit, PressureAboveExit, WaterExit
from vapocline.core.puck.check import refuse_unrunnable
from vapocline.core.puck.plan import Plan


def problems_of(one: Plan) -> dict[str, Problem]:
    try:
        refuse_unrunnable(one)
    except Refused as refused:
        return {problem.field: problem for problem in refused.problems}
    return {}


def refusal(document: dict[str, Any]) -> dict[str, Problem]:
    try:
        Plan.model_validate(document)
    except ValidationError as error:
        return {problem.field: problem for problem in refused_by_pydantic(error).problems}
    return {}


def written(**setup: Any) -> dict[str, Any]:
    return {
        "format": "vapocline/plan",
        "version": 1,
        "setup": {"dose_g": 18, "machine": "reference"} | setup,
        "profile": profile(pressure(9)).written(),
    }


class Unrunnable(unittest.TestCase):
    def test_a_good_plan_is_let_pass(self) -> None:
        self.assertEqual(problems_of(plan(pressure(9))), {})

    def test_no_phases(self) -> None:
        problem = problems_of(plan())["profile.phases"]
        self.assertEqual(str(problem), "profile.phases: got none; takes at least one phase")

    def test_a_phase_without_an_exit_that_must_come(self) -> None:
        problem = problems_of(plan(pressure(9, None, PressureAboveExit(value=5))))[
            "profile.phases.0.exits"
        ]
        self.assertEqual(problem.got, "pressure_above")
        self.assertIn("seconds or water_ml", problem.accepted)

    def test_water_pumped_is_no_sure_exit_where_no_water_need_flow(self) -> None:
        resting = problems_of(plan(off(WaterExit(value=10)), pressure(9)))
        self.assertIn("no water is pumped", resting["profile.phases.0.exits"].accepted)
        shut = problems_of(plan(flow(0, 0, WaterExit(value=10)), pressure(9)))
        self.assertIn("profile.phases.0.exits", shut)

    def test_a_target_above_the_relief_setting_names_machine_and_setting(self) -> None:
        low = Machine(name="Low Tide", relief_bar=9.5)
        problem = problems_of(plan(pressure(9, 10, over=3), machine=low))[
            "profile.phases.0.command.to"
        ]
        self.assertEqual(problem.got, "10")
        self.assertEqual(problem.accepted, "at most 9.5 bar, Low Tide's relief setting")

    def test_commands_the_machine_does_not_take(self) -> None:
        table = ValveAhead(pump_bar=9, turns=(0, 2), free_flow_ml_s=(0, 6))
        cases = [
            (PressureLoop(), flow(3), "pressure, off on M"),
            (FlowLoop(), pressure(9), "flow, off on M"),
            (table, flow(3), "valve, off on M"),
        ]
        for control, phase, accepted in cases:
            with self.subTest(control.kind):
                machine = Machine(name="M", control=control)
                problem = problems_of(plan(phase, machine=machine))[
                    "profile.phases.0.command.control"
                ]
                self.assertEqual(problem.accepted, accepted)
        beyond = problems_of(plan(valve(3), machine=Machine(name="M", control=table)))
        self.assertIn("last calibrated position", beyond["profile.phases.0.command.to"].accepted)

    def test_limits_that_make_no_sense_for_the_command(self) -> None:
        on_pressure = problems_of(plan(pressure(9, limit=Limit(pressure_bar=6))))
        self.assertIn("profile.phases.0.limit.pressure_bar", on_pressure)
        on_flow = problems_of(plan(flow(3, limit=Limit(flow_ml_s=2))))
        self.assertIn("profile.phases.0.limit.flow_ml_s", on_flow)

    def test_the_same_exit_twice(self) -> None:
        problems = problems_of(plan(pressure(9, None, seconds(5), seconds(8))))
        self.assertIn("profile.phases.0.exits.1.when", problems)

    def test_every_problem_is_reported_at_once(self) -> None:
        bad = profile(pressure(9, None, FirstDripExit()), flow(3, limit=Limit(flow_ml_s=2)))
        self.assertEqual(
            [problem.field for problem in profile_problems(bad)],
            ["phases.0.exits", "phases.1.limit.flow_ml_s"],
        )


class Malformed(unittest.TestCase):
    def test_numbers_out_of_range_or_none_at_all(self) -> None:
        for got, shown in (
            (0, "0"),
            (-3, "-3"),
            ("abc", "'abc'"),
            (True, "True"),
            (float("inf"), "inf"),
            (None, "nothing"),
        ):
            with self.subTest(got=got):
                problem = refusal(written(dose_g=got))["setup.dose_g"]
                self.assertEqual(
                    str(problem), f"setup.dose_g: got {shown}; takes a number from 5 to 40 g"
                )

    def test_what_is_missing(self) -> None:
        self.assertEqual(str(refusal({})["setup"]), "setup: got nothing; takes a value")

    def test_unknown_words_are_answered_with_what_there_is(self) -> None:
        document = written()
        document["profile"]["phases"][0]["exits"][0]["when"] = "teatime"
        problem = refusal(document)["profile.phases.0.exits.0"]
        self.assertEqual(problem.got, "'teatime'")
        self.assertIn("'first_drip'", problem.accepted)
        document = written()
        document["profile"]["phases"][0]["command"]["control"] = "steam"
        self.assertIn("'pressure'", refusal(document)["profile.phases.0.command"].accepted)
        self.assertIn("reference", refusal(written(machine="nowhere"))["setup.machine"].accepted)

    def test_paths_are_those_of_the_document(self) -> None:
        document = written()
        document["profile"]["phases"][0]["command"]["to"] = "high"
        document["profile"]["phases"][0]["exits"][0]["value"] = -1
        self.assertEqual(
            set(refusal(document)),
            {"profile.phases.0.command.to", "profile.phases.0.exits.0.value"},
        )

    def test_an_empty_name_is_refused_with_how_long_it_must_be(self) -> None:
        document = written()
        document["profile"]["name"] = "  "
        self.assertIn("at least 1 character", refusal(document)["profile.name"].accepted)

    def test_a_valve_table_that_falls(self) -> None:
        machine = {
            "name": "M",
            "control": {"kind": "valve", "pump_bar": 9, "turns": [0, 1], "free_flow_ml_s": [3, 2]},
        }
        self.assertIn(
            "never falling", refusal(written(machine=machine))["setup.machine.control"].accepted
        )

    def test_a_later_version_is_refused_clearly(self) -> None:
        document = written() | {"version": Plan.model_fields["version"].default + 1}
        self.assertIn("newer", refusal(document)["version"].accepted)

    def test_long_values_are_shortened_in_the_message(self) -> None:
        problem = refusal(written(dose_g="x" * 500))["setup.dose_g"]
        self.assertLessEqual(len(problem.got), 60)


class RoundTrip(unittest.TestCase):
    def test_fields_it_does_not_know_are_kept(self) -> None:
        document = written()
        document["profile"]["colour"] = "green"
        document["profile"]["phases"][0]["knob"] = 3
        again = Plan.model_validate(document).written()
        self.assertEqual(again["profile"]["colour"], "green")
        self.assertEqual(again["profile"]["phases"][0]["knob"], 3)
        self.assertEqual(Plan.model_validate(again).written(), again)

    def test_written_names_are_those_of_the_format(self) -> None:
        command = plan(pressure(9)).written()["profile"]["phases"][0]["command"]
        self.assertEqual(command, {"control": "pressure", "from": 9.0, "to": 9.0})
