"""Messages between the processes on a database: asked of all, answered by the one it concerns."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import secrets
from collections.abc import Callable
from typing import Any

import orjson
import psycopg
from psycopg import sql

from vapocline.core.base.problems import UnavailableError
from vapocline.store.database import AWAY, plain_url

log = logging.getLogger(__name__)
CHANNEL = "vapocline_orders"
RETRY_S = 1.0

RelayedMessage = dict[str, Any]


def ask(url: str, message: RelayedMessage, patience_s: float) -> RelayedMessage | None:
    """Send a message to every process and return the first answer; None where nobody answers in
    time. Raises UnavailableError while the database is away."""
    try:
        return _asked(url, message, patience_s)
    except psycopg.Error as error:
        raise UnavailableError(AWAY) from error


def _asked(url: str, message: RelayedMessage, patience_s: float) -> RelayedMessage | None:
    reply_to = f"vapocline_reply_{secrets.token_hex(8)}"
    with psycopg.connect(plain_url(url), autocommit=True) as connection:
        connection.execute(sql.SQL("listen {}").format(sql.Identifier(reply_to)))
        body = orjson.dumps(message | {"reply_to": reply_to}).decode()
        connection.execute("select pg_notify(%s, %s)", [CHANNEL, body])
        for note in connection.notifies(timeout=patience_s, stop_after=1):
            answer: RelayedMessage = orjson.loads(note.payload)
            return answer
    return None


async def listen(url: str, answer: Callable[[RelayedMessage], RelayedMessage | None]) -> None:
    """Answer messages until cancelled, each in a thread of its own; a lost connection is made
    again. `answer` returns None for what is not ours."""
    answering = set[asyncio.Task[None]]()
    while True:
        with contextlib.suppress(psycopg.Error, OSError):
            async with await psycopg.AsyncConnection.connect(
                plain_url(url), autocommit=True
            ) as connection:
                await connection.execute(sql.SQL("listen {}").format(sql.Identifier(CHANNEL)))
                async for note in connection.notifies():
                    task = asyncio.create_task(_answer(url, orjson.loads(note.payload), answer))
                    answering.add(task)
                    task.add_done_callback(answering.discard)
        await asyncio.sleep(RETRY_S)


async def _answer(
    url: str, message: RelayedMessage, answer: Callable[[RelayedMessage], RelayedMessage | None]
) -> None:
    try:
        found = await asyncio.to_thread(answer, message)
        if found is not None:
            await asyncio.to_thread(_reply, url, message["reply_to"], found)
    except Exception:
        log.exception("a message of another process could not be answered")


def _reply(url: str, reply_to: str, found: RelayedMessage) -> None:
    with psycopg.connect(plain_url(url), autocommit=True) as connection:
        connection.execute("select pg_notify(%s, %s)", [reply_to, orjson.dumps(found).decode()])
