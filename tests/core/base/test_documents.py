"""Documents: nothing is dropped on a round trip, nothing changes under one's hands."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.core.strategies import MACHINES, SETUPS, STOPS, phases
from tests.factories import pressure, profile
from vapocline.core.machine.machine import Machine, Spring, SpringLever, ValveAhead
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.plan import BUILT_IN, Plan, Setup

TABLE = ValveAhead(pump_bar=9, turns=(0, 1), free_flow_ml_s=(0, 3))
SPRINGS = SpringLever(springs=(Spring(top_bar=8, end_bar=4),))
STORABLE = st.text(st.characters(exclude_characters="\x00", codec="utf-8"), max_size=5)
WORDS = st.dictionaries(
    st.text("abcdefgh_", min_size=9, max_size=12), st.integers() | STORABLE, max_size=3
)


class RoundTrips(unittest.TestCase):
    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(setup=SETUPS, parts=st.lists(phases(), max_size=4), stop=STOPS, more=WORDS)
    def test_any_plan_comes_back_the_same_with_what_it_does_not_know(
        self, setup: Setup, parts: list[dict], stop: dict, more: dict
    ) -> None:
        first = Profile.model_validate({"name": "Any", "phases": parts, "stop": stop} | more)
        self.assertEqual(first.model_extra, more)
        one = Plan(setup=setup, profile=first)
        again = Plan.model_validate(one.written())
        self.assertEqual(again, one)
        self.assertEqual(again.written(), one.written())
        self.assertEqual(Plan.model_validate_json(one.model_dump_json(by_alias=True)), one)

    @settings(max_examples=40, deadline=None, derandomize=True)
    @given(machine=MACHINES)
    def test_any_machine_comes_back_the_same(self, machine: Machine) -> None:
        self.assertEqual(Machine.model_validate(machine.written()), machine)

    def test_unknown_fields_join_those_an_older_document_kept_aside(self) -> None:
        document = profile(pressure(9)).written() | {"version": 1, "extra": {"old": 1}, "new": 2}
        self.assertEqual(Profile.model_validate(document).model_extra, {"old": 1, "new": 2})


class Frozen(unittest.TestCase):
    def test_a_document_never_changes(self) -> None:
        one = profile(pressure(9))
        with self.assertRaisesRegex(ValidationError, "frozen"):
            one.name = "Other"  # type: ignore[misc]

    def test_names_are_trimmed_and_have_a_length(self) -> None:
        self.assertEqual(Profile(name="  Mine  ").name, "Mine")
        for name in ("", "   ", "x" * 61):
            with self.assertRaises(ValidationError):
                Profile(name=name)

    def test_there_is_an_end_to_phases_exits_and_notes(self) -> None:
        many = [pressure(9)] * 25
        with self.assertRaises(ValidationError):
            profile(*many)
        with self.assertRaises(ValidationError):
            Profile(name="Long", note="x" * 4001)

    def test_the_built_in_machine_is_known_by_name(self) -> None:
        self.assertEqual(Setup(dose_g=18, machine="reference").machine, BUILT_IN["reference"])
        with self.assertRaisesRegex(ValidationError, "machine"):
            Setup(dose_g=18, machine="elsewhere")
