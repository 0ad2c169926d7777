"""A recording from elsewhere becomes a shot: read, tidied and compared as others are."""

from __future__ import annotations

from pydantic import ValidationError

from tests.core.tidy.test_bring_in import column
from tests.desk.pull.test_pull import AtBench
from tests.factories import plan, pressure
from vapocline.core.base.problems import NotFoundError, Refused
from vapocline.core.puck.predict import predict
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.review import review_shot
from vapocline.desk.taste.compare import compare_shots
from vapocline.desk.tidy.bring_in import BroughtIn, RecordingToImport, bring_in, preview
from vapocline.desk.tidy.tidy import TidyRequest, tidy_recording

FLAT = plan(pressure(8, name="Press"), cup_g=36)
COLUMNS = [
    column(0, "time_s", "s"), column(1, "pressure_bar", "bar"),
    column(2, "water_in_ml_s", "mL/s"), column(3, "cup_g", "g"),
]  # fmt: skip


def table() -> str:
    series = predict(FLAT).series
    rows = zip(series.time_s, series.pressure_bar, series.water_in_ml_s, series.cup_g, strict=True)
    return "time,bar,water,cup\n" + "\n".join(",".join(f"{x:.3f}" for x in row) for row in rows)


class BroughtFromElsewhere(AtBench):
    def test_without_its_profile_one_is_made_of_it_and_less_is_told(self) -> None:
        line = bring_in(self.context, BroughtIn(name="Guest", csv=table(), columns=COLUMNS))
        self.assertEqual((line.origin, line.profile_name, line.state), ("csv", "Guest", "done"))
        self.assertAlmostEqual(line.cup_at_stop_g or 0, 36, delta=1.0)
        found = read_reading(self.context, line.id).reading
        self.assertIn("ran_like", [one.kind for one in found.cannot_tell])
        self.assertNotIn("as planned", found.verdict)
        self.assertEqual(review_shot(self.context, line.id).phases, [])
        again = bring_in(self.context, BroughtIn(name="Guest", csv=table(), columns=COLUMNS))
        self.assertEqual(again.profile_name, "Guest (2)")
        self.assertEqual(compare_shots(self.context, line.id, again.id).first.id, line.id)
        tidied = tidy_recording(self.context, TidyRequest(shot_id=line.id)).tidied
        self.assertGreaterEqual(len(tidied.profile.phases), 1)

    def test_with_the_version_it_was_pulled_by_it_is_read_against_it(self) -> None:
        made = start_profile(self.context, NewProfile(name="Known", profile=FLAT.profile))
        line = bring_in(
            self.context,
            BroughtIn(
                name="By a plan", csv=table(), columns=COLUMNS, profile_id=made.profile_id, number=1
            ),
        )
        self.assertEqual(line.profile_name, "Known")
        found = read_reading(self.context, line.id).reading
        self.assertNotIn("ran_like", [one.kind for one in found.cannot_tell])

    def test_a_preview_keeps_nothing_and_bad_input_is_named(self) -> None:
        shown = preview(RecordingToImport(csv=table(), columns=COLUMNS))
        self.assertGreater(shown.stop_s or 0, 10)
        with self.assertRaises(NotFoundError):
            bring_in(
                self.context,
                BroughtIn(name="Lost", csv=table(), columns=COLUMNS, profile_id=999, number=1),
            )
        short = "\n".join(table().split("\n")[:12])
        with self.assertRaisesRegex(Refused, "20 moments"):
            bring_in(self.context, BroughtIn(name="Short", csv=short, columns=COLUMNS))
        with self.assertRaises(ValidationError):
            RecordingToImport()
