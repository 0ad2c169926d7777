"""What every file of routes shares: context, errors, answers written once."""

from __future__ import annotations

import asyncio
import contextlib
import threading
import time
from collections.abc import AsyncIterator, Callable
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Header, Request, Response, WebSocket, WebSocketDisconnect
from pydantic import BaseModel

from vapocline.api.errors import ProblemDocument
from vapocline.core.base.cancellation import Cancelled, cancel_check
from vapocline.core.base.problems import NotFoundError, UnavailableError
from vapocline.desk.context import Context
from vapocline.desk.pull.live import LiveFeed

AnswerT = TypeVar("AnswerT")

ERRORS: dict[int | str, dict[str, Any]] = {
    code: {"model": ProblemDocument} for code in (403, 404, 409, 422, 502)
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


async def live_of(request: Request) -> LiveFeed:
    """News of what any process does."""
    live: LiveFeed = request.app.state.opened.live
    return live


Live = Annotated[LiveFeed, Depends(live_of)]


async def send_news(socket: WebSocket, messages: AsyncIterator[dict[str, Any]]) -> None:
    """Send each message to a page until it goes away, which is noticed by reading, or they end.
    A NotFoundError of theirs closes the socket with code 4404."""
    await socket.accept()
    sending = asyncio.create_task(_send_each(socket, messages))
    with contextlib.suppress(WebSocketDisconnect):
        while True:
            await socket.receive_text()
    sending.cancel()
    with contextlib.suppress(asyncio.CancelledError, WebSocketDisconnect, RuntimeError):
        await sending


async def _send_each(socket: WebSocket, messages: AsyncIterator[dict[str, Any]]) -> None:
    try:
        async for message in messages:
            await socket.send_json(message)
    except NotFoundError:
        await socket.close(code=4404)
    else:
        await socket.close()


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
    request.state.gone = gone
    watching = asyncio.create_task(watch())
    try:
        yield
    finally:
        watching.cancel()


WITH_BUDGET = [Depends(budgeted)]

AT_ONCE = 4  # computations: more would only share the processor
PATIENCE_S = 6.0  # for one's turn; then it is said that there are too many


class Turns:
    """Computations wait for each other, first come, first served; none waits for long."""

    def __init__(self, at_once: int = AT_ONCE, patience_s: float | None = None) -> None:
        """So many `at_once`; `patience_s` is how long one waits for its turn."""
        self._free, self._patience_s = asyncio.Semaphore(at_once), patience_s
        self.waiting = 0

    @contextlib.asynccontextmanager
    async def turn(self, gone: threading.Event) -> AsyncIterator[None]:
        """Wait for a turn and take it. Raises UnavailableError where it does not come in time, or
        nobody is there any more."""
        ahead, until = self.waiting, time.monotonic() + (self._patience_s or PATIENCE_S)
        turn = asyncio.ensure_future(self._free.acquire())
        self.waiting += 1
        try:
            while not turn.done():
                await asyncio.wait({turn}, timeout=min(POLL_S, max(0.0, until - time.monotonic())))
                if not turn.done() and (gone.is_set() or time.monotonic() >= until):
                    raise UnavailableError(
                        f"Vapocline is busy: {ahead} other computations were asked for before this "
                        "one. Try again in a moment."
                    )
        except BaseException:
            if not turn.cancel():  # it was ours already: the next one takes it
                self._free.release()
            raise
        finally:
            self.waiting -= 1
        try:
            yield
        finally:
            self._free.release()


async def in_turn(request: Request) -> AsyncIterator[None]:
    """Let a route that computes wait for those before it."""
    turns: Turns = request.app.state.turns
    async with turns.turn(request.state.gone):
        yield


IN_TURN = [Depends(in_turn)]

# Threads by what they wait for: the stop never queues behind anything, orders never behind devices
# that may not answer, and the routes that share the server's own threads behind neither.
STOPS = ThreadPoolExecutor(8, "stops")
ORDERS = ThreadPoolExecutor(16, "orders")
DEVICES = ThreadPoolExecutor(8, "devices")


async def run_on(
    threads: ThreadPoolExecutor, work: Callable[..., AnswerT], *given: object
) -> AnswerT:
    """What a use case answers, carried out on one of the pools above for the same reader."""
    loop, reader = asyncio.get_running_loop(), copy_context()
    return await loop.run_in_executor(threads, reader.run, work, *given)


def as_json(model: BaseModel) -> Response:
    """A model written once by pydantic-core: the large answers go out without a second walk."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")
