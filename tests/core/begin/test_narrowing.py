"""Thirty drawn benches: each answer narrows what can be said, and what is said holds."""

from __future__ import annotations

import unittest
from statistics import median

from tests.core.begin.truths import FIGURES, by_the_model, held
from tests.marks import exhaustive
from vapocline.core.begin.answers import Answers
from vapocline.core.begin.forecast import PARTS
from vapocline.core.begin.narrowing import narrowings

TRUTHS, MEMBERS = 30, 64
NOISE = 0.02  # of a width, from the simulated shots' own luck
LEAST_HELD = 19  # of 30: fewer come by luck once in a hundred where 24 are meant


@exhaustive
class Narrowing(unittest.TestCase):
    def test_each_answer_narrows_thirty_drawn_benches_and_eight_in_ten_are_held(self) -> None:
        found = [held(by_the_model(seed), MEMBERS) for seed in range(TRUTHS)]
        widths = [
            {name: median(one[count].width[name] for one in found) for name in FIGURES}
            for count in range(len(PARTS) + 1)
        ]
        for part, before, now in zip(PARTS, widths, widths[1:], strict=False):
            with self.subTest(part):
                self.assertLess(now["shot_time_s"], before["shot_time_s"] + NOISE)
                narrower = [now[name] < before[name] for name in FIGURES]
                self.assertTrue(any(narrower), f"{before} to {now}")
        self.assertLess(widths[-1]["shot_time_s"], 0.8 * widths[0]["shot_time_s"])
        for count in range(len(PARTS) + 1):
            for name in FIGURES:
                with self.subTest(name, answers=count):
                    inside = sum(one[count].within[name] for one in found)
                    self.assertGreaterEqual(inside, LEAST_HELD)


class WhatNarrows(unittest.TestCase):
    def test_what_is_listed_would_narrow_and_comes_in_its_order(self) -> None:
        found = narrowings(Answers(), None)
        pcts = [one.shot_time_pct for one in found]
        self.assertEqual(pcts, sorted(pcts))
        self.assertTrue(all(one.shot_time_pct < 0.96 * one.now_pct for one in found))
        self.assertEqual(found[0].by, "shots")
        self.assertNotIn("dial", [one.by for one in found])  # without a grinder there is none
