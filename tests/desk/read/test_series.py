"""Series of repeats."""

from __future__ import annotations

from tests.desk.pull.test_pull import AtBench
from vapocline.core.base.problems import NotFoundError
from vapocline.core.read.spread import Tolerance
from vapocline.desk.pull.start import pull
from vapocline.desk.read.series import NewSeries, change_tolerance, read_series, start_series


class Repeating(AtBench):
    def test_a_series_gathers_its_pulls_and_judges_their_spread(self) -> None:
        request = self.request()
        series = start_series(
            self.context, NewSeries(profile_id=request.profile_id, number=1, wanted=3)
        )
        self.assertIn("0 of 3", series.verdict)
        for _ in range(3):
            pull(self.context, request.model_copy(update={"series_id": series.id}))
        pull(self.context, request)
        now = read_series(self.context, series.id)
        self.assertEqual(len(now.shots), 3)
        time = next(row for row in now.rows if row.figure == "shot_time_s")
        self.assertGreater(time.span or 0, 0)
        strict = change_tolerance(self.context, series.id, Tolerance(shot_time_s=0.01))
        time = next(row for row in strict.rows if row.figure == "shot_time_s")
        self.assertFalse(time.within)
        self.assertIn("shot time spreads", strict.verdict)
        with self.assertRaises(NotFoundError):
            read_series(self.context, 999)
