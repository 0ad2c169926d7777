"""The database refuses, is away, or its answer is lost: no sample is lost, none doubled."""

from __future__ import annotations

import contextlib
import dataclasses
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

import numpy as np
import orjson
from psycopg import sql
from sqlalchemy import text

from tests.desk.pull.test_odd_machines import WHOLE, OddMachine
from tests.desk.pull.test_pull import LONG
from tests.parts import administer, wait_for
from tests.scripted import ScriptedMachine, samples
from vapocline.core.base.problems import UnavailableError
from vapocline.core.machine.machine import Machine
from vapocline.core.shot.events import Marked, events_of
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.pull import keeping
from vapocline.desk.pull.ending import stop_all
from vapocline.desk.pull.lock import RecordingLock
from vapocline.desk.pull.orders import OrderGiven, close_record, give_order
from vapocline.desk.pull.resume import resume_recordings
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.desk.shelf.machines import add_machine
from vapocline.store import journal


class WithAFolder(OddMachine):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(TemporaryDirectory()))
        was = self.context
        resources = dataclasses.replace(was.resources, unsaved=self.folder)
        self.context = dataclasses.replace(was, resources=resources)

    def take_away(self) -> None:
        """The database is gone for whoever connects."""
        self.allow(False)
        name = str(self.context.resources.engine.url.database)
        kick = "select pg_terminate_backend(pid) from pg_stat_activity where datname = {}"
        administer(sql.SQL(kick).format(sql.Literal(name)))

    def allow(self, connections: bool) -> None:
        name = sql.Identifier(str(self.context.resources.engine.url.database))
        allow = sql.SQL("alter database {} with allow_connections {}")
        administer(allow.format(name, sql.Literal(connections)))

    @contextlib.contextmanager
    def away(self) -> Iterator[None]:
        self.take_away()
        try:
            yield
        finally:
            self.allow(True)

    def files(self) -> list[str]:
        return sorted(path.suffix for path in self.folder.iterdir())


class Away(WithAFolder):
    def test_what_stays_unsaved_goes_into_a_file_and_is_taken_in_at_the_next_start(self) -> None:
        machine = self.machine(samples(30))
        number = begin_pull(self.context, self.request())
        ours = wait_for(lambda: self.context.resources.recordings.get(number), "the recorder")
        wait_for(lambda: ours.heard == 30, "samples")
        with self.away(), patch.object(keeping, "DATABASE_WAIT_S", 0.5):
            machine.said, machine.hangs_up = WHOLE, True
            ours.machine.close()
            self.assertTrue(ours.over.wait(90))
            self.assertEqual(self.files(), [".unsaved"])
        self.assertEqual(self.shot(number).state, "running", "it is not said to be over")
        self.assertEqual(resume_recordings(self.context.resources), [])
        shot = self.over(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 80))
        self.assertEqual(self.files(), [])

    def test_a_file_of_a_shot_that_is_over_is_taken_in_where_it_belongs(self) -> None:
        shot, _ = self.pulled(WHOLE)
        late = {name: [values[10]] for name, values in shot.traces.model_dump().items()}
        with self.context.sessions.begin() as session:
            session.execute(text("update shots set time_s[11] = 99 where id = :n"), {"n": shot.id})
        batch = {"number": 99, "columns": late, "events": [], "heard": 11, "made_at": None}
        (self.folder / f"shot-{shot.id}.unsaved").write_bytes(orjson.dumps(batch))
        resume_recordings(self.context.resources)
        times = self.shot(shot.id).traces.time_s
        self.assertEqual(times, sorted(times))
        self.assertIn(late["time_s"][0], times)

    def test_a_file_that_cannot_be_read_is_kept_and_stops_nothing(self) -> None:
        (self.folder / "shot-404.unsaved").write_bytes(b'{"number": 1}')
        resume_recordings(self.context.resources)
        self.assertEqual(self.files(), [".unreadable"])


class Refusing(WithAFolder):
    def test_a_batch_the_database_refuses_goes_into_a_file_and_the_rest_is_kept(self) -> None:
        write, refused = journal.write, []

        def refuse_one(session, shot_id, batch):  # type: ignore[no-untyped-def]
            if batch.number == 1 and not refused:
                refused.append(batch)
                session.execute(text("select 1/0"))
            write(session, shot_id, batch)

        with patch.object(journal, "write", refuse_one):
            shot, _ = self.pulled(WHOLE)
        self.assertEqual((shot.state, self.files()), ("done", [".unsaved"]))
        resume_recordings(self.context.resources)
        self.assertEqual(len(self.shot(shot.id).traces.time_s), 80)

    def test_a_batch_whose_answer_was_lost_is_kept_once(self) -> None:
        transaction, lost = RecordingLock.transaction, []

        @contextlib.contextmanager
        def lose_one(lock):  # type: ignore[no-untyped-def]
            with transaction(lock) as session:
                yield session
            if not lost:
                lost.append(1)
                lock.release()
                raise UnavailableError("kept, but nobody heard so")

        with patch.object(RecordingLock, "transaction", lose_one):
            shot, _ = self.pulled(WHOLE)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 80))
        self.assertEqual(len([e for e in shot.events if e.kind == "stopped"]), 1)


class ManyOrders(WithAFolder):
    speed = 4.0

    def test_ninety_orders_while_the_database_is_away_cost_neither_a_sample_nor_an_event(
        self,
    ) -> None:
        number = self.running(self.request(LONG))
        ours = self.context.resources.recordings[number]
        with self.away():
            wait_for(lambda: ours.failed_at > 0, "the database to be missed")
            for _ in range(90):
                give_order(self.context, number, OrderGiven(do="mark", mark="blond"))
            give_order(self.context, number, OrderGiven(do="stop"))
            wait_for(lambda: ours.stop_s is not None, "the stop")
        shot = self.over(number)
        self.assertEqual(len(list(events_of(shot.events, Marked))), 90)
        self.assertEqual(shot.state, "done")
        self.assertEqual(set(np.round(np.diff(shot.traces.time_s), 3)), {0.05})


class TwoPumps(WithAFolder):
    def test_every_pump_is_stopped_when_the_application_ends_while_the_database_is_away(
        self,
    ) -> None:
        machines = [self.machine(samples(30))]
        numbers = [begin_pull(self.context, self.request(name="First"))]
        second = add_machine(self.context, Machine(name="Second")).id
        machines.append(self.enterContext(contextlib.closing(ScriptedMachine(samples(30)))))
        write_connections(self.context, second, Connections(machine=machines[1].address))
        change_bench(self.context, BenchChange(machine_id=second))
        numbers.append(begin_pull(self.context, self.request(name="Second")))
        recordings = self.context.resources.recordings
        ours = [wait_for(lambda n=n: recordings.get(n), "a recorder") for n in numbers]
        wait_for(lambda: [one.heard for one in ours] == [30, 30], "samples")
        with self.away():
            for number, machine in zip(numbers, machines, strict=True):
                with self.assertRaises(UnavailableError, msg="the database is away"):
                    self.shot(number)
                self.assertEqual(machine.given("stop"), 0)
            stop_all(self.context.resources)
            self.assertEqual([machine.given("stop") for machine in machines], [1, 1])
        for number in numbers:
            close_record(self.context, number)
            self.assertEqual(len(self.over(number).traces.time_s), 30)


class Unreadable(OddMachine):
    def test_a_shot_that_cannot_be_taken_up_is_ended_and_keeps_no_other_from_it(self) -> None:
        whole, _ = self.pulled(WHOLE)
        other, machine = self.pulled(WHOLE)
        for number, plan in ((whole.id, ", plan = '{}'"), (other.id, "")):
            again = f"update shots set state = 'running', token = :token{plan} where id = :n"
            with self.context.sessions.begin() as session:
                session.execute(text(again), {"n": number, "token": machine.shot})
        resume_recordings(self.context.resources)
        self.over(other.id)
        with self.context.sessions() as session:
            found = session.execute(
                text("select state, trouble from shots where id = :n"), {"n": whole.id}
            ).one()
        self.assertEqual(found.state, "incomplete")
        self.assertIn("cannot be read", found.trouble)
