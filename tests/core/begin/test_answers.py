"""What a newcomer says of their bench: what comes of it, and what is refused."""

from __future__ import annotations

import unittest
from typing import Any, get_args

from pydantic import ValidationError

from vapocline.core.base.problems import problems_in
from vapocline.core.begin.answers import (
    Answers,
    GrinderAnswer,
    Hand,
    MachineAnswer,
    dial_of,
    machine_of,
)
from vapocline.core.begin.forecast import bench_of
from vapocline.core.coffee.grinder import grind_um_at
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict


def refusal(**answers: Any) -> str:
    """The first problem with some answers, in words."""
    try:
        Answers.model_validate(answers)
    except ValidationError as error:
        return str(problems_in(error.errors())[0])
    return ""


class Machines(unittest.TestCase):
    def test_a_pump_that_presses_nothing_is_refused_with_what_it_takes(self) -> None:
        for hand in ("valve", "switch"):
            with self.assertRaisesRegex(ValueError, "a number from 1 to 15 bar"):
                MachineAnswer.model_validate({"hand": hand, "pump_bar": 0})

    def test_a_plain_shot_runs_on_every_kind_with_nothing_said_but_the_kind(self) -> None:
        for hand in get_args(Hand):
            for feed in ("tank", "plumbed"):
                with self.subTest(hand, feed=feed):
                    machine = MachineAnswer.model_validate({"hand": hand, "feed": feed})
                    bench = bench_of(Answers(machine=machine), None)
                    shot = predict(Plan(setup=bench.setup, profile=bench.profile, members=1))
                    self.assertAlmostEqual(shot.yield_g.value or 0, 36, delta=4)
                    self.assertGreater(shot.peak_pressure_bar.value or 0, 7)

    def test_what_only_its_kind_has_is_taken(self) -> None:
        lever = machine_of(MachineAnswer(hand="spring-lever", springs=2, top_bar=8, end_bar=3))
        self.assertEqual(lever.control.model_dump()["springs"][0]["top_bar"], 8)
        self.assertEqual(len(lever.control.model_dump()["springs"]), 2)
        falling = machine_of(MachineAnswer(hand="spring-lever", end_bar=0))
        self.assertEqual(falling.control.model_dump()["springs"][0]["end_bar"], 0)
        self.assertEqual(machine_of(MachineAnswer(hand="stages")).program.stages, 3)
        staged = machine_of(MachineAnswer(hand="stages", stages=4, holds="flow"))
        self.assertEqual((staged.program.stages, staged.control.kind), (4, "staged"))
        self.assertEqual(machine_of(MachineAnswer(gauge=False)).gauge_at, "none")
        self.assertEqual(machine_of(MachineAnswer(feed="plumbed")).floor_bar, 3)

    def test_what_no_machine_can_be_is_refused_at_the_question_that_said_it(self) -> None:
        self.assertIn(
            "machine.pump_bar: got 12 bar; takes at most the relief setting of 9 bar",
            refusal(machine={"hand": "switch", "relief_bar": 9, "pump_bar": 12}),
        )
        lever = {"hand": "spring-lever", "top_bar": 5, "end_bar": 8}
        self.assertRegex(refusal(machine=lever), "^machine.*takes an end_bar no higher")


class Dials(unittest.TestCase):
    def test_espresso_lies_where_it_was_said_whichever_way_the_numbers_run(self) -> None:
        for bigger_is in ("coarser", "finer"):
            with self.subTest(bigger_is):
                dial = GrinderAnswer.model_validate(
                    {"bigger_is": bigger_is, "lowest": 2, "highest": 30, "espresso": 9}
                )
                settings, sizes = dial_of(dial)
                self.assertAlmostEqual(grind_um_at(settings, sizes, 9), 300, delta=1)
                coarser = grind_um_at(settings, sizes, 12) > grind_um_at(settings, sizes, 9)
                self.assertEqual(coarser, bigger_is == "coarser")

    def test_espresso_may_lie_at_either_end(self) -> None:
        for espresso in (0, 40):
            settings, sizes = dial_of(GrinderAnswer(espresso=espresso))
            self.assertEqual(settings, (0, 40))
            self.assertLess(sizes[0], sizes[1])

    def test_a_dial_that_cannot_be_is_refused_with_what_to_say_instead(self) -> None:
        self.assertIn(
            "grinder.espresso: got 50; takes a number from 0 to 40, as on the dial",
            refusal(grinder={"espresso": 50}),
        )
        self.assertIn("grinder.highest: got 3", refusal(grinder={"lowest": 5, "highest": 3}))


class Drinks(unittest.TestCase):
    def test_a_drink_that_no_cup_holds_is_refused(self) -> None:
        self.assertIn("drink.ratio", refusal(basket={"dose_g": 30}, drink={"ratio": 20}))

    def test_the_drink_follows_the_dose(self) -> None:
        said = Answers.model_validate({"basket": {"dose_g": 16}, "drink": {"ratio": 2.5}})
        self.assertEqual((said.dose_g, said.yield_g), (16, 40))
        self.assertEqual((Answers().dose_g, Answers().yield_g), (18, 36))
