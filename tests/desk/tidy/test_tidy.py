"""Tidying a recording, through the desk."""

from __future__ import annotations

import numpy as np

from tests.desk.pull.test_pull import AtBench
from tests.factories import pressure, profile, seconds, until_cup
from vapocline.core.base.problems import NotFoundError, Refused
from vapocline.core.machine.machine import Machine
from vapocline.core.tidy.tidy import TidyAsk
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.exchange.traces import write_traces
from vapocline.desk.pull.start import pull
from vapocline.desk.shelf.machines import add_machine
from vapocline.desk.tidy.tidy import TidyRequest, tidy_recording


class Tidying(AtBench):
    def test_a_pulled_shot_comes_back_as_the_phases_it_was_made_of(self) -> None:
        document = profile(
            pressure(3, None, until_cup(2), seconds(40), name="Soak"), pressure(8, name="Press")
        )
        number = pull(self.context, self.request(document))
        found = tidy_recording(self.context, TidyRequest(shot_id=number, name="Again"))
        levels = [p.command.to for p in found.tidied.profile.phases]  # type: ignore[union-attr]
        np.testing.assert_allclose(levels, [3, 8], atol=0.3)
        assert found.prediction
        self.assertAlmostEqual(
            found.prediction.shot_time_s.value or 0, self.shot(number).shot_time_s or 0, delta=6
        )
        self.assertEqual(found.tidied.profile.name, "Again")

    def test_a_trace_brought_in_is_tidied_for_the_bench(self) -> None:
        number = pull(self.context, self.request())
        text = write_traces(self.context, number)
        found = tidy_recording(self.context, TidyRequest(csv=text))
        self.assertGreaterEqual(len(found.tidied.profile.phases), 1)
        self.assertIsNotNone(found.first_drip_s)

    def test_either_a_shot_or_a_trace_and_a_trace_that_is_one(self) -> None:
        for fields in ({}, {"shot_id": 1, "csv": "x"}):
            with self.assertRaisesRegex(ValueError, "shot_id|tidy"):
                TidyRequest.model_validate(fields)
        with self.assertRaisesRegex(Refused, "a header and two or more rows"):
            tidy_recording(self.context, TidyRequest(csv="nothing"))
        with self.assertRaises(NotFoundError):
            tidy_recording(self.context, TidyRequest(shot_id=999))

    def test_a_profile_the_bench_cannot_run_is_shown_without_a_prediction(self) -> None:
        number = pull(self.context, self.request(profile(pressure(9))))
        low = add_machine(self.context, Machine(name="Low", relief_bar=6))
        change_bench(self.context, BenchChange(machine_id=low.id))
        found = tidy_recording(self.context, TidyRequest(shot_id=number, ask=TidyAsk()))
        self.assertIsNone(found.prediction)
        self.assertIn("Low's relief setting", found.refused or "")
