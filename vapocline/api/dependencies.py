"""What every file of routes shares: context, errors, answers written once."""

from __future__ import annotations

import asyncio
import threading
import time
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Header, Request, Response
from pydantic import BaseModel

from vapocline.api.errors import ProblemDocument
from vapocline.core.base.cancellation import Cancelled, cancel_check
from vapocline.desk.context import Context

Answer = TypeVar("Answer")

ERRORS: dict[int | str, dict[str, Any]] = {
    code: {"model": ProblemDocument} for code in (404, 409, 422, 502)
}


BenchHeader = Annotated[
    int | None,
    Header(alias="Vapocline-Bench", description="Which bench; the person's own without."),
]


async def context_of(request: Request, bench_id: BenchHeader = None) -> Context:
    """Who asks, at which bench: the default person, at the bench the request names or their own.

    It waits for nothing, so it takes no thread of the pool that waits for the database.
    """
    context: Context = request.app.state.opened.context
    return context if bench_id is None else context.at_bench(bench_id)


AtBench = Annotated[Context, Depends(context_of)]


BUDGET_S = 60.0  # of computing time for one request; the heaviest takes a tenth of it on two cores
POLL_S = 0.25  # how often we check whether the client has disconnected


async def budgeted(request: Request) -> AsyncIterator[None]:
    """Cancel what a route computes when the client disconnects or the time limit is reached."""
    gone, until = threading.Event(), time.monotonic() + BUDGET_S

    def wanted() -> None:
        if gone.is_set():
            raise Cancelled("The client disconnected.")
        if time.monotonic() > until:
            raise Cancelled(f"This took longer than {BUDGET_S:g} s and was cancelled.")

    async def watch() -> None:
        while not await request.is_disconnected():
            await asyncio.sleep(POLL_S)
        gone.set()

    cancel_check.set(wanted)
    watching = asyncio.create_task(watch())
    try:
        yield
    finally:
        watching.cancel()


WITH_BUDGET = [Depends(budgeted)]

# Threads by what they wait for: the stop never queues behind anything, orders never behind devices
# that may not answer, and the routes that share the server's own threads behind neither.
STOPS = ThreadPoolExecutor(8, "stops")
ORDERS = ThreadPoolExecutor(16, "orders")
DEVICES = ThreadPoolExecutor(8, "devices")


async def run_on(
    threads: ThreadPoolExecutor, work: Callable[..., Answer], *given: object
) -> Answer:
    """What a use case answers, carried out on one of the pools above."""
    return await asyncio.get_running_loop().run_in_executor(threads, work, *given)


def as_json(model: BaseModel) -> Response:
    """A model written once by pydantic-core: the large answers go out without a second walk."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")
