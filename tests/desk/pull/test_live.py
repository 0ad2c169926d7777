"""Watching a shot as it runs."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

from tests.desk.pull.test_recording import AtBench
from tests.parts import PATIENCE_S, url_of, wait_for
from vapocline.core.base.problems import NotFoundError
from vapocline.desk.pull.live import follow
from vapocline.desk.pull.orders import OrderGiven, give_order
from vapocline.desk.pull.start import begin_pull, pull
from vapocline.desk.read.shots import read_shot
from vapocline.store.live import LiveNews


class Watching(AtBench):
    speed = 6.0

    def watched(self, number: int, watchers: int = 1) -> list[list[dict[str, Any]]]:
        """What each watcher hears of a shot, from wherever it stands to its end."""

        async def one(live: Any) -> list[dict[str, Any]]:
            return [message async for message in follow(self.context, live, number)]

        async def every() -> list[list[dict[str, Any]]]:
            live = LiveNews(url_of(self.context))
            listening = asyncio.create_task(live.listen())
            await live.listening.wait()
            try:
                async with asyncio.timeout(PATIENCE_S):
                    return await asyncio.gather(*(one(live) for _ in range(watchers)))
            finally:
                listening.cancel()
                await asyncio.gather(listening, return_exceptions=True)

        return asyncio.run(every())

    def times(self, heard: list[dict[str, Any]]) -> list[float]:
        return [t for message in heard for t in message.get("columns", {}).get("time_s", [])]

    def test_all_watchers_hear_the_whole_shot_once_and_in_order(self) -> None:
        number = begin_pull(self.context, self.request())
        every = self.watched(number, watchers=3)
        stored = read_shot(self.context, number).traces.time_s
        for heard in every:
            self.assertEqual(self.times(heard), stored)
            self.assertEqual(heard[-1], {"state": "done"})
            events = [e["kind"] for message in heard for e in message.get("events", [])]
            self.assertEqual(events, ["phase_began", "phase_began", "first_drip", "stopped"])

    def test_what_was_stored_at_a_notice_comes_once(self) -> None:
        context, number = self.context, begin_pull(self.context, self.request())
        wait_for(lambda: read_shot(context, number).events, "a first event")

        class Late:
            """Tells of everything again that was stored before one began to listen."""

            @asynccontextmanager
            async def watch(
                self, _kind: str, _shot: int
            ) -> AsyncIterator[asyncio.Queue[dict[str, Any]]]:
                known = read_shot(context, number)
                queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
                events = [event.written() for event in known.events]
                queue.put_nowait({"columns": known.traces.model_dump(), "events": events})
                queue.put_nowait({"state": "done"})
                yield queue

        async def hear() -> list[dict[str, Any]]:
            return [message async for message in follow(context, Late(), number)]

        first, again, _end = asyncio.run(hear())
        self.assertTrue(first["events"])
        self.assertEqual(again["events"], [])
        self.assertEqual(again["columns"]["time_s"], [])
        give_order(context, number, OrderGiven(do="stop"))
        wait_for(lambda: read_shot(context, number).state == "done", "the end")

    def test_who_comes_after_the_end_gets_it_all_at_once(self) -> None:
        number = pull(self.context, self.request())
        [heard] = self.watched(number)
        self.assertEqual(len(heard), 2)
        self.assertEqual(self.times(heard), read_shot(self.context, number).traces.time_s)

    def test_a_shot_that_is_not_there(self) -> None:
        with self.assertRaises(NotFoundError):
            self.watched(404)
