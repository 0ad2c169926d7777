"""./vapo learn and ./vapo predict --knowledge: from files of shots to a truer forecast."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from tests.command.commands import run, run_process
from tests.core.learn.shots import shots
from tests.parts import folder
from vapocline.core.formats.registry import LEARNT, SHOT
from vapocline.core.formats.shot import ShotDocument
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.shot.traces import CHANNELS

STRANGE = {"permeability": 1.4}


def document(shot: LoggedShot, at: int) -> dict[str, Any]:
    assert shot.traces
    traces = {
        name: np.where(np.isnan(values), None, values).tolist()
        for name in CHANNELS
        if name != "cup_out_ml_s"
        for values in (np.round(getattr(shot.traces, name), 3),)
    }
    return {
        "format": "vapocline/shot",
        "version": 1,
        "name": shot.name,
        "started_at": f"2026-11-2{at}T08:00:00Z",
        "plan": shot.plan.written(),
        "profile_version": shot.version,
        "traces": traces,
        "result": {
            "shot_time_s": shot.shot_time_s,
            "first_drip_s": shot.first_drip_s,
            "yield_g": shot.yield_g,
            "peak_pressure_bar": shot.peak_pressure_bar,
            "tds_pct": shot.tds_pct,
        },
    }


class Learn(unittest.TestCase):
    def test_a_folder_of_shots_teaches_what_predict_takes(self) -> None:
        logged = shots(3, STRANGE, tds=True)
        with folder() as home:
            kept = home / "shots"
            kept.mkdir()
            for at, one in enumerate(logged):  # names that do not sort by time
                (kept / f"{9 - at}.json").write_text(json.dumps(document(one, at)))
            out = home / "knowledge.json"
            learnt = run_process("learn", str(kept), "--knowledge", str(out))
            self.assertEqual(learnt.returncode, 0, learnt.stderr)
            said = json.loads(learnt.stdout)
            nowhere = run("learn", str(kept), "--knowledge", str(home / "none" / "k.json"))
            plan = home / "plan.json"
            plan.write_text(json.dumps(logged[0].plan.written() | {"members": 16}))
            before, after = (
                json.loads(run("predict", str(plan), *more).stdout)
                for more in ((), ("--knowledge", str(out)))
            )
            spoilt = json.loads(out.read_text()) | {"shots": -1}
            out.write_text(json.dumps(spoilt))
            refused = run("predict", str(plan), "--knowledge", str(out))
        self.assertEqual((said["format"], said["version"]), (LEARNT.format, LEARNT.version))
        self.assertEqual((said["shots"], said["used"]), (3, True))
        self.assertEqual(said["counted"], [one.name for one in logged])
        parameters = {one["name"]: one for one in said["parameters"]}
        self.assertGreater(parameters["permeability"]["value"], 0.15)
        self.assertLess(parameters["permeability"]["sd"], parameters["permeability"]["prior_sd"])
        self.assertEqual(set(said["rivals"]), {"nothing", "permeability", "last_time"})
        self.assertIsNotNone(said["held_out"]["coverage"])
        measured = logged[0].shot_time_s
        self.assertEqual((before["ranges"], after["ranges"]), ("known", "learnt"))
        self.assertLess(
            abs(after["shot_time_s"]["value"] - measured),
            0.5 * abs(before["shot_time_s"]["value"] - measured),
        )
        self.assertEqual((refused.exit_code, nowhere.exit_code), (2, 2))
        self.assertIn("knowledge.shots: got -1", refused.stderr)
        self.assertIn("takes a file to write", nowhere.stderr)
        self.assertNotIn("Traceback", nowhere.stderr)

    def test_what_teaches_nothing_is_said_and_writes_no_knowledge(self) -> None:
        one = document(shots(1, STRANGE)[0], 1)
        one["result"]["yield_g"] = None
        with folder() as home:
            (home / "one.json").write_text(json.dumps(one))
            out = home.parent / f"{home.name}.knowledge"
            learnt = run("learn", str(home), "--knowledge", str(out))
            self.assertFalse(Path(out).exists())
        self.assertEqual(learnt.exit_code, 1)
        self.assertIn("No shot counts yet", learnt.stderr)
        self.assertIn("its yield is unknown", learnt.stdout)

    def test_bad_folders_and_files_are_refused_by_name_and_field(self) -> None:
        one = document(shots(1, STRANGE)[0], 1)
        with folder() as home:
            empty = run("learn", str(home))
            gone = run("learn", str(home / "nowhere"))
            for name, changes, words in (
                ("time", {"time_s": [1.0, 0.5]}, "bad.json.traces.time_s"),
                ("length", {"cup_g": [1.0]}, "bad.json.traces.cup_g: got 1 values"),
            ):
                with self.subTest(name):
                    bad = one | {"traces": one["traces"] | changes}
                    (home / "bad.json").write_text(json.dumps(bad))
                    refused = run("learn", str(home))
                    self.assertEqual(refused.exit_code, 2)
                    self.assertIn(words, refused.stderr)
                    self.assertNotIn("Traceback", refused.stderr)
            (home / "bad.json").write_text("{")
            broken = run("learn", str(home))
        for refused in (empty, gone):
            self.assertEqual(refused.exit_code, 2)
            self.assertIn("a folder of vapocline/shot documents", refused.stderr)
        self.assertIn("JSON that breaks off", broken.stderr)


class Shots(unittest.TestCase):
    def test_a_shot_reads_back_as_written_and_is_logged_as_it_was(self) -> None:
        one = shots(1, STRANGE, tds=True)[0]
        made = ShotDocument.model_validate(document(one, 1))
        self.assertEqual(SHOT.read(SHOT.write(made)), made)
        logged = made.logged()
        self.assertEqual((logged.name, logged.tds_pct), (one.name, one.tds_pct))
        self.assertIsNone(logged.void)
        assert logged.traces
        assert one.traces
        np.testing.assert_allclose(logged.traces.cup_g, one.traces.cup_g, atol=1e-3)
        self.assertTrue(logged.by_plan)

    def test_corrections_and_what_was_set_aside_are_seen(self) -> None:
        made = document(shots(1, STRANGE)[0], 1)
        nudged = made | {
            "events": [{"kind": "nudged", "time_s": 8.0, "control": "pressure", "by": 0.5}]
        }
        stopped = made | {"events": [{"kind": "stopped", "time_s": 20.0, "reason": "hand"}]}
        for each in (nudged, stopped):
            self.assertFalse(ShotDocument.model_validate(each).logged().by_plan)
        aside = ShotDocument.model_validate(made | {"set_aside": "spilt"}).logged()
        self.assertEqual(aside.void, "it was set aside: spilt")
