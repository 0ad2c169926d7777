"""Stored documents can be read by every later version: fixtures of each version stay frozen."""

from __future__ import annotations

import copy
import json
import unittest
from pathlib import Path
from typing import Any, get_args

from sqlalchemy.dialects.postgresql import JSONB

from tests.factories import plan, pressure, profile
from vapocline.core.base.document import UNKNOWN_CHARACTERS, UNKNOWN_DEPTH
from vapocline.core.base.problems import Refused
from vapocline.core.formats.registry import CODECS, EVENT, PLAN, PROFILE, Codec
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.events import EVENT_KINDS, Event
from vapocline.store.tables import Base

FIXTURES = Path(__file__).parent / "fixtures"
# What each column of documents is read with; the journal's columns are arrays, not a document.
STORED = {
    "benches.goals": "vapocline/goals",
    "benches.puck": "vapocline/plan",
    "calibrations.document": "vapocline/calibration",
    "guided_runs.wanted": "vapocline/guided-run",
    "knowledge.learnt": "vapocline/learnt",
    "machines.document": "vapocline/machine",
    "profile_versions.document": "vapocline/profile",
    "series.tolerance": "vapocline/tolerance",
    "shot_events.document": "vapocline/event",
    "shots.conditions": "vapocline/conditions",
    "shots.plan": "vapocline/plan",
    "shots.prediction": "vapocline/prediction",
    "taste_targets.document": "vapocline/taste-target",
}
NO_DOCUMENT = {
    "shot_journal.columns", "shot_journal.events",  # gone when the shot is over
    "translations.asked", "translations.came",  # and when nobody waits any more
    "expectations.expected",  # numbers by line
}  # fmt: skip


def frozen(codec: Codec[Any], version: int) -> list[Any]:
    """Documents of a kind as a version wrote them."""
    name = codec.format.removeprefix("vapocline/")
    held = json.loads((FIXTURES / f"{name}.{version}.json").read_text())
    return held if codec is EVENT else [held]


class EveryVersion(unittest.TestCase):
    def test_each_kind_has_a_fixture_of_each_of_its_versions(self) -> None:
        wanted = {
            f"{codec.format.removeprefix('vapocline/')}.{version}.json"
            for codec in CODECS.values()
            for version in range(1, codec.version + 1)
        }
        self.assertEqual({file.name for file in FIXTURES.glob("*.json")}, wanted)

    def test_each_version_is_read_and_written_as_the_newest(self) -> None:
        for codec in CODECS.values():
            newest = frozen(codec, codec.version)
            for version in range(1, codec.version + 1):
                with self.subTest(codec.format, version=version):
                    read = [codec.read(document) for document in frozen(codec, version)]
                    self.assertEqual([codec.write(value) for value in read], newest)

    def test_reading_changes_nothing_of_what_was_stored(self) -> None:
        for codec in CODECS.values():
            for version in range(1, codec.version + 1):
                for document in frozen(codec, version):
                    before = copy.deepcopy(document)
                    codec.read(document)
                    self.assertEqual(document, before)

    def test_every_kind_of_event_is_among_the_fixtures(self) -> None:
        self.assertEqual({one["kind"] for one in frozen(EVENT, 1)}, set(EVENT_KINDS))
        union = get_args(get_args(Event)[0])
        self.assertEqual({one.model_fields["kind"].default for one in union}, set(EVENT_KINDS))

    def test_every_column_of_documents_has_a_codec(self) -> None:
        columns = {
            f"{table.name}.{column.name}"
            for table in Base.metadata.tables.values()
            for column in table.columns
            if isinstance(column.type, JSONB)
        }
        self.assertEqual(columns - NO_DOCUMENT, set(STORED))
        self.assertLessEqual(set(STORED.values()), set(CODECS))


class Refusing(unittest.TestCase):
    def test_a_later_version_is_refused_by_name(self) -> None:
        for codec in CODECS.values():
            document = frozen(codec, codec.version)[0] | {"version": codec.version + 1}
            with self.subTest(codec.format), self.assertRaises(Refused) as caught:
                codec.read(document)
            [problem] = caught.exception.problems
            self.assertIn("version", problem.field)
            self.assertEqual(problem.got, str(codec.version + 1))
            self.assertIn("a newer Vapocline may read this", problem.accepted)

    def test_a_version_that_is_none_is_refused(self) -> None:
        for version in ("2", 0, -1, True, 1.5, None):
            with self.subTest(version), self.assertRaisesRegex(Refused, "version"):
                PROFILE.read(frozen(PROFILE, 2)[0] | {"version": version})

    def test_a_document_of_another_kind_is_refused(self) -> None:
        with self.assertRaisesRegex(Refused, "vapocline/machine"):
            PROFILE.read({"format": "vapocline/machine", "version": 1, "name": "M"})
        for wrong in (None, 3, "profile"):
            with self.assertRaises(Refused):
                PROFILE.read(wrong)


class Unknown(unittest.TestCase):
    def test_fields_it_does_not_know_stay_where_they_are(self) -> None:
        document = plan(pressure(9)).written()
        document["colour"] = "green"
        document["setup"]["grinder_burrs_mm"] = 64
        document["profile"]["phases"][0]["command"]["knob"] = {"turn": [1, 2]}
        document["setup"]["machine"]["steps"]["lamp"] = True
        again = PLAN.write(PLAN.read(document))
        self.assertEqual(again, document)

    def test_what_version_1_kept_aside_is_put_back_in_its_place(self) -> None:
        document = frozen(PROFILE, 1)[0]
        self.assertEqual(document["phases"][0]["extra"], {"knob": 3})
        read = PROFILE.write(PROFILE.read(document))
        self.assertEqual(read["phases"][0]["knob"], 3)
        self.assertEqual(read["roaster_card"], {"yield_g": 38, "lot": "QF-7"})
        self.assertNotIn("extra", json.dumps(read))

    def refused(self, **unknown: object) -> str:
        with self.assertRaises(Refused) as caught:
            PROFILE.read(profile(pressure(9)).written() | unknown)
        return str(caught.exception)

    def test_they_are_bounded_in_depth_size_and_number(self) -> None:
        deep: object = 1
        for _ in range(UNKNOWN_DEPTH + 1):
            deep = [deep]
        self.assertIn("deep: got more than 8 levels", self.refused(deep=deep))
        self.assertIn("long:", self.refused(long="x" * (UNKNOWN_CHARACTERS + 1)))
        self.assertIn("wide:", self.refused(wide=list(range(3000))))
        self.assertIn("unknown fields", self.refused(**{f"field_{n}": n for n in range(41)}))
        self.assertIn("finite", self.refused(endless=float("inf")))
        self.assertIn("NUL", self.refused(nul="a\x00b"))

    def test_a_known_name_of_a_field_is_no_unknown_field(self) -> None:
        self.assertEqual(Profile.model_validate({"name": "Plain"}).model_extra, {})
