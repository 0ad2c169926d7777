"""Backups: whole, checked, restored; made before the tables change."""

from __future__ import annotations

import contextlib
import io
import json
import unittest
import zipfile
from collections.abc import Callable
from datetime import datetime
from unittest.mock import patch

import psycopg
from alembic import command
from sqlalchemy import text

from tests.parts import context_on_fresh_database, folder, fresh_database, sample_world, url_of
from vapocline.core.base.problems import VapoclineError
from vapocline.core.coffee.coffee import Coffee
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import open_resources
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.runtime import backup
from vapocline.runtime.backup import back_up, back_up_before_migrating, read_backup, restore
from vapocline.runtime.processes import database_of
from vapocline.store.database import alembic_config, connect, migrate, revisions


class Backups(unittest.TestCase):
    def setUp(self) -> None:
        self.home = self.enterContext(folder())
        self.file = self.home / "kept.vapocline"

    def test_all_comes_back_from_a_restore_with_what_was_not_saved_yet(self) -> None:
        (self.home / "d" / "unsaved").mkdir(parents=True)
        (self.home / "d" / "unsaved" / "3.json").write_text("{}")
        with context_on_fresh_database(template=sample_world()) as context:
            shots = list_shots(context)
            whole = read_shot(context, shots[0].id)
            made = back_up(url_of(context), self.file, self.home / "d")
        self.assertEqual((made.shots, made.revision), (len(shots), revisions()[-1]))
        self.assertEqual(self.file.stat().st_mode & 0o777, 0o600, "it holds all that one wrote")
        again = restore(self.file, self.home / "again")
        self.assertEqual(again, made)
        self.assertEqual((self.home / "again" / "unsaved" / "3.json").read_text(), "{}")
        with (
            database_of(self.home / "again") as url,
            contextlib.closing(open_resources(url)) as resources,
        ):
            found = open_bench(resources)
            self.assertEqual(list_shots(found), shots)
            self.assertEqual(read_shot(found, shots[0].id).traces, whole.traces)
            add_coffee(found, Coffee(name="After it"))

    def test_it_is_never_restored_over_something(self) -> None:
        back_up(fresh_database(), self.file)
        (self.home / "d").mkdir()
        (self.home / "d" / "letters.txt").write_text("dear")
        with self.assertRaisesRegex(VapoclineError, "is not empty"):
            restore(self.file, self.home / "d")
        self.assertEqual([one.name for one in (self.home / "d").iterdir()], ["letters.txt"])

    def test_a_damaged_a_foreign_and_a_newer_file_are_refused_before_anything_is_made(
        self,
    ) -> None:
        back_up(fresh_database(), self.file)
        whole = self.file.read_bytes()
        damages: dict[str, Callable[[], object]] = {
            "is damaged|is no backup": lambda: self.file.write_bytes(
                whole[:900] + bytes([whole[900] ^ 1]) + whole[901:]
            ),
            "is no backup of Vapocline, or is cut off": lambda: self.file.write_bytes(whole[:2000]),
            "is no backup": lambda: self.file.write_text("dear"),
            "of a newer Vapocline: update": lambda: self.rewritten(whole, revision="9999"),
            "of a newer Vapocline$": lambda: self.rewritten(whole, version=2),
            "its checksum is another": lambda: self.rewritten(whole, sha256="0" * 64),
        }
        for words, damage in damages.items():
            with self.subTest(words):
                damage()
                with self.assertRaisesRegex(VapoclineError, words):
                    restore(self.file, self.home / "d")
                self.assertFalse((self.home / "d").exists())
        with self.assertRaisesRegex(VapoclineError, "is no backup"):
            read_backup(self.home / "nothing")

    def rewritten(self, whole: bytes, **changes: object) -> None:
        """The backup with another manifest."""
        self.file.write_bytes(whole)
        with zipfile.ZipFile(self.file) as box:
            dump = box.read(backup.DUMP)
            manifest = json.loads(box.read(backup.MANIFEST)) | changes
        with zipfile.ZipFile(self.file, "w") as box:
            box.writestr(backup.DUMP, dump)
            box.writestr(backup.MANIFEST, json.dumps(manifest))

    def packed(self, *more: tuple[str, bytes], how: int = zipfile.ZIP_STORED) -> None:
        """The backup with other pieces in it."""
        whole = self.file.read_bytes()
        with zipfile.ZipFile(io.BytesIO(whole)) as box:
            pieces = [(name, box.read(name)) for name in box.namelist()]
        with zipfile.ZipFile(self.file, "w", how) as box:
            for name, content in [*pieces, *more]:
                box.writestr(name, content)

    def test_pieces_that_no_backup_has_are_refused_before_anything_is_made(self) -> None:
        back_up(fresh_database(), self.file)
        whole = self.file.read_bytes()
        for name in ("unsaved/../../evil", "/etc/evil", "unsaved/a/b", "run.sh", "unsaved/.ssh"):
            with self.subTest(name):
                self.file.write_bytes(whole)
                self.packed((name, b"x"))
                with self.assertRaisesRegex(VapoclineError, "it holds"):
                    restore(self.file, self.home / "d")
        self.file.write_bytes(whole)
        self.packed(("unsaved/shot-1.unsaved", b" " * 1_000_000), how=zipfile.ZIP_DEFLATED)
        with self.assertRaisesRegex(VapoclineError, "is packed"):
            restore(self.file, self.home / "d")
        self.assertFalse((self.home / "d").exists())

    def test_code_that_is_not_ours_is_not_brought_in(self) -> None:
        url = fresh_database()
        with psycopg.connect(url, autocommit=True) as connection:
            connection.execute(
                "create function evil() returns trigger language plpgsql as "
                "'begin delete from shots; return new; end'"
            )
            connection.execute(
                "create trigger evil after insert on coffees execute function evil()"
            )
        back_up(url, self.file)
        with self.assertRaisesRegex(VapoclineError, "code that is not Vapocline's: .*evil"):
            restore(self.file, self.home / "d")
        self.assertFalse((self.home / "d" / "db").exists())

    def test_what_fails_half_way_leaves_nothing(self) -> None:
        with (
            self.assertRaisesRegex(VapoclineError, "pg_dump failed"),
            patch.object(backup, "revision_of", return_value="0001"),
        ):
            back_up("postgresql://nobody:no@127.0.0.1:1/no", self.file)
        self.assertEqual(list(self.home.iterdir()), [])
        back_up(fresh_database(), self.file)
        with (
            patch.object(backup, "counted", return_value=7),
            self.assertRaisesRegex(VapoclineError, "7 shots were restored of 0"),
        ):
            restore(self.file, self.home / "d")
        self.assertFalse((self.home / "d").exists())

    def test_one_is_made_before_the_tables_change_and_the_last_five_stay(self) -> None:
        url = fresh_database()
        self.assertIsNone(back_up_before_migrating(url, self.home), "up to date")
        command.downgrade(alembic_config(url), "0009")
        for day in range(7):
            with patch.object(backup, "datetime") as clock:
                clock.now.side_effect = lambda zone=None, day=day: datetime(
                    2026, 1, day + 1, tzinfo=zone
                )
                file = back_up_before_migrating(url, self.home)
            assert file
        kept = sorted(one.name for one in (self.home / "backups").iterdir())
        self.assertEqual(
            kept, [f"2026010{n}-000000-before-{revisions()[-1]}.vapocline" for n in range(3, 8)]
        )
        self.assertEqual(read_backup(file).revision, "0009")
        migrate(url)
        self.assertIsNone(back_up_before_migrating(url, self.home))


class Told(unittest.TestCase):
    """What is wrong with a database is said in a sentence, and nothing is changed."""

    def test_one_of_a_newer_vapocline(self) -> None:
        url = fresh_database()
        with connect(url).begin() as connection:
            connection.execute(text("update alembic_version set version_num = '9999'"))
        with self.assertRaisesRegex(VapoclineError, "A newer Vapocline made this database"):
            migrate(url)

    def test_a_migration_that_fails_changes_nothing(self) -> None:
        url = fresh_database()
        command.downgrade(alembic_config(url), "0009")
        with connect(url).begin() as connection:  # in the way of 0011
            connection.execute(text("create index ix_bags_coffee_id on bags (coffee_id)"))
            connection.execute(
                text("insert into coffees (name, roast) values ('a\u200bb', 'dark')")
            )
        with self.assertRaisesRegex(
            VapoclineError, "from 0009 to .* failed, and nothing was changed"
        ):
            migrate(url)
        with connect(url).connect() as connection:
            self.assertEqual(connection.scalar(text("select name from coffees")), "a\u200bb")
            self.assertEqual(
                connection.scalar(text("select version_num from alembic_version")), "0009"
            )
