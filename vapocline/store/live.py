"""What any process says of running shots, open tastings and work: PostgreSQL's notifications,
shared by all who watch."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator
from typing import Any, Literal, get_args

import orjson
import psycopg

from vapocline.store.database import plain_url
from vapocline.store.shots import LIVE_CHANNEL

log = logging.getLogger(__name__)

_BATCH = "select columns, events, made_at from shot_journal where id = %s"
_PARTS = ("columns", "events", "at")
RETRY_S = 1.0
LONGEST_QUEUE = 2000  # messages a slow watcher may fall behind before it is let go


LiveKind = Literal["shot", "tasting", "translation", "house"]
KINDS: tuple[LiveKind, ...] = get_args(LiveKind)
LiveSubject = tuple[str, int]


class LiveNews:
    """One listening connection a process, and a queue for every watcher."""

    def __init__(self, url: str) -> None:
        """`url` is of the database. Nothing connects before `listen`."""
        self._url = plain_url(url)
        self._queues: dict[LiveSubject, set[asyncio.Queue[dict[str, Any] | None]]] = {}
        self.listening = asyncio.Event()

    async def listen(self) -> None:
        """Pass messages on until cancelled; a lost connection is made again."""
        while True:
            with contextlib.suppress(psycopg.Error, OSError):
                async with await psycopg.AsyncConnection.connect(
                    self._url, autocommit=True
                ) as connection:
                    await connection.execute(f"listen {LIVE_CHANNEL}")
                    # One connection listens, the other one reads what was announced.
                    async with await psycopg.AsyncConnection.connect(
                        self._url, autocommit=True
                    ) as reading:
                        self._start_afresh()  # whoever came while nobody listened
                        self.listening.set()
                        async for note in connection.notifies():
                            await self._announced(reading, orjson.loads(note.payload))
            self.listening.clear()
            self._start_afresh()
            log.warning("the connection to the database was lost; live shots wait for it")
            await asyncio.sleep(RETRY_S)

    def _start_afresh(self) -> None:
        """Something may have been missed: let every watcher go, to start again with all."""
        for queues in self._queues.values():
            for queue in queues:
                queue.put_nowait(None)

    async def _announced(
        self, connection: psycopg.AsyncConnection[Any], note: dict[str, Any]
    ) -> None:
        """Read an announced batch, once for all who watch; pass on whatever else it says."""
        if _subject(note) not in self._queues:
            return
        if "row" not in note:
            self._pass_on(note)
            return
        found = await (await connection.execute(_BATCH, [note["row"]])).fetchone()
        # One that is gone was taken into its shot meanwhile.
        batch = {"gathered": True} if found is None else dict(zip(_PARTS, found, strict=True))
        self._pass_on({"shot": note["shot"], **batch})

    def _pass_on(self, message: dict[str, Any]) -> None:
        for queue in self._queues.get(_subject(message), set()):
            if queue.qsize() >= LONGEST_QUEUE:
                queue.put_nowait(None)
            else:
                queue.put_nowait(message)

    @contextlib.asynccontextmanager
    async def watch(
        self, kind: LiveKind, number: int
    ) -> AsyncIterator[asyncio.Queue[dict[str, Any] | None]]:
        """Messages of one subject from now on; None where a watcher fell too far behind."""
        queue: asyncio.Queue[dict[str, Any] | None] = asyncio.Queue()
        subject = (kind, number)
        self._queues.setdefault(subject, set()).add(queue)
        try:
            yield queue
        finally:
            self._queues[subject].discard(queue)
            if not self._queues[subject]:
                del self._queues[subject]


def _subject(message: dict[str, Any]) -> LiveSubject:
    """What a message is about."""
    return next((kind, message[kind]) for kind in KINDS if kind in message)
