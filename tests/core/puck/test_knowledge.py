"""Knowledge as a value: what it moves, how it is drawn, what is no knowledge."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.factories import plan, pressure
from tests.marks import examples, more_cases
from vapocline.core.base.problems import refused_by_pydantic
from vapocline.core.puck.knowledge import Knowledge, Learnt, knowledge_of
from vapocline.core.puck.parameters import Parameters, moved, parameters_for
from vapocline.core.puck.plan import Setup, knowing
from vapocline.core.puck.predict import predict
from vapocline.core.puck.priors import members_of
from vapocline.core.puck.unknowns import BY_NAME, UNKNOWNS

SURE = knowledge_of(
    {"permeability": -0.3, "head": 0.2}, np.diag([0.01, 0.02]) ** 2, shots=4, strengths=0
)


class Moving(unittest.TestCase):
    def test_a_plan_that_knows_runs_as_what_it_knows(self) -> None:
        one = plan(pressure(9))
        slow = predict(knowing(one, SURE))
        self.assertGreater(slow.shot_time_s.value, 1.15 * predict(one).shot_time_s.value)
        self.assertEqual(predict(knowing(one, Knowledge())).shot_time_s, predict(one).shot_time_s)

    def test_an_insert_is_no_puck_and_learns_nothing(self) -> None:
        disc = Setup(dose_g=18, insert=True, knowledge=SURE)
        self.assertEqual(parameters_for(disc), parameters_for(Setup(dose_g=18, insert=True)))

    def test_exponents_follow_grind_and_rest(self) -> None:
        fine = parameters_for(Setup(dose_g=18, grind_um=250, rest_days=20))
        steeper = moved(fine, {"permeability by grind": 0.5, "rate by grind": 0.5, "staling": 0.2})
        self.assertAlmostEqual(steeper.permeability / fine.permeability, (250 / 300) ** 0.5)
        self.assertAlmostEqual(steeper.size_ratio / fine.size_ratio, (300 / 250) ** 0.5)
        self.assertGreater(steeper.gas_ml_g, fine.gas_ml_g)
        usual = parameters_for(Setup(dose_g=18, grind_um=300))
        self.assertEqual(moved(usual, {"permeability by grind": 0.5}), usual)

    def test_every_unknown_moves_what_there_is_and_says_what_it_is(self) -> None:
        for unknown in UNKNOWNS:
            self.assertLessEqual(set(unknown.fields), set(Parameters._fields))
            self.assertTrue(unknown.words)
        self.assertEqual(len(BY_NAME), len(UNKNOWNS))


class Drawing(unittest.TestCase):
    def test_members_spread_as_known_and_what_belongs_together_moves_together(
        self,
    ) -> None:
        both = knowledge_of(
            {"permeability": 0.0, "uptake": 0.0},
            np.array([[0.09, 0.054], [0.054, 0.04]]),
            shots=3,
            strengths=0,
        ).model_copy(update={"pull_spread": 0.0, "model_spread": 0.0})
        setup = Setup(dose_g=18, knowledge=both)
        p = parameters_for(setup)
        members = members_of(p, 512, 1, knowledge=both)
        ln_k = np.log([one.permeability / p.permeability for one in members])
        drunk = np.log([one.uptake_ml_g / p.uptake_ml_g for one in members])
        self.assertAlmostEqual(float(ln_k.std()), 0.3, delta=0.03)
        self.assertAlmostEqual(float(drunk.std()), 0.2, delta=0.02)
        self.assertAlmostEqual(float(np.corrcoef(ln_k, drunk)[0, 1]), 0.9, delta=0.05)

    def test_what_is_not_listed_is_as_open_as_before(self) -> None:
        self.assertEqual(SURE.of("erosion").sd, BY_NAME["erosion"].spread)
        self.assertEqual(SURE.of("head").mean, 0.2)

    @more_cases
    @settings(derandomize=True, max_examples=examples(40), deadline=None)
    @given(st.lists(st.floats(-1, 1), min_size=9, max_size=9))
    def test_any_covariance_becomes_knowledge_that_reads_back(self, numbers: list[float]) -> None:
        root = np.array(numbers).reshape(3, 3)
        covariance = root @ root.T + 1e-4 * np.eye(3)
        names = ("permeability", "head", "rate")
        made = knowledge_of(dict.fromkeys(names, 0.1), covariance, shots=3, strengths=1)
        self.assertEqual(Knowledge.model_validate(made.written()), made)
        for name, var in zip(names, np.diag(covariance), strict=True):
            self.assertAlmostEqual(made.of(name).sd, math.sqrt(var), places=4)


class Refusing(unittest.TestCase):
    def test_what_is_no_knowledge_is_refused_by_field(self) -> None:
        known = [Learnt(name="head", sd=0.1).written(), Learnt(name="uptake", sd=0.1).written()]
        for changes, field, words in (
            ({"learnt": [{"name": "mood", "sd": 0.1}]}, "learnt.0.name", "'mood'"),
            ({"learnt": [known[0], known[0]], "correlations": [[1, 0], [0, 1]]}, "learnt", "twice"),
            ({"learnt": known, "correlations": [[1, 0]]}, "correlations", "2 rows of 2"),
            ({"learnt": known, "correlations": [[1, 0], [0.5, 1]]}, "correlations", "both ways"),
            ({"learnt": known, "correlations": [[1, 2], [2, 1]]}, "correlations", "matrix"),
            ({"shots": -1}, "shots", "0"),
            ({"pull_spread": "wide"}, "pull_spread", "number"),
        ):
            with self.subTest(words):
                with self.assertRaises(ValidationError) as caught:
                    Knowledge.model_validate(changes)
                [problem, *_] = refused_by_pydantic(caught.exception).problems
                self.assertTrue(problem.field.startswith(field), problem)
                self.assertIn(words, str(problem))
