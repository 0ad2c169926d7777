"""A database as an earlier version left it: everything opens, compares and can be pulled again."""

from __future__ import annotations

import gzip
import unittest
from pathlib import Path
from typing import ClassVar

import psycopg

from tests.factories import EVERY_CHECK
from tests.parts import context_on_old_database
from vapocline.core.shot.events import (
    EVENT_KINDS,
    FirstDrip,
    Held,
    Marked,
    Nudged,
    PhaseBegan,
    Stopped,
    TakenOver,
    events_of,
    first_of,
)
from vapocline.core.shot.result import result_of
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import find_profile, read_history, read_version
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.resume import resume_recordings
from vapocline.desk.pull.start import pull
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.review import review_shot
from vapocline.desk.read.series import read_series
from vapocline.desk.read.shots import Shot, list_shots, read_shot, stored_traces
from vapocline.desk.shelf.calibrations import list_calibrations
from vapocline.desk.shelf.machines import list_machines
from vapocline.desk.shelf.slots import read_slots
from vapocline.desk.taste.compare import compare_shots
from vapocline.store import shots
from vapocline.store.database import transaction

DUMP = Path(__file__).parents[2] / "store" / "fixtures" / "database-0005.sql.gz"
NUDGED, LEVER, UNWIRED, RUNNING = 3, 4, 5, 6  # shots in it


class OfVersion0005(unittest.TestCase):
    """Restored once: what the tests change does not reach each other."""

    context: ClassVar[Context]

    @classmethod
    def setUpClass(cls) -> None:
        dump = gzip.decompress(DUMP.read_bytes()).decode()

        def restore(url: str) -> None:
            with psycopg.connect(url, autocommit=True) as connection:
                connection.execute(dump)  # type: ignore[call-overload]  # a file of ours

        cls.context = cls.enterClassContext(context_on_old_database(restore))

    def shot(self, number: int) -> Shot:
        return read_shot(self.context, number)

    def test_every_shot_opens_with_its_traces_events_prediction_and_tastings(self) -> None:
        for line in list_shots(self.context):
            shot = self.shot(line.id)
            self.assertGreater(len(shot.traces.time_s), 100, line.id)
            self.assertGreater(len(shot.prediction.series.time_s), 100)
            self.assertIsNotNone(shot.prediction.yield_g.value)
            self.assertTrue({event.kind for event in shot.events} <= set(EVENT_KINDS))
            self.assertIsNotNone(first_of(shot.events, PhaseBegan))
        self.assertEqual([len(self.shot(n).tastings) for n in (1, 2)], [1, 1])

    def test_figures_stand_under_their_new_names(self) -> None:
        shot = self.shot(NUDGED)
        self.assertEqual((shot.yield_g, shot.target_yield_g, shot.tds_pct), (37.4, 36, 9.1))
        self.assertEqual(shot.extraction_yield_pct, 18.8)

    def test_what_hands_did_is_reported_by_typed_events(self) -> None:
        events = self.shot(NUDGED).events
        [nudge] = events_of(events, Nudged)
        self.assertEqual((nudge.control, nudge.by, nudge.phase), ("pressure", 0.5, 2))
        self.assertEqual([one.mark for one in events_of(events, Marked)], ["spurt"])
        self.assertEqual(len(list(events_of(events, Held))), 1)
        self.assertEqual(next(events_of(events, TakenOver)).control, "pressure")
        stopped = first_of(events, Stopped)
        assert stopped
        self.assertEqual(stopped.reason, "cup_g")
        self.assertEqual(round(stopped.time_s, 1), self.shot(NUDGED).shot_time_s)
        told = first_of(self.shot(UNWIRED).events, FirstDrip)
        assert told
        self.assertEqual(told.seen_by, "hand")

    def test_events_can_be_asked_for_by_kind_in_the_database(self) -> None:
        with self.context.resources.engine.connect() as connection:
            found = connection.exec_driver_sql(
                "select shot_id, document->>'control' from shot_events where kind = 'nudged'"
            ).all()
        self.assertEqual(found, [(NUDGED, "pressure")])

    def test_a_shot_keeps_what_was_true_of_its_machine(self) -> None:
        self.assertEqual(
            [(s.simulated, s.wired, s.manual) for s in map(self.shot, (NUDGED, LEVER, UNWIRED))],
            [(True, True, False), (True, True, True), (False, False, True)],
        )
        conditions = self.shot(NUDGED).conditions
        self.assertEqual((conditions.tamped.dose_g, conditions.intended.dose_g), (18.1, 18))
        self.assertEqual(conditions.sources.dose_g, "unknown", "nobody wrote it down then")

    def test_the_flow_at_the_stop_is_worked_out_as_for_a_new_shot(self) -> None:
        found = 0
        with transaction(self.context.sessions) as session:
            for line in list_shots(self.context):
                row = shots.read_shot(session, line.id)
                stop_s, traces = row.shot_time_s, stored_traces(row)
                wanted = result_of(traces, stop_s=stop_s, dose_g=row.dose_g).last_flow_g_s
                if wanted is None:
                    self.assertIsNone(row.last_flow_g_s)
                else:
                    found += 1
                    self.assertAlmostEqual(row.last_flow_g_s or 0, wanted, places=6)
        self.assertGreaterEqual(found, 3)

    def test_they_compare_and_can_be_looked_back_on(self) -> None:
        compared = compare_shots(self.context, 1, 2).comparison
        self.assertTrue(compared.done)
        self.assertTrue(compared.cups)
        after = review_shot(self.context, NUDGED)
        dose = after.recipe[0]
        self.assertEqual((dose.planned, dose.done), ("18.0 g", "18.1 g"))
        assert after.correction
        self.assertTrue(after.correction.differences)
        self.assertIsNotNone(review_shot(self.context, LEVER).followed)

    def test_their_curves_are_read(self) -> None:
        for shot in (NUDGED, LEVER, UNWIRED):
            reading = read_reading(self.context, shot).reading
            self.assertRegex(reading.verdict, "shot|recording")
            self.assertTrue(reading.cannot_tell)

    def test_the_shelf_the_bench_and_the_series_are_as_they_were(self) -> None:
        bench = read_bench(self.context)
        self.assertEqual(bench.name, "Lantern Quay, bench 1")
        self.assertEqual([goal.figure for goal in bench.goals], ["shot_time_s"])
        self.assertEqual(bench.machine.after_drip_g, 1.267)
        self.assertEqual(len(list_machines(self.context)), 8)
        [kept] = list_calibrations(self.context, "machine", bench.machine.id)
        self.assertEqual(kept.what, "after-drip")
        self.assertEqual(read_slots(self.context, bench.machine.id).slots[1].name, "Quay fall")
        self.assertEqual(read_series(self.context, 1).tolerance.yield_g, 1.0)

    def test_what_the_earlier_version_did_not_know_is_in_its_place(self) -> None:
        quay = find_profile(self.context, "Quay fall")
        saved = read_version(self.context, quay, 3).profile
        self.assertEqual(saved.model_extra, {"roaster_card": {"lot": "QF-7", "yield_g": 38}})
        self.assertEqual(saved.phases[0].model_extra, {"knob": 3})
        self.assertEqual(len(read_history(self.context, quay).versions), 3)

    def test_a_stored_version_is_pulled_again(self) -> None:
        quay = find_profile(self.context, "Quay fall")
        request = PullRequest(profile_id=quay, number=3, despite=EVERY_CHECK, weighed_g=18.2)
        shot = self.shot(pull(self.context, request))
        self.assertEqual(shot.state, "done")
        self.assertEqual(shot.conditions.sources.dose_g, "weighed")
        self.assertEqual(shot.conditions.basket, "Straight 18")
        compare_shots(self.context, NUDGED, shot.id)

    def test_a_shot_that_ran_while_the_version_changed_is_closed_with_what_had_come(self) -> None:
        self.assertEqual(resume_recordings(self.context.resources), [RUNNING])
        shot = self.shot(RUNNING)
        self.assertEqual(shot.state, "incomplete")
        self.assertEqual(len(shot.traces.time_s), 200)
        self.assertEqual(
            [event.kind for event in shot.events],
            ["phase_began", "phase_began", "phase_began", "first_drip"],
        )
