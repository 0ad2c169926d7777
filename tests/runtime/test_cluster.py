"""The private cluster: its own folder, its own user, loopback only, stopped whatever happens."""

from __future__ import annotations

import os
import stat
import unittest
from pathlib import Path

import psycopg

from tests.parts import folder
from vapocline.runtime.cluster import ClusterError, running_cluster


class PrivateCluster(unittest.TestCase):
    def test_data_are_kept_from_one_start_to_the_next(self) -> None:
        with folder() as home:
            with (
                running_cluster(home / "d", throw_away=True) as cluster,
                psycopg.connect(cluster.url, autocommit=True) as connection,
            ):
                connection.execute("create table kept (n int); insert into kept values (7)")
            with (
                running_cluster(home / "d", throw_away=True) as cluster,
                psycopg.connect(cluster.url) as connection,
            ):
                self.assertEqual(connection.execute("select n from kept").fetchone(), (7,))
            with self.assertRaises(psycopg.OperationalError):
                psycopg.connect(cluster.url, connect_timeout=3)

    def test_it_stops_even_when_what_runs_on_it_fails(self) -> None:
        with folder() as home:
            with (
                self.assertRaises(ZeroDivisionError),
                running_cluster(home / "d", throw_away=True) as cluster,
            ):
                raise ZeroDivisionError
            with self.assertRaises(psycopg.OperationalError):
                psycopg.connect(cluster.url, connect_timeout=3)

    def test_it_listens_on_loopback_only_and_never_runs_as_root(self) -> None:
        with folder() as home, running_cluster(home / "d", throw_away=True) as cluster:
            with psycopg.connect(cluster.url) as connection:
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
            with self.assertRaisesRegex(ClusterError, "holds other things"), running_cluster(home):
                pass
            self.assertEqual([path.name for path in home.iterdir()], ["letters.txt"])

    def test_a_path_too_long_for_a_socket_is_refused_before_anything_is_made(self) -> None:
        with folder() as home:
            long = home / ("x" * 100)
            with self.assertRaisesRegex(ClusterError, "too long a path"), running_cluster(long):
                pass
            self.assertFalse(Path(long).exists())
