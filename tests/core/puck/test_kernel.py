"""The numbers behind the curves: balances, convergence, the compiled against the plain."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.core.puck.test_convergence import solids_missing, water_missing
from tests.core.strategies import SETUPS, STOPS, phases
from tests.factories import STRONG, bloomed, flow, plan, pressure, seconds, soaked, until_cup
from tests.marks import examples, more_cases
from vapocline.core.machine.machine import Machine
from vapocline.core.profile.profile import PressureAboveExit, Profile
from vapocline.core.puck import columns, kernel
from vapocline.core.puck.parameters import Parameters, parameters_for, record_of
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import CELLS, STEP_S, predict, run
from vapocline.core.puck.program import program_of

PLANS = {
    "flat": plan(pressure(9)),
    "soaked": plan(*soaked(2.5)),
    "bloom": plan(*bloomed()),
    "falling": plan(pressure(9, 4, over=25)),
    "dumping": plan(*bloomed(), machine=Machine(name="Dumps", when_off="dump")),
    "over relief": plan(flow(6), machine=Machine(name="Low", relief_bar=7)),
}


def walked(one: Plan, **numbers: float) -> tuple[columns.State, Parameters]:
    parameters = parameters_for(one.setup)
    state, _ = run(parameters, program_of(one.profile, one.setup.machine), **numbers)
    return state, parameters


class Balance(unittest.TestCase):
    def test_no_water_is_made_or_lost(self) -> None:
        for name, one in PLANS.items():
            with self.subTest(name):
                self.assertLess(water_missing(walked(one)[0]), 1e-6)

    def test_no_solids_are_made_or_lost(self) -> None:
        for name, one in PLANS.items():
            with self.subTest(name):
                self.assertLess(solids_missing(*walked(one)), 1e-6)


class Convergence(unittest.TestCase):
    def test_half_the_step_and_twice_the_cells_change_next_to_nothing(self) -> None:
        for name, one in PLANS.items():
            with self.subTest(name):
                coarse, _ = walked(one)
                fine, _ = walked(one, cells=2 * CELLS, step_s=STEP_S / 2)
                times = [state.now[columns.STOP_T] for state in (coarse, fine)]
                yields = [
                    100 * state.now[columns.CUP_0 : columns.CUP_2 + 1].sum() / one.setup.dose_g
                    for state in (coarse, fine)
                ]
                self.assertLess(abs(times[0] / times[1] - 1), 0.01)
                self.assertLess(abs(yields[0] - yields[1]), 0.1)

    def test_a_run_in_pieces_is_the_same_run(self) -> None:
        one = PLANS["bloom"]
        parameters, program = parameters_for(one.setup), program_of(one.profile, one.setup.machine)
        whole, samples = run(parameters, program)
        state = columns.fresh_state(parameters, program.control.size, CELLS)
        pieces = np.zeros_like(samples)
        numbers = record_of(parameters)
        until, over = 0.0, False
        while not over:
            until += 0.1
            over = kernel.advance(state, program, numbers, pieces, until, STEP_S, 0.1)
        np.testing.assert_allclose(pieces, samples, atol=1e-6)
        self.assertAlmostEqual(state.now[columns.STOP_T], whole.now[columns.STOP_T], places=6)


class Located(unittest.TestCase):
    def test_an_exit_by_pressure_is_located_to_a_millisecond(self) -> None:
        for bar in (2.5, 4.0, 6.0):
            with self.subTest(bar=bar):
                met = walked(
                    plan(flow(4, None, PressureAboveExit(value=bar), seconds(60)), cup_g=None)
                )[0].now[columns.STOP_T]
                before, after = (
                    walked(plan(flow(4, None, seconds(met + step)), cup_g=None))[0]
                    for step in (-0.001, 0.001)
                )
                self.assertLess(before.now[columns.PEAK], bar)
                self.assertGreater(after.now[columns.PEAK], bar)

    def test_an_exit_by_weight_leaves_exactly_that_on_the_scale(self) -> None:
        one = plan(pressure(9, None, until_cup(20), seconds(60)), cup_g=None)
        state, _ = walked(one)
        quick = one.setup.machine.model_copy(update={"scale_lag_s": 0.0})
        exact = plan(pressure(9, None, until_cup(20), seconds(60)), cup_g=None, machine=quick)
        at_stop = walked(exact)[0].now[columns.CUP_AT_STOP]
        self.assertAlmostEqual(at_stop, 20, delta=0.003)  # a millisecond of flow
        self.assertGreater(state.now[columns.CUP_AT_STOP], 20.1)


class OneKernel(unittest.TestCase):
    def test_whole_numbers_and_defaults_never_have_it_compiled_again(self) -> None:
        for one in PLANS.values():
            predict(one)
        predict(plan(pressure(9), dose_g=18, grind_um=300, machine="reference"))
        whole = plan(pressure(9)).written()
        whole["setup"]["machine"]["relief_bar"] = 12
        predict(Plan.model_validate(whole))
        self.assertEqual(len(kernel.advance.signatures), 1)


PLAIN = """
import json, sys
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
print(predict(Plan.model_validate_json(sys.stdin.read())).model_dump_json(by_alias=True))
"""


class Compiled(unittest.TestCase):
    def test_the_compiled_kernel_computes_what_its_plain_python_says(self) -> None:
        one = plan(
            flow(4, None, seconds(2)), pressure(4, 9, seconds(2), over=2), cup_g=None,
            stop={"time_s": 4},
        )  # fmt: skip
        plain = subprocess.run(
            [sys.executable, "-c", PLAIN],
            input=one.model_dump_json(by_alias=True),
            env=os.environ | {"NUMBA_DISABLE_JIT": "1"},
            capture_output=True,
            text=True,
            check=True,
        )
        expected = json.loads(plain.stdout)
        found = json.loads(predict(one).model_dump_json(by_alias=True))
        for name in ("pressure_bar", "water_in_ml_s", "cup_g", "puck_c"):
            np.testing.assert_allclose(found["series"][name], expected["series"][name], atol=2e-3)


OTHERS: dict[str, tuple[dict[str, object], list[dict[str, object]]]] = {
    "valve": (
        {"kind": "valve", "pump_bar": 9, "turns": [0, 1, 3], "free_flow_ml_s": [0, 2.4, 8]},
        [{"control": "valve", "from": 0.5, "to": 3}, {"control": "off"}],
    ),
    "springs": (
        {
            "kind": "spring-lever",
            "springs": [{"top_bar": 8, "end_bar": 4}, {"top_bar": 3, "end_bar": 0}],
        },
        [{"control": "spring", "springs": 2}, {"control": "pressure", "from": 1, "to": 0.5}],
    ),
    "hand": (
        {"kind": "hand-lever", "bar_per_kg": 0.5},
        [{"control": "force", "from": 0, "to": 25}, {"control": "off"}],
    ),
    "soft start": (
        {"kind": "soft-start", "pump_bar": 9, "rise_s": 6},
        [{"control": "pressure", "from": 9, "to": 9}, {"control": "off"}],
    ),
}


class AnyInput(unittest.TestCase):
    @more_cases
    @settings(
        max_examples=examples(120), deadline=None, derandomize=True,
        suppress_health_check=[HealthCheck.too_slow],
    )  # fmt: skip
    @given(setup=SETUPS, parts=st.lists(phases(), min_size=1, max_size=4), stop=STOPS)
    def test_nothing_is_ever_negative_or_not_a_number(
        self, setup: Setup, parts: list[dict[str, object]], stop: dict[str, object]
    ) -> None:
        for part in parts:  # what the machine cannot do is refused before; not what is tested here
            command = part["command"]
            assert isinstance(command, dict)
            for end in ("from", "to"):
                if end in command:
                    ceiling = 12.0 if command["control"] == "flow" else 15.0
                    command[end] = min(command[end], ceiling)
        profile = Profile.model_validate({"name": "Any", "phases": parts, "stop": stop})
        self.sound(Plan(setup=setup, profile=profile, members=1))

    @more_cases
    @settings(max_examples=examples(60), deadline=None, derandomize=True)
    @given(
        setup=SETUPS, kind=st.sampled_from(sorted(OTHERS)),
        parts=st.lists(phases(), min_size=1, max_size=3), order=st.lists(st.booleans(), min_size=3),
    )  # fmt: skip
    def test_nor_on_valves_and_levers(
        self, setup: Setup, kind: str, parts: list[dict[str, object]], order: list[bool]
    ) -> None:
        control, commands = OTHERS[kind]
        document = STRONG.written() | {"control": control}
        machine = Machine.model_validate(document)
        for part, second in zip(parts, order, strict=False):
            part["command"] = commands[second]
        profile = Profile.model_validate({"name": "Any", "phases": parts, "stop": {"time_s": 60}})
        changed = setup.model_copy(update={"machine": machine})
        self.sound(Plan(setup=changed, profile=profile, members=1))

    def sound(self, one: Plan) -> None:
        setup = one.setup
        answer = predict(one)
        series = answer.series
        for name in ("pressure_bar", "water_in_ml_s", "cup_out_ml_s", "cup_g", "tds_pct", "puck_c"):
            trace = np.array(getattr(series, name))
            self.assertTrue(np.isfinite(trace).all(), name)
            self.assertGreaterEqual(trace.min(), 0, name)
        self.assertTrue((np.diff(series.time_s) > 0).all())
        self.assertTrue((np.diff(series.cup_g) >= -1e-9).all(), "the cup never gets lighter")
        self.assertLessEqual(max(series.pressure_bar), setup.machine.relief_bar + 1e-6)
        self.assertLessEqual(answer.extraction_yield_pct.value, 30.5)
        self.assertIsNotNone(answer.shot_time_s.value)
