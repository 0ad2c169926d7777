"""The data folder: one Vapocline at a time by whatever path, and nothing that others planted."""

from __future__ import annotations

import os
import subprocess
import unittest
from pathlib import Path
from unittest.mock import patch

from tests.parts import folder
from vapocline.core.base.problems import VapoclineError
from vapocline.runtime.cluster import running_cluster, running_url
from vapocline.runtime.data_folder import LOCK, MARK, alone_in, data_folder

STRANGER = 4242  # a user that nobody is
as_root = unittest.skipIf(os.geteuid() != 0, "only root can give a file to another user")


class OneAtATime(unittest.TestCase):
    def setUp(self) -> None:
        self.home = self.enterContext(folder())
        self.data = self.home / "with a space"

    def refused(self, path: Path, words: str) -> None:
        with self.assertRaisesRegex(VapoclineError, words), alone_in(path):
            self.fail("it was let in")

    def test_a_second_one_is_refused_by_the_folders_other_names(self) -> None:
        (self.home / "link").symlink_to(self.data)
        with alone_in(self.data):
            self.refused(data_folder(self.home / "link", "own"), "Another Vapocline is running")
            self.refused(data_folder(self.home / "." / "with a space", "own"), "Another")
        with alone_in(self.data):
            pass

    @as_root
    def test_a_second_one_is_refused_through_a_mount_and_the_cluster_lives_on(self) -> None:
        other = self.home / "mounted"
        other.mkdir()
        with alone_in(self.data), running_cluster(self.data, throw_away=True) as cluster:
            bind = ["mount", "--bind", str(self.data), str(other)]
            if subprocess.run(bind, capture_output=True, check=False).returncode:
                self.skipTest("mounting is not allowed here")
            self.addCleanup(subprocess.run, ["umount", "-l", str(other)], check=False)
            self.refused(other, "Another Vapocline is running")
            self.assertIsNotNone(cluster.pid())
            self.assertEqual(running_url(self.data), cluster.url)

    def test_what_is_in_the_locks_place_is_neither_followed_nor_truncated(self) -> None:
        letters = self.home / "letters"
        letters.write_text("dear")
        self.data.mkdir()
        for name in (LOCK, MARK):
            with self.subTest(name):
                for mine in (LOCK, MARK):
                    (self.data / mine).unlink(missing_ok=True)
                (self.data / name).symlink_to(letters)
                self.refused(self.data, "symbolic links|holds other things")
                self.assertEqual(letters.read_text(), "dear")
                (self.data / name).unlink()
        (self.data / LOCK).write_text("of an older one")
        with alone_in(self.data):
            self.assertEqual((self.data / LOCK).read_text(), "of an older one")

    def test_a_folder_that_holds_other_things_is_not_marked(self) -> None:
        self.data.mkdir()
        (self.data / "letters").write_text("dear")
        self.refused(self.data, "holds other things")
        self.assertEqual([one.name for one in self.data.iterdir()], ["letters"])


@as_root
class AsRoot(unittest.TestCase):
    def setUp(self) -> None:
        self.home = self.enterContext(folder())
        self.data = self.home / "d"

    def test_a_folder_of_another_user_is_not_taken_over(self) -> None:
        self.data.mkdir()
        (self.data / MARK).write_text("as if it were ours")
        os.chown(self.data, STRANGER, STRANGER)
        with self.assertRaisesRegex(VapoclineError, "belongs to another user"), alone_in(self.data):
            self.fail("it was taken over")
        self.assertEqual({one.name for one in self.data.iterdir()}, {MARK})

    def test_one_that_others_may_write_into_is_refused(self) -> None:
        self.data.mkdir()
        self.data.chmod(0o777)
        with self.assertRaisesRegex(VapoclineError, "Others may write"), alone_in(self.data):
            self.fail("it was used")

    def test_a_link_that_another_user_planted_is_not_followed(self) -> None:
        target = self.home / "root's own"
        target.mkdir()
        self.data.symlink_to(target)
        os.chown(self.data, STRANGER, STRANGER, follow_symlinks=False)
        with self.assertRaisesRegex(VapoclineError, "is a link that another user made"):
            data_folder(self.data / "own", "own")
        with patch("os.geteuid", return_value=STRANGER):  # to whoever made it, it is theirs
            self.assertEqual(data_folder(self.data, "own"), target)

    def test_a_log_in_its_place_is_not_followed(self) -> None:
        letters = self.home / "letters"
        letters.write_text("dear")
        self.data.mkdir()
        (self.data / MARK).write_text("ours")
        (self.data / "pg.log").symlink_to(letters)
        with self.assertRaises(OSError), running_cluster(self.data, throw_away=True):
            self.fail("it was followed")
        self.assertEqual(letters.stat().st_uid, 0)


class Spaces(unittest.TestCase):
    def test_a_folder_with_a_space_starts_and_one_with_a_comma_is_refused(self) -> None:
        with folder() as home:
            with running_cluster(home / "my data", throw_away=True) as cluster:
                self.assertIsNotNone(cluster.pid())
            with (
                self.assertRaisesRegex(VapoclineError, "takes a path without"),
                running_cluster(home / "a,b", throw_away=True),
            ):
                self.fail("it started")
