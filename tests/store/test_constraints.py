"""What must hold, holds in the database itself: tried past the code above it."""

from __future__ import annotations

import json
import math
import unittest

from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import Engine, create_engine, select, text
from sqlalchemy.exc import DBAPIError, IntegrityError

from tests.parts import fresh_database, wait_for
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.core.shot.events import FirstDrip
from vapocline.core.shot.traces import CHANNELS
from vapocline.store import journal, profiles, shots
from vapocline.store.database import alembic_config, connect, sessions_for, transaction
from vapocline.store.journal import Batch
from vapocline.store.tables import (
    Base,
    CoffeeRow,
    GrinderRow,
    JournalRow,
    MachineRow,
    ProfileRow,
    ShotRow,
    TastingRow,
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

    def test_scores_lie_on_the_scale_and_a_cup_is_scored_once(self) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            shot_id = shot.id
            session.add(TastingRow(shot_id=shot_id, warmth="hot", served="straight", liking=10))
        self.refused(
            TastingRow(shot_id=shot_id, warmth="cool", served="straight", acidity=11), "acidity"
        )
        self.refused(
            TastingRow(shot_id=shot_id, warmth="tepid", served="straight"), "ck_tastings_warmth"
        )
        self.refused(TastingRow(shot_id=shot_id, warmth="hot", served="straight"), "uq_tastings")

    def test_a_shots_version_must_exist(self) -> None:
        self.refused(self.shot(version_id=99999), "fk_shots_version_id")


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
            one = Batch(batch, columns, [FirstDrip(time_s=start)], heard=2)
            with self.sessions.begin() as session:
                journal.write(session, number, one)
        with self.sessions.begin() as session:
            kept = journal.read(session, shots.read_shot(session, number))
            self.assertEqual(kept.columns["time_s"], [0.0, 0.1, 0.2, 0.30000000000000004])
            self.assertEqual((kept.heard, kept.next_batch), (2, 2))
            journal.settle(session, shots.read_shot(session, number))
        with self.sessions() as session:
            row = shots.read_shot(session, number)
            events = journal.read_events(session, number)
            self.assertEqual(session.query(JournalRow).count(), 0)
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
                journal.write(session, shot.id, Batch(batch, columns, [], heard=1))
            journal.settle(session, shots.read_shot(session, shot.id))
            late = Batch(1, {name: [0.1] for name in CHANNELS}, [], heard=1)
            journal.write(session, shot.id, late)
            row = shots.read_shot(session, shot.id)
            journal.settle(session, row)
            self.assertEqual((row.time_s, row.cup_g), ([0.0, 0.1, 0.2], [0.0, 0.1, 0.2]))

    def test_what_is_not_a_number_comes_back_as_a_gap(self) -> None:
        with self.sessions.begin() as session:
            shot = self.shot()
            session.add(shot)
            session.flush()
            number = shot.id
            columns = {name: [float("nan")] for name in CHANNELS} | {"time_s": [0.0]}
            journal.write(session, number, Batch(0, columns, [], heard=1))
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


class Migrations(unittest.TestCase):
    def test_the_migrations_make_exactly_the_tables_of_the_code(self) -> None:
        engine = connect(fresh_database())
        self.addCleanup(engine.dispose)
        with engine.connect() as connection:
            context = MigrationContext.configure(connection, opts={"compare_type": True})
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
