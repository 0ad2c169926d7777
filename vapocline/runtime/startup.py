"""What a process opens before it takes its first request, and closes after its last."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import sys
from collections.abc import AsyncIterator

import anyio.to_thread
import numpy as np
from fastapi import FastAPI

from vapocline.api.application import LifespanState, create_app
from vapocline.core.base.problems import UnavailableError
from vapocline.core.plan.styles.fit import steady_nine
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.read.record import lagged
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Resources, open_resources
from vapocline.desk.learn.learning import catch_up
from vapocline.desk.pull.ending import end_recordings
from vapocline.desk.pull.relay import carry_out
from vapocline.desk.pull.resume import resume_recordings, without_recorder
from vapocline.desk.read.unread import catch_up_reading
from vapocline.runtime.settings import Settings
from vapocline.runtime.worker import queues_for, working
from vapocline.store import relay
from vapocline.store.live import LiveNews

log = logging.getLogger(__name__)
ORPHANS_EVERY_S = 5.0  # one that nobody records for two looks is taken up
SHARED_THREADS = 12  # of the routes that read and compute
TURN_S = 0.001  # how long one thread computes while another waits


def application(settings: Settings) -> FastAPI:
    """The application on the database and simulators that the settings name."""
    return create_app(lambda: opened(settings), settings.web_folder, settings.host_names())


@contextlib.asynccontextmanager
async def opened(settings: Settings) -> AsyncIterator[LifespanState]:
    """What the routes work with, from before the first request until after the last."""
    # Many threads that compute at once make the stop wait for each of them in turn.
    anyio.to_thread.current_default_thread_limiter().total_tokens = SHARED_THREADS
    sys.setswitchinterval(TURN_S)
    resources = open_resources(
        settings.database_url, settings.simulators(), settings.unsaved_folder, settings.members
    )
    context = await asyncio.to_thread(ready, resources)
    live = LiveNews(settings.database_url)
    listening = asyncio.create_task(live.listen())
    await live.listening.wait()
    watching = asyncio.create_task(_take_up_orphans(resources))
    relaying = asyncio.create_task(
        relay.listen(settings.database_url, lambda message: carry_out(resources, message))
    )
    try:
        async with working(settings.database_url, resources, queues_for(settings.learns)):
            yield LifespanState(context, live)
    finally:
        await asyncio.to_thread(end_recordings, resources)
        for task in (watching, relaying, listening):
            task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await task
        resources.close()


async def _take_up_orphans(resources: Resources) -> None:
    """Take up what another process left, and what was set aside, for as long as we run."""
    alone = set[int]()  # without a recorder when we looked last
    while True:
        await asyncio.sleep(ORPHANS_EVERY_S)
        try:
            before, alone = alone, await asyncio.to_thread(without_recorder, resources)
            await asyncio.to_thread(resume_recordings, resources, before & alone)
        except UnavailableError:
            continue  # next time
        except Exception:
            log.exception("looking for shots without a recorder failed")


def ready(resources: Resources) -> Context:
    """Set the bench up, resume or end shots that a dead process left, load the compiled kernel."""
    context = open_bench(resources)
    resume_recordings(resources)
    catch_up(resources)
    catch_up_reading(resources)
    warm_up()
    return context


def warm_up() -> None:
    """Predict once, so that the kernel is compiled, or read from its cache; and lag a channel."""
    lagged(np.zeros(2), 1.0)
    predict(Plan(setup=Setup(dose_g=18), members=2, profile=steady_nine("Warm-up", 36)))
