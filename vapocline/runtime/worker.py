"""The worker that learns from shots and translates: with the application, or on any host."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator, Iterator, Sequence

import psycopg
from procrastinate import App, JobContext, PsycopgConnector, RetryStrategy
from procrastinate.exceptions import ConnectorException, JobAborted
from procrastinate.jobs import Status

from vapocline.core.base.cancellation import Cancelled, cancel_check
from vapocline.core.base.problems import UnavailableError
from vapocline.desk.context import Resources
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.plan.translation import work_out_translation
from vapocline.desk.read.unread import read_what_is_unread
from vapocline.store import learn, translations, unread
from vapocline.store.database import plain_url
from vapocline.store.queue import FAIL_UNREADABLE

log = logging.getLogger(__name__)
RETRY_S = 1.0
SILENT_S = 30.0  # a worker not heard of for so long is dead: what it did is taken up again
HEARTBEAT_S = 5.0
ENDS_WITHIN_S = 2.0  # then a fit is called off, to be taken up again
TRIES, PATIENCE_S = 5, 10
KEPT_H = 24 * 30  # how long what failed or was called off is kept
EVERY_QUEUE = (learn.QUEUE, unread.QUEUE, translations.QUEUE)


def queue(url: str, resources: Resources) -> App:
    """The queue in a database, with the work there is in it."""
    app = App(connector=PsycopgConnector(conninfo=plain_url(url), min_size=1, max_size=4))
    again = RetryStrategy(
        max_attempts=TRIES,
        wait=PATIENCE_S,
        retry_exceptions=[UnavailableError, JobAborted, psycopg.Error],
    )

    @app.task(name=learn.TASK, queue=learn.QUEUE, pass_context=True, retry=again)
    def learn_from(context: JobContext, coffee_id: int, grinder_id: int, machine_id: int) -> None:
        with _cancelled_by(context):
            learn_together(resources, learn.Together(coffee_id, grinder_id, machine_id))

    @app.task(name=unread.TASK, queue=unread.QUEUE, pass_context=True, retry=again)
    def read(context: JobContext) -> None:
        with _cancelled_by(context):
            read_what_is_unread(resources)

    @app.task(name=translations.TASK, queue=translations.QUEUE, pass_context=True, retry=again)
    def translate(context: JobContext, translation_id: int) -> None:
        with _cancelled_by(context):
            work_out_translation(resources, translation_id)

    return app


@contextlib.contextmanager
def _cancelled_by(context: JobContext) -> Iterator[None]:
    """Whatever computes within ends when its job is called off: for good where somebody asked for
    that, to be done again where this process ends."""

    def check() -> None:
        if context.should_abort():
            raise Cancelled("It was called off.")

    token = cancel_check.set(check)
    try:
        yield
    except Cancelled as called_off:
        raise JobAborted from called_off
    finally:
        cancel_check.reset(token)


def queues_for(learns: bool) -> tuple[str, ...]:
    """What an application works on: a translation, which somebody waits for, always."""
    return EVERY_QUEUE if learns else (translations.QUEUE,)


async def work(url: str, resources: Resources, queues: Sequence[str] = EVERY_QUEUE) -> None:
    """Do what is queued, until cancelled; a lost connection is made again."""
    while True:
        app = queue(url, resources)
        try:
            async with app.open_async(), asyncio.TaskGroup() as group:
                await app.connector.execute_query_async(FAIL_UNREADABLE)
                group.create_task(_take_up_stalled(app))
                for name in queues:
                    group.create_task(_work_on(app, name))
        except* (ConnectorException, psycopg.Error, OSError):
            log.warning("the queue's database is away; its work waits for it")
        except* Exception:
            log.exception("the worker failed; it starts again")
        await asyncio.sleep(RETRY_S)


async def _work_on(app: App, name: str) -> None:
    """One job of a queue after the other: a translation, which somebody waits for, does not wait
    for shots to be learnt from."""
    await app.run_worker_async(
        queues=[name],
        name=name,
        concurrency=1,
        install_signal_handlers=False,
        delete_jobs="successful",  # what failed is shown
        shutdown_graceful_timeout=ENDS_WITHIN_S,
        update_heartbeat_interval=HEARTBEAT_S,
        stalled_worker_timeout=SILENT_S,
    )


async def _take_up_stalled(app: App) -> None:
    """Give what a dead worker had begun to whoever is alive, for as long as we run; what brings
    down one worker after the other fails."""
    manager = app.job_manager
    while True:
        await app.connector.execute_query_async(FAIL_UNREADABLE)
        for job in await manager.get_stalled_jobs(seconds_since_heartbeat=SILENT_S):
            if job.attempts >= TRIES:
                log.error("job %s ended %d workers: it is given up", job.id, job.attempts)
                await manager.finish_job(job, Status.FAILED, delete_job=False)
            else:
                await manager.retry_job(job)
        await manager.delete_old_jobs(KEPT_H, include_failed=True, include_cancelled=True,
                                      include_aborted=True)  # fmt: skip
        await asyncio.sleep(SILENT_S)


@contextlib.asynccontextmanager
async def working(
    url: str, resources: Resources, queues: Sequence[str] = EVERY_QUEUE
) -> AsyncIterator[None]:
    """A worker beside whatever else runs."""
    task = asyncio.create_task(work(url, resources, queues))
    try:
        yield
    finally:
        task.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await task
