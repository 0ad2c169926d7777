"""What forced choices allow to say: odd ones out, preferences in pairs, rankings."""

from __future__ import annotations

import unittest
from itertools import chain

import numpy as np

from tests.core.taste.choosing import DRINKS, QUESTIONS, answer, claims, odd, paired, ranks
from tests.marks import examples, more_cases
from vapocline.core.taste.choices import Choice, chosen, odd_one_out, ranked


class NothingToFind(unittest.TestCase):
    @more_cases
    def test_pairs_that_are_alike_are_told_apart_at_most_once_in_twenty(self) -> None:
        for drinks, rounds, questions in ((2, 12, 1), (2, 12, 6), (4, 6, 6)):
            with self.subTest(drinks=drinks, questions=questions):
                draw = np.random.default_rng(5)
                many = [
                    chosen(
                        paired(draw, drinks, rounds, questions),
                        DRINKS[:drinks],
                        QUESTIONS[:questions],
                    )
                    for _ in range(examples(150))
                ]
                self.assertLessEqual(sum(map(claims, many)) / len(many), 0.08)

    @more_cases
    def test_looking_again_and_again_finds_no_more(self) -> None:
        """A fresh tasting of four choices after every other, up to six of them."""
        draw, told, runs = np.random.default_rng(6), 0, examples(150)
        for _ in range(runs):
            looks = [paired(draw, 2, 8, 1) for _ in range(5)]
            told += any(
                claims(chosen(look, DRINKS[:2], ("preferred",), [*chain(*looks[:at])]))
                for at, look in enumerate(looks)
            )
        self.assertLessEqual(told / runs, 0.08)

    @more_cases
    def test_odd_ones_guessed_again_and_again_are_found_at_most_once_in_twenty(self) -> None:
        draw, told, runs = np.random.default_rng(7), 0, examples(150)
        for _ in range(runs):
            looks = [[odd(n, draw.random() < 1 / 3) for n in range(6)] for _ in range(6)]
            told += any(
                "can be told apart" in odd_one_out(look, DRINKS, [*chain(*looks[:at])])[0]
                for at, look in enumerate(looks)
            )
        self.assertLessEqual(told / runs, 0.08)

    @more_cases
    def test_cups_that_are_alike_are_put_in_order_at_most_once_in_twenty(self) -> None:
        draw = np.random.default_rng(8)
        many = [ranked(ranks(draw, 5, 0.0), DRINKS)[0] for _ in range(examples(150))]
        told = [not words.startswith("No clear order") for words in many]
        self.assertLessEqual(sum(told) / len(told), 0.08)

    def test_one_worse_cup_of_four_is_told_and_no_whole_order(self) -> None:
        draw = np.random.default_rng(9)
        many = [ranked(ranks(draw, 8, 4.0), DRINKS) for _ in range(20)]
        self.assertGreater(sum("ranked above Tide v2" in " ".join(one) for one in many), 18)
        self.assertGreater(sum("The rest cannot be told apart." in one for one in many), 15)


class Chosen(unittest.TestCase):
    def test_five_of_six_can_tell_and_three_of_six_are_told_how_many_more(self) -> None:
        told = odd_one_out([odd(n, n < 5) for n in range(6)], DRINKS)
        self.assertIn("can be told apart", told[0])
        self.assertIn("5 of 6 times; guessing does as well 1 time in 56", told[1])
        self.assertIn("Ines 3 of 3, Teodor 2 of 3", told[2])
        self.assertIn("About 75% of the answers found it without guessing (13% to", told[3])
        unsure = odd_one_out([odd(n, n < 3) for n in range(6)], DRINKS)
        self.assertIn("no difference was shown", unsure[0])
        self.assertRegex(unsure[-1], r"About \d+ more answers")

    def test_answers_of_earlier_tastings_count_and_have_to_say_more(self) -> None:
        again = odd_one_out(
            [odd(n, True) for n in range(6)], DRINKS, [odd(n, n < 5) for n in range(6)]
        )
        self.assertIn("can be told apart", again[0])
        self.assertIn("11 of 12 times", again[1])
        self.assertIn("6 of them are from earlier tastings", again[1])
        barely = odd_one_out(
            [odd(n, n < 5) for n in range(6)], DRINKS, [odd(n, n < 2) for n in range(6)]
        )
        self.assertIn("no difference was shown", barely[0])

    def test_a_preference_is_told_only_where_guessing_seldom_does_it(self) -> None:
        few = chosen([answer("Ines", 1, n) for n in range(4)], DRINKS[:2], ("preferred",))
        self.assertIn("Not enough to tell: Quay fall v3 is preferred to Steady nine v1", few[0])
        self.assertIn("more choices would show a plain preference", few[1])
        many = chosen([answer("Ines", 1, n) for n in range(8)], DRINKS[:2], ("preferred",))
        self.assertEqual(many, ["Quay fall v3 is preferred to Steady nine v1, 8 of 8 times."])

    def test_many_questions_are_tested_as_many(self) -> None:
        six = [
            answer("Ines", 1 if question == "preferred" else n % 2, n, question)
            for n in range(6)
            for question in QUESTIONS
        ]
        self.assertFalse(claims(chosen(six, DRINKS[:2], QUESTIONS)))
        self.assertTrue(claims(chosen(six, DRINKS[:2], ("preferred",))))

    def test_a_pairs_split_is_said_with_who_and_only_where_it_may_be(self) -> None:
        answers = [
            answer(who, best, n) for who, best in (("Ines", 0), ("Teodor", 1)) for n in range(6)
        ]
        words = chosen(answers, DRINKS[:2], ("preferred",))[0]
        self.assertIn("They are split: Ines prefers Steady nine v1 6 of 6 times", words)
        self.assertIn("Teodor prefers Quay fall v3 6 of 6 times", words)
        few = chosen([one for one in answers if one.round < 4], DRINKS[:2], ("preferred",))[0]
        self.assertNotIn("split", few)

    def test_those_of_a_camp_are_named_together(self) -> None:
        camps = (("Ines", 0), ("Teodor", 1), ("Odile", 0), ("Bram", 1))
        answers = [answer(who, best, n) for who, best in camps for n in range(4)]
        words = chosen(answers, DRINKS[:2], ("preferred",))[0]
        self.assertIn("Ines and Odile prefer Steady nine v1 4 of 4 times each", words)
        self.assertIn("Bram and Teodor prefer Quay fall v3 4 of 4 times each", words)

    def test_a_question_about_a_line_is_answered_in_its_words(self) -> None:
        answers = [answer("Ines", 1, n, "sweetness") for n in range(8)]
        words = chosen(answers, DRINKS[:2], ("sweetness",))[0]
        self.assertIn("Quay fall v3 is called sweeter than Steady nine v1", words)

    def test_of_four_drinks_only_what_is_told_apart_is_said(self) -> None:
        said = chosen(paired(np.random.default_rng(2), 4, 8, 1, last=0.97), DRINKS, ("preferred",))
        told = sorted(one.split(",")[0] for one in said[:3])
        self.assertEqual(told, sorted(f"Tide v2 is preferred to {one.name}" for one in DRINKS[:3]))
        self.assertIn("The rest is not enough to tell", said[3])

    def test_a_ranking_is_told_when_tasters_agree(self) -> None:
        alike = [
            Choice(who, 1, "rank", {0: 3, 1: 1, 2: 2}) for who in ("Ines", "Teodor", "Bea", "Ola")
        ]
        self.assertIn("Quay fall v3 is ranked above Steady nine v1", ranked(alike, DRINKS)[0])
        two = [
            Choice("Ines", 1, "rank", {0: 3, 1: 1, 2: 2}),
            Choice("Teodor", 1, "rank", {0: 2, 1: 3, 2: 1}),
        ]
        said = ranked(two, DRINKS)
        self.assertIn("No clear order", said[0])
        self.assertIn("Quay fall v3 by Ines, Long soak v1 by Teodor", said[1])
        self.assertIn("A single ranking", ranked(alike[:1], DRINKS)[0])
