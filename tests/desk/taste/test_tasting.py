"""Scores of a tasting."""

from __future__ import annotations

from tests.desk.pull.test_recording import AtBench
from vapocline.core.base.problems import Refused
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import read_shot
from vapocline.desk.read.strength import Strength, measure
from vapocline.desk.taste.tasting import score, take_back


class Scoring(AtBench):
    def test_scores_are_kept_by_warmth_and_serving_and_a_second_saying_replaces_the_first(
        self,
    ) -> None:
        number = pull(self.context, self.request())
        score(self.context, number, Tasting(liking=6, sweetness=5))
        score(self.context, number, Tasting(liking=7, warmth="cool"))
        line = score(self.context, number, Tasting(liking=8, notes="plum"))
        self.assertEqual(
            [(one.warmth, one.liking, one.sweetness) for one in line.tastings],
            [("hot", 8, None), ("cool", 7, None)],
        )
        take_back(self.context, number, "cool", "straight")
        self.assertEqual(len(read_shot(self.context, number).tastings), 1)

    def test_saying_nothing_is_refused(self) -> None:
        number = pull(self.context, self.request())
        with self.assertRaisesRegex(Refused, "at least one score or a note"):
            score(self.context, number, Tasting(notes="  "))

    def test_strength_is_measured_or_unknown_and_the_extraction_follows(self) -> None:
        number = pull(self.context, self.request())
        self.assertIsNone(read_shot(self.context, number).extraction_yield_pct)
        line = measure(self.context, number, Strength(tds_pct=9.0))
        self.assertAlmostEqual(
            line.extraction_yield_pct or 0, 9.0 * (line.yield_g or 0) / 18, delta=0.06
        )
        self.assertIsNone(
            measure(self.context, number, Strength(tds_pct=None)).extraction_yield_pct
        )
