"""Stored shots teach the bench: queued once, learnt once, used by the next forecast."""

from __future__ import annotations

import math

from sqlalchemy import select, text

from tests.desk.learn.at_bench import FLAT, NUMBERS, PRESSED, AtLearntBench, add
from vapocline.core.formats.registry import LEARNT, PREDICTION
from vapocline.core.puck.answer import Figure
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.exchange.documents import read_document
from vapocline.desk.learn.forecasts import read_forecast_record
from vapocline.desk.learn.learning import catch_up
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.pull.start import pull
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.read.shots import read_shot
from vapocline.desk.read.strength import Strength, measure
from vapocline.desk.shelf.machines import change_machine, plain_machine
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow


class Learning(AtLearntBench):
    def test_a_pull_is_queued_learnt_once_and_the_next_forecast_takes_it(self) -> None:
        before = forecast(self.context, PRESSED, members=32).prediction
        self.assertEqual((before.ranges, read_bench(self.context).learnt_shots), ("new", 0))
        self.assertFalse(self.learn())  # nothing there yet
        pressed = self.request(PRESSED)
        first = pull(self.context, pressed)
        second = pull(self.context, self.request(FLAT, "Flat six"))
        self.assertEqual(self.queued(), 1)
        self.assertTrue(self.learn())
        self.assertFalse(self.learn())  # the same is learnt once
        [kept] = self.stored()
        found = LEARNT.read(kept.learnt)
        self.assertEqual(found.counted, [str(first), str(second)])
        self.assertEqual((kept.state, read_bench(self.context).learnt_shots), ("accepted", 2))

        after = forecast(self.context, PRESSED, members=32).prediction
        self.assertEqual((after.ranges, after.learnt_shots), ("learnt", 2))
        measured = read_shot(self.context, first).shot_time_s
        assert measured is not None
        self.assertLess(
            abs((after.shot_time_s.value or 0) - measured),
            abs((before.shot_time_s.value or 0) - measured) + 0.5,
        )
        width = (after.shot_time_s.p90 or 0) - (after.shot_time_s.p10 or 0)
        self.assertLess(
            width, 0.7 * ((before.shot_time_s.p90 or 0) - (before.shot_time_s.p10 or 0))
        )

        third = pull(self.context, pressed)
        with transaction(self.context.sessions) as session:
            rows = {row.id: row for row in session.scalars(select(ShotRow))}
            self.assertEqual(rows[third].knowledge_id, kept.id)
            self.assertIsNone(rows[first].knowledge_id)
            # A forecast stored before its shot is never changed.
            self.assertEqual(PREDICTION.read(rows[first].prediction).ranges, "new")
        self.assertEqual(read_document(self.context, third).plan.setup.knowledge, found.knowledge)
        self.assertRegex(read_reading(self.context, third).reading.verdict, r"2\d\.\d g in \d+ s")

    def test_a_strength_or_a_shot_set_aside_is_learnt_from_again(self) -> None:
        request = self.request(PRESSED)
        first, second = (pull(self.context, request) for _ in range(2))
        self.assertTrue(self.learn())
        self.empty_the_queue()
        measure(self.context, second, Strength(tds_pct=9.2))
        self.assertEqual(self.queued(), 1)
        self.assertTrue(self.learn())
        self.assertEqual(LEARNT.read(self.stored()[-1].learnt).knowledge.strengths, 1)
        self.empty_the_queue()
        set_aside(self.context, first, SetAside(reason="spilt"))
        self.assertEqual(self.queued(), 1)
        self.assertTrue(self.learn())
        self.assertEqual(LEARNT.read(self.stored()[-1].learnt).counted, [str(second)])
        self.assertEqual(read_bench(self.context).learnt_shots, 1)
        set_aside(self.context, first, SetAside(reason=None))
        self.assertTrue(self.learn())
        self.assertEqual(read_bench(self.context).learnt_shots, 2)
        self.assertEqual(len(self.stored()), 3)  # the same as before is no other

    def test_after_a_calibration_it_is_learnt_again(self) -> None:
        """A head calibrated to be larger is not enlarged twice."""
        pull(self.context, self.request(PRESSED))
        self.assertTrue(self.learn())
        before = read_bench(self.context)
        assert before.knowledge
        head = before.machine.head_free_ml * math.exp(before.knowledge.of("head").mean)
        self.empty_the_queue()
        roomier = plain_machine(before.machine).model_copy(
            update={"head_free_ml": before.machine.head_free_ml * 1.3}
        )
        change_machine(self.context, before.machine.id, roomier)
        self.addCleanup(
            change_machine, self.context, before.machine.id, plain_machine(before.machine)
        )
        self.assertEqual(read_bench(self.context).learnt_shots, 0)
        self.assertEqual(self.queued(), 1)
        self.assertTrue(self.learn())
        after = read_bench(self.context)
        assert after.knowledge
        again = after.machine.head_free_ml * math.exp(after.knowledge.of("head").mean)
        self.assertLess(abs(math.log(again / head)), 0.2)
        self.assertLess(after.knowledge.of("head").mean, before.knowledge.of("head").mean)

    def test_forecasts_are_held_against_what_happened(self) -> None:
        self.assertEqual(read_forecast_record(self.context).lines, [])
        request = self.request(PRESSED)
        first = pull(self.context, request)
        self.learn()
        second = pull(self.context, request)
        set_aside(self.context, pull(self.context, request), SetAside(reason="spilt"))
        record = read_forecast_record(self.context)
        self.assertEqual([one.shot_id for one in record.lines], [second, first])
        self.assertEqual([one.learnt_shots for one in record.lines], [1, 0])
        narrow, wide = (one.p90 - one.p10 for one in record.lines)
        self.assertLess(narrow, wide)
        self.assertEqual(record.within, sum(one.within for one in record.lines))
        self.assertEqual(record.lines[1].measured, read_shot(self.context, first).shot_time_s)
        with transaction(self.context.sessions) as session:  # as if a hand had stopped it
            stop = 'update shot_events set document = document || \'{"reason": "hand"}\' '
            where = "where kind = 'stopped' and shot_id = :shot"
            session.execute(text(stop + where), {"shot": first})
        left = read_forecast_record(self.context).lines
        self.assertEqual([one.shot_id for one in left], [second])

    def test_shots_of_before_anything_learnt_are_caught_up_with(self) -> None:
        pull(self.context, self.request(PRESSED))
        self.empty_the_queue()
        catch_up(self.context.resources)
        catch_up(self.context.resources)
        self.assertEqual(self.queued(), 1)
        self.learn()
        self.empty_the_queue()
        catch_up(self.context.resources)
        self.assertEqual(self.queued(), 0)

    def test_a_shot_that_cannot_be_read_keeps_no_other_from_teaching(self) -> None:
        request = self.request(PRESSED)
        broken, whole = (pull(self.context, request) for _ in range(2))
        with transaction(self.context.sessions) as session:
            row = session.get_one(ShotRow, broken)
            row.conditions = {"format": "vapocline/conditions", "version": 99}
        with self.assertLogs("vapocline.desk.learn.learning", "ERROR"):
            self.assertTrue(self.learn())
        self.assertEqual(LEARNT.read(self.stored()[-1].learnt).counted, [str(whole)])

    def test_on_another_grinder_only_what_is_the_houses_is_known(self) -> None:
        request = self.request(PRESSED)
        for _ in range(2):
            pull(self.context, request)
        self.learn()
        other = add(self.context, f"Other {next(NUMBERS)}")
        own = read_bench(self.context).knowledge
        bench = change_bench(self.context, BenchChange(grinder_id=other[1]))
        self.assertEqual((bench.learnt_shots, bench.knowledge_id), (0, None))
        assert own
        assert bench.knowledge
        self.assertGreaterEqual(bench.learnt_others, 1)
        # The machine is the same; how this grinder's puck passes water is hardly known.
        self.assertGreater(bench.knowledge.of("permeability").sd, 2 * own.of("permeability").sd)
        answer = forecast(self.context, PRESSED, members=64).prediction
        self.assertEqual((answer.ranges, answer.learnt_shots), ("learnt", 0))


def width(figure: Figure) -> float:
    return (figure.p90 or 0.0) - (figure.p10 or 0.0)
