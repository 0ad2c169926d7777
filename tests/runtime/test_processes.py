"""A fresh start sets the old folder aside, and the sample world is made once."""

from __future__ import annotations

import unittest

from tests.parts import context_on_fresh_database, folder, sample_world
from vapocline.core.base.problems import VapoclineError
from vapocline.demo.world import LAST_DAYS, build
from vapocline.desk.plan.profiles import list_profiles
from vapocline.desk.read.shots import list_shots
from vapocline.runtime.cluster import running_cluster
from vapocline.runtime.data_folder import LOCK, MARK
from vapocline.runtime.processes import start_afresh


class FreshStart(unittest.TestCase):
    def test_own_data_are_set_aside_and_sample_data_deleted(self) -> None:
        with folder() as home:
            data = home / "d"
            with running_cluster(data, throw_away=True):
                pass
            (data / "kept.txt").write_text("kept")
            aside = start_afresh(data, keep_old=True)
            assert aside
            self.assertFalse(data.exists())
            self.assertEqual((aside / "kept.txt").read_text(), "kept")
            aside.rename(data)
            self.assertIsNone(start_afresh(data, keep_old=False))
            self.assertEqual({one.name for one in data.iterdir()}, {MARK, LOCK})

    def test_there_is_nothing_to_set_aside_where_there_is_no_folder(self) -> None:
        with folder() as home:
            self.assertIsNone(start_afresh(home / "d", keep_old=True))

    def test_a_folder_of_others_is_refused(self) -> None:
        with folder() as home:
            (home / "d").mkdir()
            with self.assertRaisesRegex(VapoclineError, "not a folder of Vapocline's"):
                start_afresh(home / "d", keep_old=False)
            self.assertTrue((home / "d").exists())


class SampleWorld(unittest.TestCase):
    def test_what_is_there_is_not_made_twice(self) -> None:
        with context_on_fresh_database(template=sample_world()) as context:
            profiles = [one.name for one in list_profiles(context)]
            build(context.resources, lambda _text: None, fortnight=False)
            self.assertEqual([one.name for one in list_profiles(context)], profiles)
            self.assertEqual(len(list_shots(context, limit=99)), len(LAST_DAYS))
