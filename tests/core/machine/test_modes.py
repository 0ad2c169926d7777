"""Several modes of one machine: each a control, program and pre-wetting of its own."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from tests.factories import flow, pressure, profile
from vapocline.core.base.problems import problems_in
from vapocline.core.formats.registry import MACHINE
from vapocline.core.machine.check import machine_problems, modes_for
from vapocline.core.machine.machine import (
    FlowLoop,
    Machine,
    Mode,
    Preamble,
    PressureLoop,
    ProgramLimits,
    SoftStart,
    StagedProgram,
)

BOTH = Machine(
    name="Two ways",
    mode="dialled",
    control=FlowLoop(),
    preamble=Preamble(),
    modes=(
        Mode(name="stages", control=StagedProgram(), program=ProgramLimits(ramps=False, slots=4)),
        Mode(name="plain", control=SoftStart(pump_bar=9)),
    ),
)


class Modes(unittest.TestCase):
    def test_a_machine_in_a_mode_is_a_machine_with_that_modes_control_alone(self) -> None:
        stages = BOTH.in_mode("stages")
        self.assertEqual((stages.mode, stages.modes, stages.preamble), ("stages", (), None))
        self.assertEqual((stages.control, stages.program.slots), (StagedProgram(), 4))
        self.assertEqual((stages.name, stages.relief_bar), (BOTH.name, BOTH.relief_bar))
        self.assertEqual(MACHINE.read(MACHINE.write(stages)), stages)
        for name in ("dialled", None, "removed meanwhile"):
            first = BOTH.in_mode(name)
            self.assertEqual((first.mode, first.control), ("dialled", FlowLoop()))
        self.assertEqual(Machine(name="One").in_mode(None), Machine(name="One"))

    def test_a_profile_runs_in_the_modes_that_take_it(self) -> None:
        self.assertEqual(modes_for(profile(flow(3)), BOTH), ["dialled"])
        self.assertEqual(modes_for(profile(pressure(9)), BOTH), ["stages", "plain"])
        self.assertEqual(modes_for(profile(pressure(6)), BOTH), ["stages"])
        self.assertEqual(modes_for(profile(pressure(9, 6, over=5)), BOTH), [])
        self.assertTrue(machine_problems(profile(pressure(9)), BOTH.in_mode("dialled")))
        self.assertEqual(modes_for(profile(flow(3)), Machine(name="One")), [])

    def test_modes_that_cannot_be_or_be_told_apart_are_refused_by_their_field(self) -> None:
        loop = Mode(name="pressure", control=PressureLoop())
        for rest, field in (
            ({"modes": (loop,)}, "mode"),
            ({"mode": "Pressure", "modes": (loop,)}, "modes.0.name"),
            ({"mode": "one", "modes": (loop, loop)}, "modes.1.name"),
            (
                {"mode": "one", "modes": (Mode(name="hard", control=SoftStart(pump_bar=12)),)},
                "modes.0.control.pump_bar",
            ),
            ({"mode": "one", "modes": (loop,) * 6}, "modes"),
        ):
            with self.subTest(field), self.assertRaises(ValidationError) as refused:
                Machine.model_validate({"name": "M", **rest})
            self.assertEqual(problems_in(refused.exception.errors())[0].field, field)


if __name__ == "__main__":
    unittest.main()
