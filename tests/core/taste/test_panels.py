"""What a table's scores allow to say: made-up houses, with a difference to find and without."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from itertools import pairwise

from tests.core.taste.worlds import Evening, House, concluded, liked_twice
from tests.marks import examples, exhaustive, more_cases
from vapocline.core.taste.ages import PROMPTS, age_warnings
from vapocline.core.taste.conclusions import Conclusions, conclude
from vapocline.core.taste.descriptions import (
    NOT_RECIPES,
    Drink,
    TasteVerdict,
    basis_words,
    verdict,
)
from vapocline.core.taste.extraction import Extraction, extraction_alike, extraction_of
from vapocline.core.taste.odds import (
    PairEvidence,
    effect_sd,
    in_words,
    odds_of,
    pulls_to_settle,
)
from vapocline.core.taste.panel import Panel, TasterScore, repeats_in
from vapocline.core.taste.spreads import HouseSpreads, Repeated, RepeatedPulls, house_spreads

DRINKS = [Drink("Steady nine v1"), Drink("Quay fall v3"), Drink("Long soak v1")]
KNOWN = House(repeats=12)
PULLED_AGAIN = House(repeats=12, pulls_again=20, pull_sd=0.3)


def says(
    house: House, apart: dict[str, float], seed: int = 1, drinks: Sequence[Drink] = DRINKS[:2]
) -> str:
    evening = Evening(house, seed)
    spreads = evening.spreads()
    panels = evening.table([evening.recipe(), evening.recipe(apart)])
    return words_of(verdict(conclude(panels, spreads, [0, 1]), panels, drinks))


def words_of(said: TasteVerdict) -> str:
    return " ".join([*said.says, *said.notes])


def share(found: Sequence[Conclusions]) -> float:
    """How many of them tell anything."""
    return sum(bool(one.differ or one.split or one.changed) for one in found) / len(found)


class NothingToFind(unittest.TestCase):
    """At most one result in twenty says anything; more than 8 in 100 of the runs here fails."""

    @more_cases
    def test_cups_that_are_alike_are_told_apart_at_most_once_in_twenty(self) -> None:
        for house, cups in (
            (House(), 2),
            (House(taster_sd=1.5, tasters=1), 2),
            (House(unlike=True), 3),
        ):
            with self.subTest(house=house, cups=cups):
                many = [concluded(house, seed, cups=cups) for seed in range(examples(300))]
                self.assertLessEqual(share(many), 0.08)

    @more_cases
    def test_recipes_that_are_alike_are_told_apart_at_most_once_in_twenty(self) -> None:
        for house in (
            House(pull_sd=0.7, pulls_again=6),
            House(pull_sd=0.7, pulls_again=6, unlike=True),
        ):
            with self.subTest(house=house):
                many = [concluded(house, seed) for seed in range(examples(300))]
                self.assertLessEqual(share(many), 0.08)

    @more_cases
    def test_a_cup_that_only_cooled_is_said_to_have_changed_at_most_once_in_twenty(self) -> None:
        house = House(tasters=1)
        many = [
            concluded(house, seed, warmths=("hot", "warm", "cool")) for seed in range(examples(200))
        ]
        self.assertLessEqual(share(many), 0.08)

    def test_without_repeats_nothing_is_told_however_far_apart_scores_lie(self) -> None:
        stranger = House(tasters=2, taster_sd=3.0, repeats=0)
        for seed in range(30):
            found = concluded(stranger, seed, apart={"liking": 4})
            self.assertEqual((found.differ, found.split, found.changed), ([], [], []))
            self.assertEqual(set(found.unknown), {"Ines", "Teodor"})

    def test_pulls_that_differ_speak_of_their_cups_and_never_of_recipes(self) -> None:
        told = [concluded(House(pull_sd=1.0, repeats=20), seed) for seed in range(40)]
        every = [one for found in told for one in found.differ]
        self.assertTrue(every, "cups of two pulls do differ")
        self.assertEqual({one.about for one in every}, {"cups"})

    @exhaustive
    def test_recipes_that_are_a_point_apart_are_called_alike_at_most_once_in_twenty(self) -> None:
        sure = House(taster_sd=0.4, pull_sd=0.2, pulls_again=40, repeats=0)
        many = [concluded(sure, seed, apart={"liking": 1.2}) for seed in range(300)]
        self.assertLessEqual(sum(bool(one.alike) for one in many) / len(many), 0.08)


class Odds(unittest.TestCase):
    @exhaustive
    def test_of_what_is_called_three_in_four_about_three_in_four_are_so(self) -> None:
        every = [
            liked_twice(House(tasters, sd, pull_sd, 0, again), seed, pairs)
            for tasters, sd, pull_sd, again in (
                (2, 0.75, 0.7, 6),
                (1, 1.5, 0.0, 0),
                (2, 1.5, 0.7, 6),
            )
            for pairs in (4,)
            for seed in range(400)
        ]
        so = [true for chance, true in every if 0.65 <= chance < 0.85]
        self.assertGreater(len(so), 60)
        self.assertAlmostEqual(sum(so) / len(so), 0.75, delta=0.1)

    def test_they_fill_as_pulls_come_and_say_what_would_settle_it(self) -> None:
        evidence = [PairEvidence(2.0, 1.7, 8, pairs) for pairs in (1, 3, 6)]
        better = [odds_of(one).better for one in evidence]
        self.assertEqual(better, sorted(better))
        self.assertGreater(pulls_to_settle(evidence[0]) or 0, pulls_to_settle(evidence[2]) or 0)
        self.assertIsNone(pulls_to_settle(PairEvidence(0.1, 1.7, 8, 1)), "beyond reason")
        self.assertIsNone(pulls_to_settle(PairEvidence(6.0, 1.0, 40, 6)), "settled already")
        for one in map(odds_of, evidence):
            self.assertAlmostEqual(one.more + one.alike + one.less, 1)

    def test_effects_are_as_large_as_this_houses_own_were(self) -> None:
        self.assertEqual(effect_sd([]), 1.0)
        self.assertGreater(effect_sd([(4.0, 0.5)] * 10), 2)
        self.assertEqual(effect_sd([(0.5, 1.0)] * 40), 0.5)
        evening = Evening(House(), 4)
        table = evening.table([evening.recipe(), evening.recipe({"liking": 3.0})])
        [small], [large] = (
            conclude(table, evening.spreads(), range(2), effect_sd=size).odds for size in (0.5, 3.0)
        )
        self.assertGreater(large.odds.better, small.odds.better)

    def test_two_pulls_tonight_that_lay_far_apart_make_odds_cautious(self) -> None:
        evening = Evening(House(), 4)
        table = evening.table([evening.recipe()] * 2 + [evening.recipe({"liking": 3.0})] * 2)
        odds = []
        for apart in (0.0, 4.0):
            pulls = tuple({(who, "liking"): 5 + side for who in House().names()}
                          for side in (-apart / 2, apart / 2))  # fmt: skip
            known = evening.spreads([RepeatedPulls(pulls)])
            odds.append(conclude(table, known, [0, 0, 1, 1]).odds[0].odds.better)
        self.assertLess(odds[1], odds[0])

    def test_a_chance_is_said_as_a_person_says_it(self) -> None:
        said = [in_words(chance) for chance in (0.5, 0.74, 0.81, 0.9, 0.99)]
        self.assertEqual(said, ["1 in 2", "3 in 4", "4 in 5", "9 in 10", "19 in 20"])


class SomethingToFind(unittest.TestCase):
    @more_cases
    def test_most_planted_differences_are_found(self) -> None:
        found = [concluded(KNOWN, seed, apart={"sweetness": 3.5}) for seed in range(examples(200))]
        told = [any(c.line == "sweetness" for c in one.differ) for one in found]
        self.assertGreater(sum(told) / len(told), 0.85)

    def test_a_difference_of_cups_is_told_in_words_and_not_of_the_recipes(self) -> None:
        words = says(KNOWN, {"sweetness": 4.5, "bitterness": -4.5})
        self.assertRegex(words, "Quay fall v3 is [a-z ]+ and [a-z ]+ than Steady nine v1")
        self.assertIn("sweeter", words)
        self.assertIn("less bitter", words)
        self.assertIn(NOT_RECIPES, words)

    def test_a_difference_of_recipes_is_told_where_their_pulls_are_known(self) -> None:
        words = says(PULLED_AGAIN, {"sweetness": 4.5, "liking": 4.5})
        self.assertIn("Quay fall v3 is liked more and sweeter than Steady nine v1", words)
        self.assertNotIn(NOT_RECIPES, words)

    def test_more_pulls_of_a_recipe_count_as_one_drink_and_make_it_surer(self) -> None:
        evening = Evening(PULLED_AGAIN, 4)
        spreads = evening.spreads()
        recipes = [evening.recipe(), evening.recipe(), evening.recipe({"liking": 3.0})]
        found = conclude(evening.table(recipes), spreads, [0, 0, 2])
        [liking] = [one for one in found.contrasts if one.line == "liking"]
        self.assertEqual((liking.first, liking.second), ((0, 1), (2,)))
        single = conclude(evening.table(recipes[1:]), spreads, [0, 1])
        [alone] = [one for one in single.contrasts if one.line == "liking"]
        assert liking.estimate
        assert alone.estimate
        self.assertLess(liking.estimate.error, alone.estimate.error)

    def test_enough_tasters_judge_by_themselves_without_a_repeat(self) -> None:
        many = House(tasters=6, repeats=0)
        found = [concluded(many, seed, apart={"body": 5.0}) for seed in range(10)]
        self.assertGreater(sum(bool(one.differ) for one in found), 5)
        self.assertLessEqual(share([concluded(many, seed) for seed in range(100)]), 0.08)

    def test_two_camps_are_said_as_a_split_and_not_as_their_mean(self) -> None:
        evening = Evening(KNOWN, 3)
        spreads = evening.spreads()
        given = [
            TasterScore(who, shot, "hot", "liking", points)
            for who, likings in (("Ines", (3.0, 9.0)), ("Teodor", (9.0, 3.0)))
            for shot, points in enumerate(likings)
        ]
        panels = [Panel(given)]
        words = words_of(verdict(conclude(panels, spreads, [0, 1]), panels, DRINKS[:2]))
        self.assertIn("They are split", words)
        self.assertIn("Quay fall v3 is liked more by Ines", words)
        self.assertIn("Steady nine v1 is liked more by Teodor", words)
        self.assertNotIn("probably", words)

    def test_what_a_drink_becomes_as_it_cools_is_told_where_it_may_be(self) -> None:
        evening = Evening(KNOWN, 5)
        spreads = evening.spreads()
        hot, cool = (evening.table([evening.recipe({"acidity": by})]) for by in (-2, 4))
        panels = [Panel(scores_in(hot[0], "hot"), "hot"), Panel(scores_in(cool[0], "cool"), "cool")]
        changed = conclude(panels, spreads, [0]).changed
        self.assertEqual([one.line for one in changed], ["acidity"])

    def test_alike_is_said_only_where_the_range_lies_within_a_point(self) -> None:
        panels = [Panel([TasterScore("Ines", shot, "hot", "liking", 6.0) for shot in (0, 1)])]
        for sd, alike in ((0.25, 1), (1.2, 0)):
            spreads = house_spreads(many_repeats(sd))
            self.assertEqual(len(conclude(panels, spreads, [0, 1]).alike), alike)


def many_repeats(sd: float) -> list[Repeated]:
    evening = Evening(House(tasters=1, taster_sd=sd), 1)
    cup = evening.recipe() - 0.5  # whole points: what is between two of them is given as either
    given = []
    for number in range(60):
        for _ in range(2):
            points = evening.scores(cup)[0]
            given += [
                TasterScore("Ines", number, "hot", line, float(points[at]))
                for at, line in enumerate(evening.house.lines)
            ]
    return list(repeats_in(given))


def scores_in(panel: Panel, warmth: str) -> list[TasterScore]:
    return [
        TasterScore(taster, shot, warmth, line, points)  # type: ignore[arg-type]
        for taster in panel.tasters
        for shot in panel.shots
        for line in panel.lines
        if (points := panel.score(taster, shot, line)) is not None
    ]


class InWords(unittest.TestCase):
    def test_nothing_in_one_result_contradicts_another(self) -> None:
        """One line of 0 against 10 once gave "no difference" and "liked more" in one paragraph."""
        for seed in range(20):
            words = says(KNOWN, {"liking": 4.5}, seed)
            if "No clear difference" in words:
                self.assertNotIn(" is liked more than ", words)

    def test_who_is_not_known_is_named_with_what_would_help(self) -> None:
        words = says(House(repeats=2), {"liking": 4})
        self.assertIn("No clear difference.", words)
        self.assertIn("How well Ines (2 of 4) and Teodor (2 of 4) repeat is not known yet", words)

    def test_who_is_not_known_does_not_silence_who_is(self) -> None:
        spreads = Evening(House(tasters=1, repeats=20), 1).spreads()
        given = [
            TasterScore(who, shot, "hot", "liking", points)
            for who, likings in (("Ines", (2.0, 9.0)), ("Stranger", (9.0, 2.0)))
            for shot, points in enumerate(likings)
        ]
        panels = [Panel(given)]
        found = conclude(panels, spreads, [0, 1])
        self.assertEqual([dict(one.steps) for one in found.differ], [{"Ines": 7.0}])
        words = words_of(verdict(found, panels, DRINKS[:2]))
        self.assertIn("How well Stranger (0 of 4) repeats", words)
        self.assertIn("Until then only the others’ scores count.", words)

    def test_nobody_weighs_more_by_using_more_of_the_scale(self) -> None:
        given = [
            TasterScore("Ines", shot, "hot", "liking", points)
            for shot, points in enumerate((0.0, 10.0, 5.0))
        ] + [
            TasterScore("Teodor", shot, "hot", "liking", points)
            for shot, points in enumerate((6.0, 7.0, 5.0))
        ]
        panel = Panel(given)
        self.assertAlmostEqual(panel.centred_liking(1) or 0, (5 + 1) / 2)
        self.assertAlmostEqual(sum(panel.centred_liking(shot) or 0 for shot in range(3)), 0)

    def test_one_cup_alone_and_nothing_at_all_are_said_to_be_that(self) -> None:
        one = [Panel([TasterScore("Ines", 0, "hot", "body", 5)])]
        nothing = HouseSpreads()
        self.assertIn("tasted alone", verdict(conclude(one, nothing, [0]), one, DRINKS).says[0])
        self.assertEqual(
            verdict(conclude([], nothing, []), [], DRINKS), (["Nothing was scored."], [])
        )

    def test_a_hidden_duplicate_counts_as_a_repeat_and_as_one_drink(self) -> None:
        once = [TasterScore("Ines", 0, "hot", "body", 5), TasterScore("Ines", 0, "hot", "body", 6)]
        self.assertEqual(house_spreads(repeats_in(once)).repeats_of("Ines", "body"), 1)
        self.assertEqual(Panel(once).shots, [0])

    def test_extraction_alike_and_taste_not_is_said(self) -> None:
        alike = [
            Drink("Steady nine v1", Extraction(20.9, 0.3, 2)),
            Drink("Quay fall v3", Extraction(21.1, 0.3, 2)),
        ]
        self.assertIn("the number does not explain this", says(KNOWN, {"sweetness": 5}, 1, alike))
        apart = [alike[0], Drink("Quay fall v3", Extraction(23.0, 0.3, 2))]
        self.assertNotIn("does not explain", says(KNOWN, {"sweetness": 5}, 1, apart))

    def test_what_it_is_judged_by_is_said(self) -> None:
        self.assertIn("the same drink scored twice", basis_words(concluded(KNOWN, 1)))
        self.assertIn("pulls of one recipe", basis_words(concluded(PULLED_AGAIN, 1)))
        self.assertIn("Nothing is claimed", basis_words(concluded(House(repeats=0), 1)))


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
