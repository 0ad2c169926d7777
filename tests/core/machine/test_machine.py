"""Machines: what they are, what they take, and what of a profile they cannot do."""

from __future__ import annotations

import unittest

from pydantic import ValidationError

from tests.core.base.test_documents import SPRINGS, TABLE
from tests.core.plan.test_translation import (
    BENCH,
    BY_NAME,
    FALLING,
    LEVER,
    LOW,
    STAGED,
    TOLD,
    planned,
)
from tests.factories import flow, off, phase, pressure, profile, seconds, valve
from vapocline.core.base.problems import Refused
from vapocline.core.machine.commands import commands_of
from vapocline.core.machine.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    SoftStart,
    Spring,
    SpringLever,
    ValveAhead,
)
from vapocline.core.plan.translate.fixes import able, effects, fix_context
from vapocline.core.plan.translate.misfits import misfits
from vapocline.core.profile.profile import ForceCommand, Profile


class Machines(unittest.TestCase):
    def test_each_kind_takes_its_own_commands(self) -> None:
        expected = (
            (PressureLoop(), ("pressure", "off")),
            (FlowLoop(), ("flow", "off")),
            (BothLoops(), ("pressure", "flow", "off")),
            (TABLE, ("valve", "off")),
            (SPRINGS, ("pressure", "spring", "off")),
            (HandLever(), ("force", "off")),
            (SoftStart(), ("pressure", "off")),
        )
        for control, commands in expected:
            with self.subTest(control.kind):
                self.assertEqual(commands_of(Machine(name="M", control=control)), commands)

    def test_a_valves_table_has_two_rising_positions_and_as_many_flows(self) -> None:
        for turns, flows in (((0,), (0,)), ((0, 1), (0,)), ((1, 0), (0, 3)), ((0, 1), (3, 0))):
            with self.subTest(turns=turns, flows=flows), self.assertRaises(ValidationError):
                ValveAhead(pump_bar=9, turns=turns, free_flow_ml_s=flows)

    def test_a_spring_never_presses_harder_at_its_end(self) -> None:
        with self.assertRaisesRegex(ValidationError, "spring"):
            Spring(top_bar=4, end_bar=8)
        for springs in ((), (Spring(top_bar=8, end_bar=4),) * 3):
            with self.assertRaises(ValidationError):
                SpringLever(springs=springs)

    def test_an_unknown_kind_of_control_is_refused(self) -> None:
        with self.assertRaisesRegex(ValidationError, "steam"):
            Machine.model_validate({"name": "M", "control": {"kind": "steam"}})


class Commands(unittest.TestCase):
    def test_a_command_is_reported_by_its_control(self) -> None:
        document = profile(flow(2, 4)).written()
        command = document["phases"][0]["command"]
        self.assertEqual(command, {"control": "flow", "from": 2.0, "to": 4.0})
        del command["to"]
        with self.assertRaisesRegex(ValidationError, "Field required"):
            Profile.model_validate(document)


class Checking(unittest.TestCase):
    def fields(self, one: Profile, machine: Machine) -> list[str]:
        return [misfit.field for misfit in misfits(one, machine)]

    def test_each_misfit_says_where_why_and_what_would_mend_it(self) -> None:
        found = misfits(FALLING, STAGED)
        self.assertEqual(
            [one.field for one in found],
            ["phases.0.command.control", "phases.0.exits.0.when", "phases.1.over", "phases.3.over",
             "phases.3.limit.flow_ml_s"],
        )  # fmt: skip
        for one in found:
            self.assertIn("Semaphore", one.takes)
            self.assertTrue(one.got)
            self.assertTrue(one.fix)

    def test_a_profile_fits_the_machine_it_was_made_for(self) -> None:
        for name, one in TOLD.items():
            with self.subTest(name):
                self.assertEqual(self.fields(one, BY_NAME[name]), [])

    def test_a_move_refused_at_both_its_ends_is_one_misfit(self) -> None:
        (found,) = misfits(profile(pressure(10, 12, over=5)), BENCH)[:1]
        self.assertEqual((found.field, found.got), ("phases.0.command.to", "12"))
        found, *others = misfits(profile(pressure(10.5, 12, over=5)), BENCH)
        self.assertEqual((found.field, found.got), ("phases.0.command.from", "10.5 to 12"))
        self.assertEqual(others, [])

    def test_effects_are_reported_where_the_rest_can_run_too(self) -> None:
        found = dict(effects(FALLING, fix_context(planned(FALLING, LOW))))
        self.assertEqual(set(found), {one.field for one in misfits(FALLING, LOW)} | {""})
        lever = dict(effects(FALLING, fix_context(planned(FALLING, LEVER))))
        self.assertIn("", lever)
        self.assertGreater(lever[""].distance, 1)
        self.assertEqual(effects(TOLD["Low Tide"], fix_context(planned(TOLD["Low Tide"], LOW))), [])

    def test_numbers_off_the_steps_are_reported_with_the_nearest(self) -> None:
        (found,) = misfits(profile(pressure(8.7)), LOW)
        self.assertEqual((found.field, found.got), ("phases.0.command.from", "8.7"))
        self.assertEqual(found.fix, "round to 8.5")

    def test_too_many_stages_a_pause_and_a_water_axis(self) -> None:
        many = profile(*(pressure(5, None, seconds(3)) for _ in range(6)))
        self.assertEqual(self.fields(many, STAGED), ["phases"])
        self.assertEqual(
            self.fields(profile(off(seconds(5)), pressure(9)), STAGED), ["phases.0.command.control"]
        )
        along = profile(pressure(4, 8, over=20, along="water"))
        roomy = LOW.model_copy(
            update={"program": LOW.program.model_copy(update={"along": ("time",)})}
        )
        self.assertEqual(self.fields(along, roomy), ["phases.0.along"])

    def test_a_profile_of_no_one_machine_is_refused(self) -> None:
        with self.assertRaisesRegex(Refused, "one kind of machine"):
            able(profile(valve(1, seconds(5)), phase(ForceCommand(from_=9, to=9))), BENCH)
