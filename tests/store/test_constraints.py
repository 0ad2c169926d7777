"""What must hold, holds in the database itself: tried past the code above it."""

from __future__ import annotations

import json
import math
import re
import unittest

import procrastinate
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from procrastinate.schema import SchemaManager
from sqlalchemy import Engine, create_engine, select, text
from sqlalchemy.exc import DBAPIError, IntegrityError

from tests.parts import fresh_database, wait_for
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.core.shot.events import FirstDrip, Stopped
from vapocline.core.shot.traces import CHANNELS
from vapocline.store import journal, profiles, shots, taste
from vapocline.store.database import (
    MIGRATIONS,
    alembic_config,
    connect,
    sessions_for,
    transaction,
)
from vapocline.store.journal import Batch, NumberedEvent, OtherBatchError
from vapocline.store.tables import (
    Base,
    ChoiceRow,
    CoffeeRow,
    CupRow,
    GrinderRow,
    JournalRow,
    MachineRow,
    ProfileRow,
    ScoreRow,
    SeatRow,
    ServingRow,
    ShotRow,
    TasterRow,
    TastingSessionRow,
    VersionRow,
)

MACHINE = {"name": "Any"}
RECIPE = {"dose_g": 18.0, "target_yield_g": 36.0, "water_c": 93.0}


class OnDatabase(unittest.TestCase):
    engine: Engine

    @classmethod
    def setUpClass(cls) -> None:
        cls.engine = connect(fresh_database())
        cls.addClassCleanup(cls.engine.dispose)
        cls.sessions = sessions_for(cls.engine)
        with cls.sessions.begin() as session:
            version = VersionRow(number=1, document={"name": "P"}, profile=ProfileRow(name="P"))
            machine = MachineRow(name="Any", document=MACHINE)
            session.add_all([version, machine])
            session.flush()
            cls.version_id, cls.machine_id, cls.profile_id = (
                version.id,
                machine.id,
                version.profile_id,
            )

    def refused(self, row: Base, constraint: str) -> None:
        with self.assertRaises(IntegrityError) as caught, self.sessions.begin() as session:
            session.add(row)
        self.assertIn(constraint, str(caught.exception.orig))

    def shot(self, **values: object) -> ShotRow:
        known = {
            "state": "running",
            "version_id": self.version_id,
            "machine_id": self.machine_id,
            "plan": {},
            "prediction": {},
            "conditions": {},
            "simulated": True,
            "wired": True,
            **RECIPE,
        }
        return ShotRow(**known | values)


class Constraints(OnDatabase):
    def test_names_are_not_empty_and_not_taken_twice(self) -> None:
        self.refused(CoffeeRow(name="", roast="medium"), "ck_coffees_name")
        with (
            self.assertRaisesRegex(ConflictError, "profile with that name"),
            transaction(self.sessions) as session,
        ):
            session.add(ProfileRow(name="P"))

    def test_a_roast_is_one_of_the_five(self) -> None:
        self.refused(CoffeeRow(name="Char", roast="burnt"), "ck_coffees_roast")

    def test_a_grinders_points_come_in_pairs(self) -> None:
        self.refused(
            GrinderRow(name="G", settings=[1, 2, 3], grind_um=[200, 300]), "ck_grinders_points"
        )
        self.refused(GrinderRow(name="G", settings=[1], grind_um=[200]), "ck_grinders_points")

    def test_a_machines_name_is_its_documents(self) -> None:
        self.refused(MachineRow(name="Other", document=MACHINE), "ck_machines_document_name")

    def test_a_machine_not_connected_has_no_address(self) -> None:
        unreached = {"name": MACHINE["name"], "document": MACHINE, "wired": False}
        self.refused(MachineRow(address="here:1", **unreached), "ck_machines_wired")

    def test_a_shot_needs_a_known_state_and_a_dose(self) -> None:
        self.refused(self.shot(state="lost"), "ck_shots_state")
        self.refused(self.shot(dose_g=0), "ck_shots_recipe")

    def test_all_channels_are_on_one_clock(self) -> None:
        self.refused(self.shot(time_s=[0.0, 0.1], pressure_bar=[1.0]), "ck_shots_one_clock")

    def test_strength_is_a_percentage_that_can_be(self) -> None:
        for value in (0, 31):
            self.refused(self.shot(tds_pct=value), "ck_shots_tds_pct")

    def test_a_shots_version_must_exist(self) -> None:
        self.refused(self.shot(version_id=99999), "fk_shots_version_id")


class Tastings(OnDatabase):
    def setUp(self) -> None:
        """A session of two coded cups and one taster, and somebody who does not sit at it."""
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            taster = taste.taster_named(session, "Ines")
            self.stranger_id = taste.taster_named(session, "Stranger").id
            table = TastingSessionRow(
                kind="triangle", blind=True, seed=1, warmths=["hot"], lines=["liking"],
                questions=[], join_code=f"J{self.id()}",
                seats=[SeatRow(taster=taster, place=1, secret="q")],
            )  # fmt: skip
            session.add(table)
            session.flush()
            cups = [
                CupRow(session_id=table.id, shot_id=shot.id, code=code, number=int(code))
                for code in ("417", "902")
            ]
            session.add_all(cups)
            session.flush()
            for position, cup in enumerate(cups, start=1):
                place = {"session_id": table.id, "taster_id": taster.id, "round": 1}
                session.add(ServingRow(**place, position=position, cup_id=cup.id))
            self.shot_id, self.table_id, self.taster_id = shot.id, table.id, taster.id
            self.cup_ids = [cup.id for cup in cups]

    def scored(self, **values: object) -> ScoreRow:
        known = {
            "session_id": self.table_id, "taster_id": self.taster_id, "cup_id": self.cup_ids[0],
            "warmth": "hot", "served": "straight", "line": "liking", "points": 5,
        }  # fmt: skip
        return ScoreRow(**known | values)

    def chosen(self, **values: object) -> ChoiceRow:
        known = {
            "session_id": self.table_id, "taster_id": self.taster_id, "cup_id": self.cup_ids[0],
            "round": 1, "question": "odd", "place": 1,
        }  # fmt: skip
        return ChoiceRow(**known | values)

    def test_scores_lie_on_the_scale_and_a_cup_is_scored_once(self) -> None:
        with self.sessions.begin() as session:
            session.add(self.scored(points=10))
        self.refused(self.scored(line="body", points=11), "ck_scores_points")
        self.refused(self.scored(warmth="tepid"), "ck_scores_warmth")
        self.refused(self.scored(line="fizz"), "ck_scores_line")
        self.refused(self.scored(line="body", since_stop_s=-1), "ck_scores_since_stop_s")
        self.refused(self.scored(), "pk_scores")

    def test_only_who_was_served_a_cup_says_anything_of_it(self) -> None:
        self.refused(self.scored(taster_id=self.stranger_id), "fk_scores")
        self.refused(self.chosen(taster_id=self.stranger_id), "fk_choices")

    def test_one_cup_of_a_round_is_the_odd_one(self) -> None:
        with self.sessions.begin() as session:
            session.add(self.chosen())
        self.refused(self.chosen(cup_id=self.cup_ids[1]), "uq_choices_odd")
        self.refused(self.chosen(question="best"), "ck_choices_question")

    def test_no_code_comes_twice_and_a_code_has_three_digits(self) -> None:
        cup = {"session_id": self.table_id, "shot_id": self.shot_id}
        self.refused(CupRow(**cup, code="417", number=417), "uq_cups_session_id_")
        self.refused(CupRow(**cup, code="07", number=107), "ck_cups_")
        self.refused(CupRow(**cup, code="418", number=418, withdrawn=""), "ck_cups_withdrawn")

    def test_tasters_know_a_coded_cup_by_its_code_and_no_two_by_one_number(self) -> None:
        cup = {"session_id": self.table_id, "shot_id": self.shot_id}
        self.refused(CupRow(**cup, number=417), "uq_cups_session_id_number")
        self.refused(CupRow(**cup, code="418", number=419), "ck_cups_number")
        self.refused(CupRow(**cup, number=7), "ck_cups_number")

    def test_a_cup_comes_to_a_taster_once_and_tasters_are_told_apart_in_any_case(self) -> None:
        again = {"session_id": self.table_id, "taster_id": self.taster_id, "round": 2}
        self.refused(ServingRow(**again, position=1, cup_id=self.cup_ids[0]), "uq_servings")
        self.refused(TasterRow(name="iNES"), "uq_tasters_name")
        with self.sessions.begin() as session:
            self.assertEqual(taste.taster_named(session, "INES").id, self.taster_id)

    def test_a_quick_form_is_a_tasters_only_one_of_a_shot(self) -> None:
        quick = {
            "kind": "describe", "blind": False, "seed": 0, "warmths": [], "lines": [],
            "questions": [], "quick_shot_id": self.shot_id, "quick_taster_id": self.taster_id,
        }  # fmt: skip
        with self.sessions.begin() as session:
            session.add(TastingSessionRow(**quick))
        self.refused(TastingSessionRow(**quick), "uq_tasting_sessions_quick_shot_id")
        self.refused(
            TastingSessionRow(**quick | {"quick_taster_id": None}), "ck_tasting_sessions_quick"
        )


class Versions(OnDatabase):
    def test_a_saved_version_never_changes_and_is_never_deleted(self) -> None:
        for statement in (
            "update profile_versions set document = '{}'",
            "update profile_versions set number = 9",
            "delete from profile_versions",
        ):
            with (
                self.assertRaisesRegex(DBAPIError, "never changes"),
                self.engine.begin() as connection,
            ):
                connection.execute(text(statement))

    def test_only_its_label_may_be_given_later(self) -> None:
        with self.engine.begin() as connection:
            connection.execute(text("update profile_versions set label = 'house'"))
            self.assertEqual(connection.scalar(select(VersionRow.label)), "house")

    def test_two_versions_cannot_have_one_number(self) -> None:
        with (
            self.assertRaisesRegex(ConflictError, "newer version in the meantime"),
            transaction(self.sessions) as session,
        ):
            session.add(VersionRow(profile_id=self.profile_id, number=1, document={}))

    def test_what_is_not_there_is_reported_to_be_missing(self) -> None:
        with self.sessions() as session:
            for read in (
                lambda: profiles.read_profile(session, 404),
                lambda: profiles.read_version(session, self.profile_id, 404),
                lambda: shots.read_shot(session, 404),
            ):
                with self.assertRaisesRegex(NotFoundError, "404"):
                    read()


class Traces(OnDatabase):
    def test_traces_grow_as_they_come_and_the_whole_stays_on_one_clock(self) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            number = shot.id
        for batch, start in ((0, 0.0), (1, 0.2), (1, 0.2)):  # the last one is sent again
            columns = {name: [start, start + 0.1] for name in CHANNELS}
            drip = NumberedEvent(FirstDrip(time_s=start))
            one = Batch("a", batch, columns, [drip], heard=2)
            with self.sessions.begin() as session:
                journal.write(session, number, one)
        with self.sessions.begin() as session:
            kept = journal.read(session, shots.read_shot(session, number))
            self.assertEqual(kept.columns["time_s"], [0.0, 0.1, 0.2, 0.30000000000000004])
            self.assertEqual(kept.heard, 2)
            journal.settle(session, shots.read_shot(session, number))
        with self.sessions() as session:
            row = shots.read_shot(session, number)
            events = journal.read_events(session, number)
            left = session.query(JournalRow).filter_by(shot_id=number).count()
            self.assertEqual(left, 0)
        self.assertEqual(row.time_s, [0.0, 0.1, 0.2, 0.30000000000000004])
        self.assertEqual(len(row.pressure_bar), 4)
        self.assertEqual(events, [FirstDrip(time_s=0.0), FirstDrip(time_s=0.2)])

    def test_what_comes_late_is_put_where_it_belongs(self) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            for batch, at in ((0, 0.0), (2, 0.2)):
                columns = {name: [at] for name in CHANNELS}
                journal.write(session, shot.id, Batch("a", batch, columns, [], heard=1))
            journal.settle(session, shots.read_shot(session, shot.id))
            late = Batch("a", 1, {name: [0.1] for name in CHANNELS}, [], heard=1)
            journal.write(session, shot.id, late)
            row = shots.read_shot(session, shot.id)
            journal.settle(session, row)
            self.assertEqual((row.time_s, row.cup_g), ([0.0, 0.1, 0.2], [0.0, 0.1, 0.2]))

    def test_what_two_recorders_heard_is_kept_once(self) -> None:
        """One went on after its lock was lost, the other took the shot up from before."""
        stopped = [NumberedEvent(Stopped(time_s=0.3, reason="hand"), 4)]
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            for recorder, times in (("a", [0.0, 0.1]), ("b", [0.1, 0.2, 0.3]), ("a", [0.2, 0.3])):
                columns = {name: list(times) for name in CHANNELS}
                number = int(recorder == "a" and times[0] > 0)
                heard = Batch(recorder, number, columns, stopped if times[-1] > 0.2 else [], 5)
                journal.write(session, shot.id, heard)
            row = shots.read_shot(session, shot.id)
            journal.settle(session, row)
            self.assertEqual(row.time_s, [0.0, 0.1, 0.2, 0.3])
            events = journal.read_events(session, shot.id)
            self.assertEqual(events, [Stopped(time_s=0.3, reason="hand")])

    def test_a_batch_that_contradicts_one_of_its_number_is_refused_and_nothing_of_it_kept(
        self,
    ) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            kept, other = ({name: [at] for name in CHANNELS} for at in (0.1, 0.2))
            journal.write(session, shot.id, Batch("a", 0, kept, [], heard=1))
            drip = [NumberedEvent(FirstDrip(time_s=0.2))]
            with self.assertRaises(OtherBatchError):
                journal.write(session, shot.id, Batch("a", 0, other, drip, heard=1))
            found = journal.read(session, shots.read_shot(session, shot.id))
            self.assertEqual((found.columns["time_s"], found.events), ([0.1], []))

    def test_what_is_not_a_number_comes_back_as_a_gap(self) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            number = shot.id
            columns = {name: [float("nan")] for name in CHANNELS} | {"time_s": [0.0]}
            journal.write(session, number, Batch("a", 0, columns, [], heard=1))
        with self.sessions.begin() as session:
            row = shots.read_shot(session, number)
            self.assertEqual(journal.read(session, row).columns["cup_g"], [None])
            journal.settle(session, row)
            session.flush()
            self.assertTrue(math.isnan(row.cup_g[0]))

    def test_only_one_connection_may_hold_a_recording(self) -> None:
        with self.sessions() as one, self.sessions() as other:
            self.assertTrue(shots.hold_recording(one, 77))
            self.assertFalse(shots.hold_recording(other, 77))
            one.connection().invalidate()
            wait_for(lambda: shots.hold_recording(other, 77), "the lock to go with its connection")
            other.connection().invalidate()


def words_of(sql: str) -> list[str]:
    """A script's words without its comments."""
    return re.sub(r"--.*", "", sql).split()


def not_of_the_queue(name: str | None, kind: str, _parents: object) -> bool:
    """The queue's tables are its library's."""
    return kind != "table" or not str(name).startswith("procrastinate_")


class Migrations(unittest.TestCase):
    def test_the_queue_is_as_its_library_makes_it(self) -> None:
        frozen = (MIGRATIONS / "queue" / f"{procrastinate.__version__}.sql").read_text()
        for own, theirs in zip(words_of(frozen), words_of(SchemaManager.get_schema()), strict=True):
            self.assertEqual(own, theirs)

    def test_a_step_back_leaves_no_queue_and_forth_makes_it_again(self) -> None:
        url = fresh_database()
        engine = connect(url)
        self.addCleanup(engine.dispose)
        count = text("select count(*) from pg_class where relname like 'procrastinate%'")
        with engine.connect() as connection:
            before = connection.scalar(count)
        command.downgrade(alembic_config(url), "0015")
        with engine.connect() as connection:
            self.assertEqual(connection.scalar(count), 0)
        command.upgrade(alembic_config(url), "head")
        with engine.connect() as connection:
            self.assertEqual(connection.scalar(count), before)

    def test_the_migrations_make_exactly_the_tables_of_the_code(self) -> None:
        engine = connect(fresh_database())
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            ours = {"compare_type": True, "include_name": not_of_the_queue}
            context = MigrationContext.configure(connection, opts=ours)
            self.assertEqual(compare_metadata(context, Base.metadata), [])

    def test_names_of_before_lose_what_is_invisible_and_none_is_lost(self) -> None:
        url = fresh_database()
        command.downgrade(alembic_config(url), "0009")
        engine = connect(url)
        self.addCleanup(engine.dispose)
        insert = "insert into coffees (name, roast) values (:name, 'light')"
        names = ["Plain", "Pla\u200bin", "Cafe\u0301", "\u202e"]
        with engine.begin() as connection:
            for name in names:
                connection.execute(text(insert), {"name": name})
            connection.execute(
                text("insert into machines (name, document) values (:name, :document)"),
                {"name": "M\u200b", "document": json.dumps({"name": "M\u200b"})},
            )
        command.upgrade(alembic_config(url), "head")
        with engine.connect() as connection:
            found = connection.scalars(text("select name from coffees order by id")).all()
            machine = connection.execute(text("select name, document from machines")).one()
        self.assertEqual(found, ["Plain", "Plain (2)", "Caf\u00e9", "Unnamed"])
        self.assertEqual((machine.name, machine.document), ("M", {"name": "M"}))

    def test_what_earlier_shots_took_from_a_bag_is_added_up(self) -> None:
        url = fresh_database()
        command.downgrade(alembic_config(url), "0010")
        engine = connect(url)
        self.addCleanup(engine.dispose)
        with engine.begin() as connection:
            for statement in (
                "insert into coffees (name, roast) values ('C', 'light')",
                "insert into bags (coffee_id, bag_g) values (1, 250)",
                "insert into machines (name, document) values ('M', '{\"name\": \"M\"}')",
                "insert into profiles (name) values ('P')",
                "insert into profile_versions (profile_id, number, document) values (1, 1, '{}')",
            ):
                connection.execute(text(statement))
            shot = (
                "insert into shots (state, version_id, machine_id, bag_id, plan, prediction, "
                "conditions, simulated, wired, dose_g, target_yield_g, water_c) "
                "values ('done', 1, 1, 1, '{}', '{}', '{}', true, true, :dose, 36, 93)"
            )
            for dose in (18, 18.5):
                connection.execute(text(shot), {"dose": dose})
        command.upgrade(alembic_config(url), "head")
        sums = text("select used_g, shots from bags")
        with engine.begin() as connection:
            self.assertEqual(connection.execute(sums).one(), (36.5, 2))
            connection.execute(text(shot), {"dose": 20})
            self.assertEqual(connection.execute(sums).one(), (56.5, 3))
            connection.execute(text("update shots set dose_g = 19 where dose_g = 20"))
            connection.execute(text("delete from shots where dose_g = 18"))
            self.assertEqual(connection.execute(sums).one(), (37.5, 2))
            connection.execute(text("update shots set bag_id = null where dose_g = 19"))
            self.assertEqual(connection.execute(sums).one(), (18.5, 1))

    def test_every_tasting_of_before_becomes_a_session_of_one_and_goes_back(self) -> None:
        url = fresh_database()
        command.downgrade(alembic_config(url), "0014")
        engine = connect(url)
        self.addCleanup(engine.dispose)
        shot = (
            "insert into shots (state, version_id, machine_id, person_id, plan, prediction, "
            "conditions, simulated, wired, dose_g, target_yield_g, water_c, tds_pct) "
            "values ('done', 1, 1, :person, '{}', '{}', '{}', true, true, 18, 36, 93, :tds)"
        )
        old = (
            "insert into tastings (shot_id, warmth, served, liking, body, notes) "
            "values (:shot, :warmth, 'straight', :liking, :body, :notes)"
        )
        tastings = [(1, "hot", 7, 5, "plum"), (1, "cool", 8, None, ""), (2, "hot", None, None, "?")]
        with engine.begin() as connection:
            for statement in (
                "insert into machines (name, document) values ('M', '{\"name\": \"M\"}')",
                "insert into profiles (name) values ('P')",
                "insert into profile_versions (profile_id, number, document) values (1, 1, '{}')",
                "insert into people (name) values ('Ines')",
            ):
                connection.execute(text(statement))
            for person, tds in ((1, 9.1), (None, None)):
                connection.execute(text(shot), {"person": person, "tds": tds})
            for row in tastings:
                names = ("shot", "warmth", "liking", "body", "notes")
                connection.execute(text(old), dict(zip(names, row, strict=True)))
        command.upgrade(alembic_config(url), "head")
        scores = text("""
            select cups.shot_id, tasters.name, warmth, line, points from scores
            join cups on cups.id = cup_id join tasters on tasters.id = taster_id order by 1, 3, 4
        """)
        with engine.connect() as connection:
            self.assertEqual(
                [tuple(row) for row in connection.execute(scores)],
                [
                    (1, "Ines", "cool", "liking", 8),
                    (1, "Ines", "hot", "body", 5),
                    (1, "Ines", "hot", "liking", 7),
                ],
            )
            notes = text("select warmth, notes from remarks order by cup_id, warmth")
            kept = [tuple(row) for row in connection.execute(notes)]
            self.assertEqual(kept, [("cool", ""), ("hot", "plum"), ("hot", "?")])
            read = connection.scalars(text("select tds_pct from strength_readings")).all()
            self.assertEqual(read, [9.1])
        command.downgrade(alembic_config(url), "0014")
        with engine.connect() as connection:
            back = text("select shot_id, warmth, liking, body, notes from tastings order by 1, 2")
            self.assertEqual(
                sorted(tuple(row) for row in connection.execute(back))[:2],
                sorted(tastings)[:2],
            )

    def test_every_foreign_key_is_indexed(self) -> None:
        bare = """
            select c.conrelid::regclass || '.' || a.attname from pg_constraint c
            join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1]
            where c.contype = 'f' and not exists (
                select 1 from pg_index i
                where i.indrelid = c.conrelid and i.indkey[0] = c.conkey[1]
            )
        """
        with connect(fresh_database()).connect() as connection:
            self.assertEqual(connection.scalars(text(bare)).all(), [])

    def test_they_go_down_to_nothing_and_up_again(self) -> None:
        url = fresh_database()
        command.downgrade(alembic_config(url), "base")
        engine = create_engine(connect(url).url)
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            left = connection.scalars(
                text("select tablename from pg_tables where schemaname = 'public'")
            ).all()
        self.assertEqual(left, ["alembic_version"])
        command.upgrade(alembic_config(url), "head")
