"""Queries: their order, what they bring, and the news that runs between processes."""

from __future__ import annotations

import asyncio
import unittest
from datetime import UTC, datetime, timedelta

from sqlalchemy import inspect, text

from tests.parts import PATIENCE_S, wait_for
from tests.store.test_constraints import OnDatabase
from vapocline.core.base.problems import NotFoundError
from vapocline.core.shot.events import PhaseBegan
from vapocline.store import journal, profiles, shelf, shots, taste
from vapocline.store.database import driver_url, plain_url
from vapocline.store.journal import Batch, NumberedEvent
from vapocline.store.learn import Together, read_to_learn_from
from vapocline.store.live import LiveNews
from vapocline.store.tables import (
    BenchRow,
    CoffeeRow,
    GrinderRow,
    JournalRow,
    ProfileRow,
    SeriesRow,
    ShotRow,
    VersionRow,
)


class Reading(OnDatabase):
    def test_only_the_newest_version_of_each_profile_heads_it_by_name(self) -> None:
        with self.sessions.begin() as session:
            for name, numbers in (("B", (1, 2, 3)), ("A", (1,))):
                row = ProfileRow(name=name)
                session.add(row)
                session.flush()
                for number in numbers:
                    session.add(
                        VersionRow(profile_id=row.id, number=number, document={"n": number})
                    )
        with self.sessions() as session:
            heads = [(row.profile.name, row.number) for row in profiles.read_heads(session)]
        self.assertEqual(heads, [("A", 1), ("B", 3), ("P", 1)])

    def test_the_shelf_is_read_by_name(self) -> None:
        with self.sessions.begin() as session:
            session.add_all(
                [CoffeeRow(name=name, roast="medium") for name in ("Zed", "Ann", "Mid")]
            )
        with self.sessions() as session:
            names = [row.name for row in shelf.read_all(session, CoffeeRow)]
        self.assertEqual(names, ["Ann", "Mid", "Zed"])

    def test_there_is_no_bench_before_the_first(self) -> None:
        with self.assertRaisesRegex(NotFoundError, "no bench 1"), self.sessions() as session:
            shelf.read_bench(session, 1)
        with self.sessions.begin() as session:
            row = BenchRow(
                name="One", machine_id=self.machine_id, dose_g=18, yield_g=36, water_c=93
            )
            session.add(row)
            session.flush()
            bench = shelf.read_bench(session, row.id, lock=True)
            self.assertEqual((bench.name, bench.machine.name), ("One", "Any"))


class Shots(OnDatabase):
    def put(self, hours_ago: float, **values: object) -> int:
        when = datetime.now(UTC) - timedelta(hours=hours_ago)
        with self.sessions.begin() as session:
            row = self.shot(started_at=when, **values)
            session.add(row)
            session.flush()
            return row.id

    def test_older_shots_with_a_measured_strength_are_learnt_from_where_the_newest_have_none(
        self,
    ) -> None:
        with self.sessions.begin() as session:
            coffee = CoffeeRow(name="Learnt", roast="medium")
            grinder = GrinderRow(name="Learnt", settings=[0, 9], grind_um=[200, 400])
            session.add_all([coffee, grinder])
            session.flush()
            together = Together(coffee.id, grinder.id, self.machine_id)
        of = {"coffee_id": together.coffee_id, "grinder_id": together.grinder_id}
        ids = [
            self.put(9 - at, state="done", tds_pct=9.0 if at in (0, 1, 6) else None, **of)
            for at in range(8)
        ]

        def read(limit: int, strengths: int) -> list[int]:
            with self.sessions() as session:
                rows = read_to_learn_from(session, together, limit=limit, strengths=strengths)
                return [ids.index(row.id) for row in rows]

        self.assertEqual(read(3, 0), [5, 6, 7])
        self.assertEqual(read(3, 1), [5, 6, 7], "the newest have one")
        self.assertEqual(read(3, 2), [1, 5, 6, 7])
        self.assertEqual(read(3, 9), [0, 1, 5, 6, 7])
        self.assertEqual(read(20, 9), list(range(8)))

    def test_a_series_brings_its_shots_first_to_last(self) -> None:
        with self.sessions.begin() as session:
            series = SeriesRow(version_id=self.version_id, wanted=3, tolerance={})
            session.add(series)
            session.flush()
            number = series.id
        inside = [self.put(3 - n, series_id=number) for n in range(2)]
        self.put(0)
        with self.sessions() as session:
            found = [row.id for row in shots.read_series_shots(session, number)]
            self.assertEqual(shots.read_series(session, number).version.number, 1)
            with self.assertRaisesRegex(NotFoundError, "no series 999"):
                shots.read_series(session, 999)
        self.assertEqual(found, inside)

    def test_only_cut_off_shots_nobody_has_seen_are_offered_newest_first(self) -> None:
        first = self.put(5, state="incomplete")
        second = self.put(4, state="incomplete")
        self.put(3, state="incomplete", seen_at=datetime.now(UTC))
        self.put(2)
        with self.sessions() as session:
            found = [row.id for row in shots.read_unseen(session, limit=20)]
        self.assertEqual(found[:2], [second, first])

    def test_earlier_pulls_by_hand_are_those_of_the_same_version_and_machine(self) -> None:
        before = [self.put(9 - n, manual=True, state="done") for n in range(3)]
        self.put(5, manual=True, state="incomplete")
        self.put(4, manual=False, state="done")
        now = self.put(1, manual=True, state="done")
        with self.sessions() as session:
            row = shots.read_shot(session, now)
            found = [one.id for one in shots.read_manual_before(session, row, limit=2)]
        self.assertEqual(found, before[::-1][:2])

    def test_a_journal_goes_with_its_shot(self) -> None:
        number = self.put(1)
        with self.sessions.begin() as session:
            began = NumberedEvent(PhaseBegan(time_s=0, phase=0))
            journal.write(session, number, Batch("a", 0, {}, [began], heard=1))
            session.delete(session.get(ShotRow, number))
        with self.sessions() as session:
            self.assertEqual(session.query(JournalRow).filter_by(shot_id=number).count(), 0)

    def test_the_newest_come_first_and_no_more_than_asked_for(self) -> None:
        old, new, middle = self.put(5), self.put(1), self.put(3)
        with self.sessions() as session:
            found = [row.id for row in shots.read_shots(session, limit=500)]
            self.assertEqual([n for n in found if n in (old, new, middle)], [new, middle, old])
            self.assertEqual(len(shots.read_shots(session, limit=2)), 2)

    def test_pages_follow_each_other_without_a_gap_or_a_repeat(self) -> None:
        for hours in (7, 7, 8, 9, 7):  # some began at the same moment
            self.put(hours)
        with self.sessions() as session:
            every = [row.id for row in shots.read_shots(session, limit=500)]
            paged: list[int] = []
            while len(paged) < len(every):
                last = paged[-1] if paged else None
                page = shots.read_shots(session, limit=2, before=last)
                self.assertTrue(page, "the pages end too soon")
                paged += [row.id for row in page]
            self.assertEqual(paged, every)
            last_page = shots.read_shots(session, limit=2, before=every[-1])
            self.assertEqual(last_page, [])
            with self.assertRaises(NotFoundError):
                shots.read_shots(session, limit=2, before=10**6)

    def test_a_list_is_of_one_thing_where_asked(self) -> None:
        self.put(2)
        with self.sessions() as session:
            every = shots.read_shots(session, limit=500)
            one = every[0]
            profile = one.version.profile_id
            for name, value in (
                ("machine_id", one.machine_id), ("state", one.state), ("profile_id", profile),
            ):  # fmt: skip
                found = shots.read_shots(session, limit=500, **{name: value})
                self.assertIn(one.id, [row.id for row in found])
            self.assertEqual(shots.read_shots(session, limit=9, profile_id=profile + 999), [])
            self.assertEqual(shots.read_shots(session, limit=9, machine_id=10**6), [])

    def test_a_list_leaves_the_heavy_columns_where_they_are(self) -> None:
        self.put(1, time_s=[0.0], **{name: [1.0] for name in shots.CHANNELS if name != "time_s"})
        with self.sessions() as session:
            row = shots.read_shots(session, limit=1)[0]
            left = inspect(row).unloaded
        for name in (*shots.CHANNELS, "prediction", "plan", "conditions"):
            self.assertIn(name, left)

    def test_running_shots_are_found_and_their_cups_go_with_them(self) -> None:
        number = self.put(0)
        with self.sessions.begin() as session:
            self.assertIn(number, shots.read_running(session))
            cup = taste.quick_cup(session, number, taste.taster_named(session, "Ines").id)
            key = {
                "cup_id": cup.id, "session_id": cup.session_id, "warmth": "cool", "served": "milk",
                "taster_id": taste.taster_named(session, "ines").id,
            }  # fmt: skip
            self.assertEqual(taste.quick_cup(session, number, key["taster_id"]).id, cup.id)
            for points in (3, 4):
                taste.write_score(session, key | {"line": "liking"}, {"points": points})
            taste.write_remark(session, key, {"words": ["plum"], "notes": ""})
        with self.sessions() as session:
            [score] = taste.read_scores(session, key)
            self.assertEqual(score.points, 4)
            self.assertEqual(taste.read_scores(session, key | {"warmth": "hot"}), [])
        with self.engine.begin() as connection:
            connection.execute(text("delete from shots where id = :id"), {"id": number})
            for table in ("tasting_sessions", "cups", "servings", "scores", "remarks"):
                self.assertEqual(connection.scalar(text(f"select count(*) from {table}")), 0)

    def test_a_recording_goes_with_its_connection(self) -> None:
        with self.sessions() as first:
            self.assertTrue(shots.hold_recording(first, 5))
            first.connection().invalidate()
        with self.sessions() as other:  # the server notices a moment after the line is gone
            wait_for(lambda: shots.hold_recording(other, 5), "the lock to be given back")
            other.connection().invalidate()


class News(OnDatabase):
    def tell(self, **message: object) -> None:
        with self.sessions.begin() as session:
            shots.notify(session, message)

    def url(self) -> str:
        return self.engine.url.render_as_string(hide_password=False)

    def test_a_watcher_is_sent_its_own_shot_only_and_only_what_was_committed(self) -> None:
        async def listened() -> list[object]:
            live = LiveNews(self.url())
            listening = asyncio.create_task(live.listen())
            await live.listening.wait()
            async with live.watch("shot", 7) as queue:
                self.tell(shot=8, n=1)
                with self.assertRaises(ZeroDivisionError), self.sessions.begin() as session:
                    shots.notify(session, {"shot": 7, "n": 2})
                    raise ZeroDivisionError
                self.tell(shot=7, n=3)
                heard = [await asyncio.wait_for(queue.get(), PATIENCE_S)]
                self.assertTrue(queue.empty())
            listening.cancel()
            await asyncio.gather(listening, return_exceptions=True)
            return heard

        self.assertEqual(asyncio.run(listened()), [{"shot": 7, "n": 3}])

    def test_a_lost_connection_is_made_again_and_watchers_are_reported_to_begin_again(self) -> None:
        kill = text(
            "select pg_terminate_backend(pid) from pg_stat_activity"
            " where datname = current_database() and query like 'listen%'"
        )

        async def heard_after() -> object:
            live = LiveNews(self.url())
            listening = asyncio.create_task(live.listen())
            await live.listening.wait()
            async with live.watch("shot", 9) as queue:
                with self.engine.begin() as connection:
                    connection.execute(kill)
                async with asyncio.timeout(PATIENCE_S):
                    self.assertIsNone(await queue.get())
            async with live.watch("shot", 9) as between, asyncio.timeout(PATIENCE_S):
                self.assertIsNone(await between.get(), "it may have missed something")
            await live.listening.wait()
            async with live.watch("shot", 9) as queue:
                self.tell(shot=9, n=1)
                message = await asyncio.wait_for(queue.get(), PATIENCE_S)
            listening.cancel()
            await asyncio.gather(listening, return_exceptions=True)
            return message

        with self.assertLogs("vapocline.store.live", "WARNING"):
            self.assertEqual(asyncio.run(heard_after()), {"shot": 9, "n": 1})


class Urls(unittest.TestCase):
    def test_any_way_of_writing_a_url_uses_the_driver_that_ships(self) -> None:
        for url in ("postgresql://h/d", "postgres://h/d", "postgresql+psycopg://h/d"):
            self.assertEqual(driver_url(url), "postgresql+psycopg://h/d")
            self.assertEqual(plain_url(url), "postgresql://h/d")
