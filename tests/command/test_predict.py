"""./vapo predict: the same document and answer as the API, and refusals on the error output."""

from __future__ import annotations

import json
import subprocess
import unittest
from pathlib import Path

from tests.command.commands import run, run_process
from tests.factories import plan, pressure
from tests.parts import folder
from vapocline.core.puck.predict import predict

REPO = Path(__file__).parents[2]


class Predict(unittest.TestCase):
    def test_a_file_and_standard_input_give_the_cores_answer(self) -> None:
        one = plan(pressure(9))
        text = json.dumps(one.written())
        with folder() as home:
            (home / "plan.json").write_text(text)
            from_file = run_process("predict", str(home / "plan.json"))
        from_input = run("predict", "-", given=text)
        self.assertEqual(from_file.returncode, 0, from_file.stderr)
        self.assertEqual(from_file.stdout, from_input.stdout)
        self.assertEqual(
            json.loads(from_file.stdout), json.loads(predict(one).model_dump_json(by_alias=True))
        )

    def test_what_cannot_run_ends_with_two_and_the_field_on_the_error_output(self) -> None:
        document = plan(pressure(9)).written()
        document["setup"]["dose_g"] = 0
        for given, words in (
            (json.dumps(document), "setup.dose_g: got 0; takes a number from 5 to 40 g"),
            (json.dumps(plan().written()), "profile.phases: got none; takes at least one phase"),
            ("{", "document: got JSON that breaks off at line 1"),
            ("[]", "document: got none; takes an object"),
        ):
            with self.subTest(words):
                refused = run("predict", "-", given=given)
                self.assertEqual(refused.exit_code, 2)
                self.assertEqual(refused.stdout, "")
                self.assertIn(words, refused.stderr)
                self.assertNotIn("Traceback", refused.stderr)

    def test_the_command_takes_paths_from_the_folder_it_is_called_in_and_no_code(self) -> None:
        with folder() as home:
            (home / "plan.json").write_text(json.dumps(plan(pressure(9)).written()))
            (home / "json.py").write_text("raise SystemExit(3)")
            done = subprocess.run(
                [REPO / "vapo", "predict", "plan.json"],
                cwd=home, capture_output=True, text=True, check=False,
            )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("shot_time_s", json.loads(done.stdout))

    def test_a_file_that_is_not_there(self) -> None:
        refused = run("predict", "nowhere.json")
        self.assertEqual(refused.exit_code, 2)
        self.assertIn("a readable text file", refused.stderr)


class More(unittest.TestCase):
    def test_sensitivities_and_a_goal_from_the_command_line(self) -> None:
        one = plan(pressure(9)).written()
        steps = json.loads(run("predict", "-", "--sensitivity", given=json.dumps(one)).stdout)
        self.assertIn("setup.grind_um", [step["what"] for step in steps])
        goal = {
            "plan": one,
            "wants": [{"figure": "shot_time_s", "at": 28}],
            "moves": [{"what": "setup.grind_um"}],
        }
        found = json.loads(run("seek", "-", given=json.dumps(goal)).stdout)
        self.assertTrue(found["reached"], found["words"])
        bad = run("seek", "-", given=json.dumps(goal | {"moves": [{"what": "setup.mood"}]}))
        self.assertEqual(bad.exit_code, 2)
        self.assertIn("what: got 'setup.mood'", bad.stderr)
