"""Wrong codes and secrets of a tasting are slowed: whoever guesses waits longer each time."""

from __future__ import annotations

import math
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from http import HTTPStatus

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vapocline.api.errors import problem_response

TABLES = "/api/tables/"
FREE_GUESSES = 5  # a code is typed from a screen
FIRST_WAIT_S, LONGEST_WAIT_S = 1.0, 60.0
FORGIVEN_S = 600.0  # without another wrong one
MOST_KEPT = 5000  # addresses, and right codes: the oldest are forgotten
NOT_FOUND_ON_SOCKET = 4404


@dataclass
class Guesses:
    """The wrong codes of an address in a row."""

    count: int
    last_at: float

    def wait_s(self) -> float:
        """How long the next one has to wait after the last."""
        if self.count < FREE_GUESSES:
            return 0.0
        return min(LONGEST_WAIT_S, FIRST_WAIT_S * 2.0 ** min(10, self.count - FREE_GUESSES))


class GuessLimiter:
    """ASGI middleware. A code and secret that were right are never slowed, whatever else comes from
    the same address: guests may share one."""

    def __init__(self, app: ASGIApp, clock: Callable[[], float] = time.monotonic) -> None:
        """`clock` counts seconds."""
        self._app, self._clock = app, clock
        self._guesses = OrderedDict[str, Guesses]()
        self._right = OrderedDict[tuple[str, str], None]()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, unless its address has to wait."""
        if scope["type"] not in ("http", "websocket") or not scope["path"].startswith(TABLES):
            await self._app(scope, receive, send)
            return
        address = (scope.get("client") or ("",))[0]
        tried = _tried(scope)
        if tried not in self._right and (wait_s := self._wait_s(address)) > 0:
            await _refuse(scope, receive, send, wait_s)
            return

        async def noted(message: Message) -> None:
            if (right := _was_right(message)) is not None:
                self._note(address, tried, right=right)
            await send(message)

        await self._app(scope, receive, noted)

    def _wait_s(self, address: str) -> float:
        guesses = self._guesses.get(address)
        return 0.0 if guesses is None else guesses.last_at + guesses.wait_s() - self._clock()

    def _note(self, address: str, tried: tuple[str, str], *, right: bool) -> None:
        if right:
            self._right[tried] = None
            _forget_oldest(self._right)
        elif tried not in self._right:  # else something else was not there
            now = self._clock()
            before = self._guesses.pop(address, None)
            fresh = before is None or now - before.last_at > FORGIVEN_S
            self._guesses[address] = Guesses(1 if fresh or not before else before.count + 1, now)
            _forget_oldest(self._guesses)


def _tried(scope: Scope) -> tuple[str, str]:
    """The code a request was made with and, where it is about a seat, the secret: no other path
    shows whether that one is right."""
    code, _, rest = scope["path"].removeprefix(TABLES).partition("/")
    return code, Headers(scope=scope).get("vapocline-seat", "") if rest.startswith("seats/") else ""


def _was_right(message: Message) -> bool | None:
    """Whether an answer shows that code and secret were right; None where it does not tell."""
    if message["type"] == "http.response.start":
        if message["status"] in (HTTPStatus.NOT_FOUND, HTTPStatus.FORBIDDEN):
            return False
        return True if message["status"] < HTTPStatus.BAD_REQUEST else None
    if message["type"] == "websocket.close":
        return False if message.get("code") == NOT_FOUND_ON_SOCKET else None
    return None


def _forget_oldest(kept: OrderedDict[str, Guesses] | OrderedDict[tuple[str, str], None]) -> None:
    while len(kept) > MOST_KEPT:
        kept.popitem(last=False)


async def _refuse(scope: Scope, receive: Receive, send: Send, wait_s: float) -> None:
    seconds = math.ceil(wait_s)
    detail = f"Too many wrong codes came from here: try again in {seconds} s."
    if scope["type"] == "websocket":
        await receive()
        await send({"type": "websocket.close", "code": 1008, "reason": detail})
        return
    answer = problem_response(HTTPStatus.TOO_MANY_REQUESTS, detail, ())
    answer.headers["retry-after"] = str(seconds)
    await answer(scope, receive, send)
