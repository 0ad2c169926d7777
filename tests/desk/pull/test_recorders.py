"""Recorders that lose their lock, and others that are after it: nothing is lost, nothing twice."""

from __future__ import annotations

import threading
import unittest
from collections.abc import Callable
from itertools import count
from typing import ClassVar

import numpy as np
from sqlalchemy import text

from tests.desk.pull.test_odd_machines import WHOLE, OddMachine
from tests.factories import EVERY_CHECK, held_on
from tests.marks import exhaustive
from tests.parts import PATIENCE_S, context_on_fresh_database, elsewhere, sample_world, wait_for
from tests.scripted import samples
from vapocline.core.base.problems import VapoclineError
from vapocline.core.formats.trace_csv import traces_from_csv
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.exchange.traces import write_traces
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.lock import RecordingLock
from vapocline.desk.pull.orders import OrderGiven, close_record, give_order
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.resume import resume_recordings
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.read.shots import Shot, read_shot
from vapocline.desk.shelf.machines import list_machines
from vapocline.store import shots

MACHINES = 6
STEP_S = 0.05  # between samples
CUTS, EVERY_S = 5, 0.4
CUT_LOCKS = "select pg_terminate_backend(pid) from pg_locks where classid = :kind and granted"
CUT_ALL = (
    "select pg_terminate_backend(pid) from pg_stat_activity"
    " where datname = current_database() and pid <> pg_backend_pid()"
)


def on_each_machine(context: Context, count_of: int, time_s: float) -> list[int]:
    """A shot begun on each of so many machines; their numbers."""
    begun = []
    for machine in list_machines(context)[:count_of]:
        made = start_profile(
            context, NewProfile(name=f"On {machine.name}", profile=held_on(machine, time_s))
        )
        change_bench(context, BenchChange(machine_id=machine.id))
        asked = PullRequest(profile_id=made.profile_id, number=1, despite=EVERY_CHECK)
        begun.append(begin_pull(context, asked))
    return begun


class SixAtOnce(unittest.TestCase):
    """Six shots, whose recorders are cut off again and again, while two applications look for
    shots that nobody records."""

    context: ClassVar[Context]

    def setUp(self) -> None:
        self.context = self.enterContext(
            context_on_fresh_database(speed=4, template=sample_world())
        )
        self.over = threading.Event()
        self.addCleanup(self.over.set)

    def beside(self, work: Callable[[], object]) -> None:
        """Do something over and over until the shots are over."""

        def run() -> None:
            while not self.over.wait(EVERY_S):
                try:
                    work()
                except VapoclineError:
                    continue

        thread = threading.Thread(target=run, daemon=True)
        thread.start()
        self.addCleanup(thread.join, PATIENCE_S)
        self.addCleanup(self.over.set)

    def cut(self, statement: str) -> None:
        with self.context.resources.engine.begin() as connection:
            connection.execute(text(statement), {"kind": shots.RECORDING})

    def whole(self, number: int) -> Shot:
        """A shot, which is complete, and whose own CSV can be read back."""
        wait_for(lambda: read_shot(self.context, number).state != "running", f"shot {number}")
        shot = read_shot(self.context, number)
        self.assertEqual((shot.state, shot.trouble), ("done", None))
        steps = np.diff(shot.traces.time_s)
        self.assertEqual(int(np.round(steps / STEP_S - 1).sum()), 0, "lost or twice")
        self.assertTrue((steps > STEP_S / 2).all(), "twice")
        kinds = [event.kind for event in shot.events]
        self.assertEqual((kinds.count("stopped"), kinds.count("phase_began")), (1, 1))
        back = traces_from_csv(write_traces(self.context, number))
        self.assertEqual(back.time_s.size, len(shot.traces.time_s))
        return shot

    def test_their_locks_connections_are_cut_again_and_again(self) -> None:
        self.cut_off(CUT_LOCKS)

    @exhaustive
    def test_every_connection_is_cut_again_and_again(self) -> None:
        self.cut_off(CUT_ALL)

    def cut_off(self, statement: str) -> None:
        other = elsewhere(self.context, self.context.resources.simulators)
        self.beside(lambda: resume_recordings(self.context.resources))
        self.beside(lambda: resume_recordings(other.resources))
        running = on_each_machine(self.context, MACHINES, 14)
        done, cuts = threading.Event(), count()

        def cut() -> None:
            if next(cuts) < CUTS:
                self.cut(statement)
            else:
                done.set()

        self.beside(cut)
        self.assertTrue(done.wait(PATIENCE_S))
        for number in running:
            self.whole(number)


class LostLocks(OddMachine):
    def recorded(self) -> tuple[int, RecordingLock]:
        """A shot of which thirty samples came, and the lock of its recorder."""
        self.machine(samples(30))
        number = begin_pull(self.context, self.request(name=f"Lost {next(self.numbers)}"))
        ours = self.context.resources.recordings[number]
        wait_for(lambda: len(self.shot(number).traces.time_s) == 30, "samples")
        return number, ours.lock

    def finish(self, number: int) -> Shot:
        close_record(self.context, number)
        return self.over(number)

    def test_a_lock_that_our_own_lost_connection_holds_is_taken_from_it(self) -> None:
        """The network was cut: the server goes on believing in the old connection."""
        number, lock = self.recorded()
        old, lock._connection = lock._connection, None
        self.addCleanup(old.close)
        self.addCleanup(old.invalidate)
        give_order(self.context, number, OrderGiven(do="stop"))
        self.context.resources.recordings[number].note(self.shot(number).events[0].model_copy())
        shot = self.finish(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("incomplete", 30))

    def test_one_whose_shot_was_taken_up_elsewhere_writes_nothing_more(self) -> None:
        number, lock = self.recorded()
        ours = self.context.resources.recordings[number]
        other = RecordingLock(self.context.resources.engine)
        self.addCleanup(other.release)
        lock.release()
        with other.session() as session:
            wait_for(lambda: other.take(session, number), "the lock to be free")
            session.commit()
        ours.note(ours_event := self.shot(number).events[0])
        ours.closed_by_hand = True
        ours.machine.close()
        self.assertTrue(ours.over.wait(PATIENCE_S))
        self.assertEqual(self.shot(number).events.count(ours_event), 1)
        self.assertNotIn(number, self.context.resources.recordings)
        other.release()
        resume_recordings(self.context.resources)
        self.finish(number)

    def test_a_shot_that_this_process_records_is_not_taken_up_again(self) -> None:
        number, lock = self.recorded()
        ours = self.context.resources.recordings[number]
        lock.release()
        self.assertEqual(resume_recordings(self.context.resources), [])
        self.assertIs(self.context.resources.recordings[number], ours)
        self.assertNotIn("recording_resumed", [e.kind for e in self.finish(number).events])

    def test_a_message_the_machine_has_lost_is_done_without(self) -> None:
        missing = [one for one in WHOLE if b'"seq": 20,' not in one]
        machine = self.machine(missing)
        machine.by_number = True
        number = begin_pull(self.context, self.request(name="Missing"))
        shot = self.over(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 79))
