"""Watching a shot, and several at once at one desk."""

from __future__ import annotations

import asyncio
import threading
import unittest
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from typing import Any

from tests.desk.test_shots import SHORT, AtDesk
from tests.factories import flow, pressure, profile, seconds
from tests.parts import PATIENCE_S, fresh_database, wait_for
from vapocline.core.problems import ConflictError, NotFoundError
from vapocline.desk.bench import BenchChange, change_bench, open_bench, read_bench
from vapocline.desk.context import open_desk
from vapocline.desk.live import follow
from vapocline.desk.opening import live_shots
from vapocline.desk.profiles import (
    NewProfile,
    NewVersion,
    read_history,
    save_version,
    start_profile,
)
from vapocline.desk.pull import OrderGiven, begin_pull, give_order, pull
from vapocline.desk.shots import read_shot


class Watching(AtDesk):
    speed = 6.0

    def watched(self, number: int, watchers: int = 1) -> list[list[dict[str, Any]]]:
        """What each watcher hears of a shot, from wherever it stands to its end."""

        async def one(live: Any) -> list[dict[str, Any]]:
            return [message async for message in follow(self.desk, live, number)]

        async def every() -> list[list[dict[str, Any]]]:
            live = live_shots(self.desk.engine.url.render_as_string(hide_password=False))
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
        number = begin_pull(self.desk, self.request())
        every = self.watched(number, watchers=3)
        stored = read_shot(self.desk, number).traces.time_s
        for heard in every:
            self.assertEqual(self.times(heard), stored)
            self.assertEqual(heard[-1], {"state": "done"})
            events = [e["what"] for message in heard for e in message.get("events", [])]
            self.assertEqual(events, ["phase", "phase", "first_drip", "stop"])

    def test_what_was_stored_when_it_is_told_comes_once(self) -> None:
        desk, number = self.desk, begin_pull(self.desk, self.request())
        wait_for(lambda: read_shot(desk, number).events, "a first event")

        class Late:
            """Tells of everything again that was stored before one began to listen."""

            @asynccontextmanager
            async def watch(self, _shot: int) -> AsyncIterator[asyncio.Queue[dict[str, Any]]]:
                known = read_shot(desk, number)
                queue: asyncio.Queue[dict[str, Any]] = asyncio.Queue()
                events = [event.model_dump(exclude_none=True) for event in known.events]
                queue.put_nowait({"columns": known.traces.model_dump(), "events": events})
                queue.put_nowait({"state": "done"})
                yield queue

        async def hear() -> list[dict[str, Any]]:
            return [message async for message in follow(desk, Late(), number)]

        first, again, _end = asyncio.run(hear())
        self.assertTrue(first["events"])
        self.assertEqual(again["events"], [])
        self.assertEqual(again["columns"]["time_s"], [])
        give_order(desk, number, OrderGiven(do="stop"))
        wait_for(lambda: read_shot(desk, number).state == "done", "the end")

    def test_who_comes_after_the_end_gets_it_all_at_once(self) -> None:
        number = pull(self.desk, self.request())
        [heard] = self.watched(number)
        self.assertEqual(len(heard), 2)
        self.assertEqual(self.times(heard), read_shot(self.desk, number).traces.time_s)

    def test_a_shot_that_is_not_there(self) -> None:
        with self.assertRaises(NotFoundError):
            self.watched(404)


class AtOnce(unittest.TestCase):
    def setUp(self) -> None:
        self.desk = open_desk(fresh_database())
        self.addCleanup(self.desk.engine.dispose)
        open_bench(self.desk)

    def together(self, *works: Any) -> list[Any]:
        """Run all at the same moment; each result, or the conflict it met."""
        barrier, found = threading.Barrier(len(works)), [None] * len(works)

        def run(i: int) -> None:
            barrier.wait()
            try:
                found[i] = works[i]()
            except ConflictError as error:
                found[i] = error

        threads = [threading.Thread(target=run, args=(i,)) for i in range(len(works))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        return found

    def test_of_two_saves_at_the_same_moment_one_wins_and_the_other_is_told(self) -> None:
        first = start_profile(self.desk, NewProfile(name="Mine", profile=SHORT))
        for based_on in range(1, 6):
            drafts = [
                NewVersion(based_on=based_on, profile=profile(pressure(bar), cup_g=20))
                for bar in (7, 8)
            ]
            found = self.together(
                *(lambda d=draft: save_version(self.desk, first.profile_id, d) for draft in drafts)
            )
            conflicts = [one for one in found if isinstance(one, ConflictError)]
            self.assertEqual(len(conflicts), 1)
            self.assertIn("meanwhile", str(conflicts[0]))
        self.assertEqual(len(read_history(self.desk, first.profile_id).versions), 6)

    def test_two_profiles_of_one_name_at_the_same_moment(self) -> None:
        found = self.together(
            *(lambda: start_profile(self.desk, NewProfile(name="Twin")) for _ in range(2))
        )
        self.assertEqual(sum(isinstance(one, ConflictError) for one in found), 1)

    def test_words_of_the_bench_changed_at_the_same_moment_are_all_kept(self) -> None:
        changes = [BenchChange(dose_g=17), BenchChange(yield_g=40), BenchChange(water_c=95)]
        self.together(*(lambda c=change: change_bench(self.desk, c) for change in changes))
        bench = read_bench(self.desk)
        self.assertEqual((bench.dose_g, bench.yield_g, bench.water_c), (17, 40, 95))


class Branches(unittest.TestCase):
    def test_a_history_says_of_each_version_what_it_changed_from_the_one_it_grew_from(self) -> None:
        desk = open_desk(fresh_database())
        self.addCleanup(desk.engine.dispose)
        open_bench(desk)
        soak = flow(4, None, seconds(5), name="Soak")
        bars = (9, 8, 7)
        first = start_profile(
            desk, NewProfile(name="Mine", profile=profile(soak, pressure(bars[0], name="Press")))
        )
        for number, bar in enumerate(bars[1:], start=1):
            draft = profile(soak, pressure(bar, name="Press")).model_copy(update={"name": "Mine"})
            save_version(desk, first.profile_id, NewVersion(based_on=number, profile=draft))
        told = [line.differences for line in read_history(desk, first.profile_id).versions]
        self.assertEqual(told, [["press 8 to 7 bar"], ["press 9 to 8 bar"], []])
