"""The private cluster: its own folder, its own user, loopback only, stopped whatever happens."""

from __future__ import annotations

import os
import stat
import unittest
from pathlib import Path
from unittest.mock import patch

import psycopg

from tests.parts import folder
from vapocline.core.base.problems import VapoclineError
from vapocline.runtime import cluster
from vapocline.runtime.cluster import ClusterError, running_cluster


class PrivateCluster(unittest.TestCase):
    def test_data_are_kept_from_one_start_to_the_next(self) -> None:
        with folder() as home:
            with (
                running_cluster(home / "d", throw_away=True) as ours,
                psycopg.connect(ours.url, autocommit=True) as connection,
            ):
                connection.execute("create table kept (n int); insert into kept values (7)")
            with (
                running_cluster(home / "d", throw_away=True) as ours,
                psycopg.connect(ours.url) as connection,
            ):
                self.assertEqual(connection.execute("select n from kept").fetchone(), (7,))
            with self.assertRaises(psycopg.OperationalError):
                psycopg.connect(ours.url, connect_timeout=3)

    def test_it_stops_even_when_what_runs_on_it_fails(self) -> None:
        with folder() as home:
            with (
                self.assertRaises(ZeroDivisionError),
                running_cluster(home / "d", throw_away=True) as ours,
            ):
                raise ZeroDivisionError
            with self.assertRaises(psycopg.OperationalError):
                psycopg.connect(ours.url, connect_timeout=3)

    def test_it_listens_on_loopback_only_and_never_runs_as_root(self) -> None:
        with folder() as home, running_cluster(home / "d", throw_away=True) as ours:
            with psycopg.connect(ours.url) as connection:
                found = connection.execute("show listen_addresses").fetchone()
            self.assertEqual(found, ("127.0.0.1",))
            postmaster = int((home / "d/db/postmaster.pid").read_text().split()[0])
            self.assertNotEqual(os.stat(f"/proc/{postmaster}").st_uid, 0)

    def test_the_password_is_for_its_owner_only(self) -> None:
        with folder() as home, running_cluster(home / "d", throw_away=True):
            mode = stat.S_IMODE((home / "d/password").stat().st_mode)
            self.assertEqual(mode, 0o600)

    def test_a_folder_that_holds_other_things_is_left_alone(self) -> None:
        with folder() as home:
            (home / "letters.txt").write_text("dear")
            with (
                self.assertRaisesRegex(VapoclineError, "holds other things"),
                running_cluster(home),
            ):
                pass
            self.assertEqual([path.name for path in home.iterdir()], ["letters.txt"])

    def test_a_path_too_long_for_a_socket_is_refused_before_anything_is_made(self) -> None:
        with folder() as home:
            long = home / ("x" * 100)
            with self.assertRaisesRegex(ClusterError, "too long a path"), running_cluster(long):
                pass
            self.assertFalse(Path(long).exists())


class Versions(unittest.TestCase):
    """A cluster is run by the programs of the version that made it, whatever else is installed."""

    def setUp(self) -> None:
        self.home = self.enterContext(folder())
        self.enterContext(patch.object(cluster, "INSTALLED", self.home / "installed"))
        self.enterContext(patch.dict(os.environ, {"PATH": str(self.home)}))
        for version in ("9", "15", "17"):
            programs = self.home / "installed" / version / "bin"
            programs.mkdir(parents=True)
            (programs / "initdb").touch()

    def made_by(self, version: str) -> Path:
        db = self.home / f"made by {version}"
        db.mkdir()
        (db / "PG_VERSION").write_text(f"{version}\n")
        return db

    def test_a_new_cluster_takes_the_newest(self) -> None:
        for db in (None, self.home / "new"):
            self.assertEqual(cluster.programs(db).parts[-2:], ("17", "bin"))

    def test_an_old_cluster_takes_its_own(self) -> None:
        self.assertEqual(cluster.programs(self.made_by("15")).parts[-2:], ("15", "bin"))

    def test_a_version_that_is_not_installed_is_named(self) -> None:
        with self.assertRaisesRegex(ClusterError, "made by PostgreSQL 16, which is not installed"):
            cluster.programs(self.made_by("16"))
