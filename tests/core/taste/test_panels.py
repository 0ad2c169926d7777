"""What a panel's tasting says: simulated with planted differences, and with none."""

from __future__ import annotations

import re
import unittest
from collections.abc import Mapping
from itertools import pairwise

import numpy as np

from vapocline.core.taste.ages import PROMPTS, age_warnings
from vapocline.core.taste.believable import believable
from vapocline.core.taste.choices import Choice, chosen, odd_one_out, ranked
from vapocline.core.taste.descriptions import Drink, described, over_warmth
from vapocline.core.taste.extraction import Extraction, extraction_alike, extraction_of
from vapocline.core.taste.panel import Panel, TasterScore, repeats_in

DRINKS = [Drink("Steady nine v1"), Drink("Quay fall v3"), Drink("Long soak v1")]
LINES = ("acidity", "sweetness", "bitterness", "dryness", "body", "texture", "balance", "liking")
CHANCE = "could be chance alone"
Truth = Mapping[tuple[int, str], float]


def scored(
    truth: Truth,
    *,
    tasters: tuple[str, ...] = ("Ines", "Teodor"),
    shots: int = 2,
    seed: int = 1,
    sd: float = 0.7,
    own: Mapping[str, Truth] | None = None,
) -> list[TasterScore]:
    """Scores about a drink's truth, with each taster's own place on the scale and own truth."""
    draw = np.random.default_rng(seed)
    given = []
    for taster in tasters:
        lies = dict(truth) | dict((own or {}).get(taster, {}))
        for line in LINES:
            place = draw.normal(5, 0.8)
            for shot in range(shots):
                points = place + lies.get((shot, line), 0.0) + draw.normal(0, sd)
                whole = float(np.clip(np.round(points), 0, 10))
                given.append(TasterScore(taster, shot, "hot", line, whole, 60.0))
    return given


def says(given: list[TasterScore], drinks: list[Drink] = DRINKS) -> str:
    return " ".join(described(Panel(given, believable(repeats_in(given))), drinks))


class Described(unittest.TestCase):
    def test_a_planted_difference_is_told_and_who_could_tell_it(self) -> None:
        words = says(scored({(1, "sweetness"): 3.5, (1, "bitterness"): -3.5, (1, "liking"): 3}))
        self.assertIn("Quay fall v3 is sweeter and less bitter than Steady nine v1", words)
        self.assertIn("both could tell", words)
        self.assertIn("Quay fall v3 is liked more than Steady nine v1", words)
        self.assertIn("too small for these two tasters to tell", words)
        self.assertNotIn(CHANCE, words)

    def test_drinks_that_are_alike_are_called_different_at_most_once_in_twenty(self) -> None:
        for tasters, shots in ((("Ines",), 2), (("Ines", "Teodor"), 2), (("Ines", "Teodor"), 3)):
            with self.subTest(tasters=len(tasters), shots=shots):
                said = [
                    says(scored({}, tasters=tasters, shots=shots, seed=seed)) for seed in range(300)
                ]
                relied = [
                    CHANCE not in words and re.search(" than [SQ]", words) is not None
                    for words in said
                ]
                self.assertLessEqual(np.mean(relied), 0.06)

    def test_most_planted_differences_are_found(self) -> None:
        found = [
            "sweeter" in says(scored({(1, "sweetness"): 3.5}, seed=seed)) for seed in range(100)
        ]
        self.assertGreater(np.mean(found), 0.9)

    def test_two_camps_are_said_as_a_split_and_not_as_their_mean(self) -> None:
        own = {"Ines": {(1, "liking"): 4.0}, "Teodor": {(1, "liking"): -4.0}}
        words = says(scored({}, own=own))
        self.assertIn("They are split on which is better", words)
        self.assertIn("Ines prefers Quay fall v3", words)
        self.assertIn("Teodor prefers Steady nine v1", words)
        self.assertNotIn("liked more", words)

    def test_nobody_weighs_more_by_using_more_of_the_scale(self) -> None:
        given = [
            TasterScore("Ines", shot, "hot", "liking", points)
            for shot, points in enumerate((0.0, 10.0, 5.0))
        ] + [
            TasterScore("Teodor", shot, "hot", "liking", points)
            for shot, points in enumerate((6.0, 7.0, 5.0))
        ]
        panel = Panel(given, believable([]))
        self.assertAlmostEqual(panel.centred_liking(1) or 0, (5 + 1) / 2)
        self.assertAlmostEqual(sum(panel.centred_liking(shot) or 0 for shot in range(3)), 0)

    def test_one_cup_alone_and_nothing_at_all_are_said_to_be_that(self) -> None:
        self.assertIn("tasted alone", says(scored({}, shots=1)))
        self.assertEqual(says([]), "Nothing was scored.")

    def test_a_hidden_duplicate_makes_the_taster_known_and_counts_as_one_drink(self) -> None:
        given = scored({}, shots=1)
        again = [TasterScore(g.taster, 0, g.warmth, g.line, g.points + 1, 70.0) for g in given]
        smallest = believable(repeats_in([*given, *again]))
        self.assertEqual(smallest.repeats_of("Ines"), 1)
        self.assertEqual(Panel([*given, *again], smallest).shots, [0])

    def test_extraction_alike_and_taste_not_is_said(self) -> None:
        drinks = [
            Drink("Steady nine v1", Extraction(20.9, 0.3, 2)),
            Drink("Quay fall v3", Extraction(21.1, 0.3, 2)),
        ]
        given = scored({(1, "sweetness"): 4, (1, "body"): -4, (1, "liking"): 3})
        self.assertIn("the number does not explain this", says(given, drinks))
        apart = [drinks[0], Drink("Quay fall v3", Extraction(23.0, 0.3, 2))]
        self.assertNotIn("does not explain", says(given, apart))


class OverWarmth(unittest.TestCase):
    def test_what_a_drink_becomes_as_it_cools_is_told_where_it_can_be_believed(self) -> None:
        hot, cool = (Panel(scored(truth), believable([])) for truth in ({}, {(1, "acidity"): 4.0}))
        said = over_warmth(hot, cool, DRINKS, ("hot", "cool"))
        self.assertEqual(said, ["Quay fall v3 is more acidic when cool than when hot."])
        self.assertEqual(over_warmth(hot, hot, DRINKS, ("hot", "cool")), [])


class Chosen(unittest.TestCase):
    def test_five_of_six_can_tell_and_three_of_six_are_told_how_many_more(self) -> None:
        told = odd_one_out([self.odd(n, n < 5) for n in range(6)], DRINKS)
        self.assertIn("can be told apart", told[0])
        self.assertIn("5 of 6 times; guessing does as well 1 time in 56", told[1])
        self.assertIn("Ines 3 of 3, Teodor 2 of 3", told[2])
        self.assertIn("About 75% of the answers found it without guessing (13% to", told[3])
        unsure = odd_one_out([self.odd(n, n < 3) for n in range(6)], DRINKS)
        self.assertIn("no difference was shown", unsure[0])
        self.assertIn("About 10 more answers", unsure[-1])

    def odd(self, number: int, right: bool) -> Choice:
        return Choice("Ines" if number < 3 else "Teodor", number, "odd", {0: 1}, right)

    def answer(self, taster: str, best: int, number: int, question: str = "preferred") -> Choice:
        return Choice(taster, number, question, {best: 1, 1 - best: 2})

    def test_a_preference_is_believed_only_where_guessing_seldom_does_it(self) -> None:
        few = chosen([self.answer("Ines", 1, n) for n in range(4)], DRINKS[:2], "preferred")[0]
        self.assertIn("more choices would show a plain preference", few)
        many = chosen([self.answer("Ines", 1, n) for n in range(8)], DRINKS[:2], "preferred")[0]
        self.assertIn("Quay fall v3 is preferred to Steady nine v1, 8 of 8 times", many)
        self.assertIn("1 time in 128", many)

    def test_a_pairs_split_is_said_with_who_and_only_where_it_is_believed(self) -> None:
        answers = [
            self.answer(who, best, n)
            for who, best in (("Ines", 0), ("Teodor", 1))
            for n in range(4)
        ]
        words = chosen(answers, DRINKS[:2], "preferred")[0]
        self.assertIn("They are split: Ines prefers Steady nine v1 4 of 4 times", words)
        self.assertIn("Teodor prefers Quay fall v3 4 of 4 times", words)
        once = chosen([a for a in answers if a.round < 2], DRINKS[:2], "preferred")[0]
        self.assertNotIn("split", once)

    def test_a_question_about_a_line_is_answered_in_its_words(self) -> None:
        answers = [self.answer("Ines", 1, n, "sweetness") for n in range(8)]
        words = chosen(answers, DRINKS[:2], "sweetness")[0]
        self.assertIn("Quay fall v3 is called sweeter than Steady nine v1", words)

    def test_three_drinks_in_pairs_are_put_in_order(self) -> None:
        answers = [
            Choice("Ines", n, "preferred", {a: 1, b: 2})
            for n in range(6)
            for a, b in ((2, 1), (1, 0), (2, 0))
        ]
        order = chosen(answers, DRINKS, "preferred")[-1]
        self.assertIn("Long soak v1, Quay fall v3 then Steady nine v1", order)

    def test_a_ranking_is_believed_when_tasters_agree(self) -> None:
        alike = [
            Choice(who, 1, "rank", {0: 3, 1: 1, 2: 2}) for who in ("Ines", "Teodor", "Bea", "Ola")
        ]
        self.assertIn(
            "They rank Quay fall v3, Long soak v1 then Steady nine v1", ranked(alike, DRINKS)[0]
        )
        two = [
            Choice("Ines", 1, "rank", {0: 3, 1: 1, 2: 2}),
            Choice("Teodor", 1, "rank", {0: 2, 1: 3, 2: 1}),
        ]
        said = ranked(two, DRINKS)
        self.assertIn("Their rankings agree little", said[0])
        self.assertIn("Quay fall v3 by Ines, Long soak v1 by Teodor", said[1])
        self.assertIn("A single ranking", ranked(alike[:1], DRINKS)[0])


class Ages(unittest.TestCase):
    def test_cups_more_than_two_minutes_apart_and_one_stirred_are_warned_of(self) -> None:
        young = TasterScore("Ines", 0, "hot", "body", 5, 40)
        old = TasterScore("Ines", 1, "hot", "body", 5, 175)
        self.assertIn("0:40 to 2:55 old", age_warnings([young, old])[0])
        near = TasterScore("Ines", 1, "hot", "body", 5, 100)
        self.assertEqual(age_warnings([young, near]), [])
        self.assertIn(
            "stirred", age_warnings([young, TasterScore("Ines", 1, "hot", "body", 5, 60, True)])[0]
        )
        unknown = TasterScore("Ines", 1, "hot", "body", 5, None)
        self.assertEqual(age_warnings([young, unknown]), [])

    def test_each_warmth_counts_from_halfway_between_two_prompts(self) -> None:
        self.assertEqual([one.warmth for one in PROMPTS], ["hot", "warm", "cool"])
        for before, after in pairwise(PROMPTS):
            self.assertEqual(after.from_s, (before.due_s + after.due_s) / 2)


class Extractions(unittest.TestCase):
    def test_two_readings_err_less_than_one_and_none_stay_unknown(self) -> None:
        one, two = extraction_of([9.0], 36, 18), extraction_of([9.0, 9.1], 36, 18)
        assert one
        assert two
        self.assertAlmostEqual(one.value_pct, 18.0)
        self.assertLess(two.error_pct, one.error_pct)
        self.assertIsNone(extraction_of([], 36, 18))
        self.assertIsNone(extraction_of([9.0], None, 18))

    def test_readings_that_differ_err_more(self) -> None:
        close, wide = extraction_of([9.0, 9.05], 36, 18), extraction_of([8.5, 9.5], 36, 18)
        assert close
        assert wide
        self.assertLess(close.error_pct, wide.error_pct)
        self.assertTrue(extraction_alike(close, wide))
        self.assertIsNone(extraction_alike(close, None))
