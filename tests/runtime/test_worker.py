"""Workers share one queue: what is asked is learnt once, what a dead one had begun is taken up."""

from __future__ import annotations

import asyncio
import contextlib
import os
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

from sqlalchemy import func, select, text

from tests.desk.learn.at_bench import PRESSED, add, fits_of, queued
from tests.desk.pull.test_pull import AtBench
from tests.parts import PATIENCE_S, url_of, wait_for
from vapocline.core.base.cancellation import check_cancelled
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Resources
from vapocline.desk.learn.taught import ask_again, read_taught
from vapocline.desk.plan.translation import (
    Done,
    Failed,
    Progress,
    TranslationAsked,
    ask_translation,
    follow_translation,
    work_out_translation,
)
from vapocline.desk.pull.start import pull
from vapocline.runtime.worker import work
from vapocline.store import queue, shots
from vapocline.store.database import transaction
from vapocline.store.learn import cancel_job, together_in
from vapocline.store.live import LiveNews
from vapocline.store.tables import TranslationRow

WORKER = [sys.executable, "-m", "vapocline.cli", "worker"]


def on(url: str) -> dict[str, str]:
    """The environment of a worker for a database."""
    return os.environ | {"VAPOCLINE_DATABASE_URL": url}


@contextlib.contextmanager
def worker(url: str, resources: Resources) -> Iterator[None]:
    """A worker in a thread of its own, as it runs in a process of its own."""
    loop = asyncio.new_event_loop()
    task = loop.create_task(work(url, resources))

    def run() -> None:
        with contextlib.suppress(asyncio.CancelledError):
            loop.run_until_complete(task)
        loop.close()

    thread = threading.Thread(target=run, name="worker")
    thread.start()
    try:
        yield
    finally:
        loop.call_soon_threadsafe(task.cancel)
        thread.join()


class Workers(AtBench):
    def setUp(self) -> None:
        super().setUp()
        coffee, grinder = add(self.context, self._testMethodName[5:50])
        change_bench(self.context, BenchChange(coffee_id=coffee, grinder_id=grinder))
        self.coffee = coffee

    def test_two_workers_learn_a_shot_once(self) -> None:
        url, resources = url_of(self.context), self.context.resources
        with worker(url, resources), worker(url, resources):
            pull(self.context, self.request(PRESSED))
            wait_for(lambda: queued(self.context) == 0, "the queue to be empty")
        self.assertEqual(fits_of(self.context, self.coffee), 1)

    def test_what_a_dead_worker_had_begun_is_taken_up(self) -> None:
        pull(self.context, self.request(PRESSED))
        with transaction(self.context.sessions) as session:  # killed in the middle of it
            session.execute(
                text(
                    "with dead as (insert into procrastinate_workers (last_heartbeat) "
                    "values (now() - interval '1 hour') returning id) "
                    "update procrastinate_jobs set status = 'doing', worker_id = dead.id from dead"
                )
            )
        with worker(url_of(self.context), self.context.resources):
            wait_for(lambda: fits_of(self.context, self.coffee) == 1, "what was begun")
            wait_for(lambda: queued(self.context) == 0, "the queue to be empty")

    def test_a_job_that_cannot_be_read_fails_is_shown_and_keeps_no_other_from_being_done(
        self,
    ) -> None:
        number = pull(self.context, self.request(PRESSED))
        with transaction(self.context.sessions) as session:
            session.execute(
                text("update procrastinate_jobs set args = 'null' where queue_name = 'learning'")
            )
            together = together_in(shots.read_shot(session, number))
            assert together
        with worker(url_of(self.context), self.context.resources):
            wait_for(lambda: read_taught(self.context, together).job == "failed", "the failure")
            again = ask_again(self.context, together)
            self.assertIn(again.job, ("waits", "runs"))
            wait_for(lambda: fits_of(self.context, self.coffee) == 1, "learning after all")
            wait_for(lambda: read_taught(self.context, together).job is None, "the queue")

    def test_a_poisoned_job_that_comes_while_it_works_brings_no_worker_down(self) -> None:
        with worker(url_of(self.context), self.context.resources):
            with transaction(self.context.sessions) as session:
                session.execute(text(
                    "insert into procrastinate_jobs (queue_name, task_name, args, queueing_lock)"
                    " values ('learning', 'learn', 'null', 'poison')"
                ))  # fmt: skip
            pull(self.context, self.request(PRESSED))
            wait_for(lambda: fits_of(self.context, self.coffee) == 1, "the shot to be learnt from")
            wait_for(lambda: queued(self.context) == 0, "the queue to be empty")
        with transaction(self.context.sessions) as session:
            self.assertEqual(queue.state_of(session, "poison"), "failed")

    def test_what_is_called_off_while_it_runs_ends_and_leaves_nothing(self) -> None:
        begun, ended = threading.Event(), threading.Event()

        def endless(*_asked: object) -> None:
            begun.set()
            try:
                while True:
                    check_cancelled()
                    begun.wait(0.01)
            finally:
                ended.set()

        with (
            mock.patch("vapocline.runtime.worker.learn_together", endless),
            worker(url_of(self.context), self.context.resources),
        ):
            number = pull(self.context, self.request(PRESSED))
            self.assertTrue(begun.wait(PATIENCE_S))
            with transaction(self.context.sessions) as session:
                together = together_in(shots.read_shot(session, number))
                assert together
                cancel_job(session, together)
            self.assertTrue(ended.wait(PATIENCE_S))
            wait_for(lambda: queued(self.context) == 0, "the queue to be empty")
        self.assertEqual(fits_of(self.context, self.coffee), 0)

    def test_a_translation_is_worked_out_by_any_worker_and_leaves_nothing(self) -> None:
        asked = TranslationAsked(profile=PRESSED, machine_id=self.first)
        number = ask_translation(self.context, asked)
        with worker(url_of(self.context), self.context.resources):
            *nearer, end = self.followed(number)
        assert isinstance(end, Done)
        self.assertTrue(all(isinstance(line, Progress) for line in nearer))
        self.assertLess(end.translation.difference.distance, 0.2)
        self.assertEqual((queued(self.context), self.translations()), (0, 0))

    def test_a_translation_that_nobody_follows_is_not_made(self) -> None:
        asked = TranslationAsked(profile=PRESSED, machine_id=self.first)
        number = ask_translation(self.context, asked)
        self.followed(number, gives_up=True)
        self.assertEqual((queued(self.context), self.translations()), (0, 0))
        work_out_translation(self.context.resources, number)  # by who had taken it meanwhile
        self.assertEqual(self.translations(), 0)

    def followed(self, number: int, gives_up: bool = False) -> list[Progress | Done | Failed]:
        """What is heard of a translation, until its end or until nobody waits any more."""

        async def follow() -> list[Progress | Done | Failed]:
            live = LiveNews(url_of(self.context))
            listening = asyncio.create_task(live.listen())
            await live.listening.wait()
            heard: list[Progress | Done | Failed] = []
            following = follow_translation(self.context, live, number)
            async with contextlib.aclosing(following):
                if gives_up:
                    waiting = asyncio.ensure_future(anext(following))
                    await asyncio.sleep(0)
                    waiting.cancel()
                    await asyncio.wait([waiting])
                else:
                    heard = [line async for line in following]
            listening.cancel()
            return heard

        return asyncio.run(follow())

    def translations(self) -> int:
        with transaction(self.context.sessions) as session:
            return int(session.scalar(select(func.count()).select_from(TranslationRow)) or 0)

    def test_the_command_works_for_a_database_by_url(self) -> None:
        pull(self.context, self.request(PRESSED))
        url = url_of(self.context)
        with subprocess.Popen(WORKER, stdout=subprocess.DEVNULL, env=on(url)) as process:
            try:
                told = Path(f"/proc/{process.pid}/cmdline").read_text()
                self.assertNotIn("postgresql", told, "a command line is anybody's to read")
                wait_for(lambda: fits_of(self.context, self.coffee) == 1, "the command's worker")
            finally:
                process.terminate()
        self.assertEqual(process.returncode, 0)

    def test_a_database_that_is_not_there_is_said(self) -> None:
        nowhere = on("postgresql://nobody@127.0.0.1:9/none")
        refused = subprocess.run(WORKER, capture_output=True, text=True, check=False, env=nowhere)
        self.assertEqual(refused.returncode, 1)
        self.assertIn("The database does not respond", refused.stderr)
        self.assertNotIn("Traceback", refused.stderr)
