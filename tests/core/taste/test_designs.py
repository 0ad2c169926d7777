"""Orders and codes: balanced, seeded, never the same code twice."""

from __future__ import annotations

import unittest
from collections import Counter
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from tests.marks import examples, more_cases
from vapocline.core.taste.designs import (
    codes_for,
    look_alike,
    orders_of,
    pairs_of,
    triads_of,
    williams,
)

seeds = st.integers(0, 2**32 - 1)
by_hand = settings(derandomize=True, deadline=None, max_examples=examples(60))


class Orders(unittest.TestCase):
    def test_a_williams_square_has_each_cup_in_each_place_and_after_each_other_as_often(
        self,
    ) -> None:
        for cups in range(1, 7):
            with self.subTest(cups=cups):
                square = williams(cups)
                places = Counter((at, cup) for row in square for at, cup in enumerate(row))
                after = Counter(two for row in square for two in pairwise(row))
                self.assertEqual(len(places), cups * cups)
                self.assertEqual(len(set(places.values())), 1)
                self.assertEqual(len(after), cups * (cups - 1))
                self.assertLessEqual(len(set(after.values())), 1)

    @more_cases
    @by_hand
    @given(st.integers(1, 6), st.integers(1, 12), seeds)
    def test_every_taster_gets_every_cup_once_and_places_stay_balanced(
        self, cups: int, tasters: int, seed: int
    ) -> None:
        orders = orders_of(cups, tasters, seed)
        self.assertEqual(len(orders), tasters)
        for order in orders:
            self.assertEqual(sorted(order), list(range(cups)))
        rows = len(williams(cups))
        if tasters % rows == 0:
            first = Counter(order[0] for order in orders)
            self.assertEqual(set(first.values()), {tasters // cups})

    @more_cases
    @by_hand
    @given(st.integers(1, 24), seeds)
    def test_triads_use_each_of_the_six_orders_equally_often(self, rounds: int, seed: int) -> None:
        triads = triads_of(rounds, seed)
        for triad in triads:
            self.assertEqual(sorted(Counter(triad).values()), [1, 2])
        used = Counter(triads)
        self.assertLessEqual(max(used.values()) - (rounds // 6), 1)
        odd_places = [
            next(at for at in range(3) if triad.count(triad[at]) == 1) for triad in triads
        ]
        for start in range(0, rounds - 2, 3):
            self.assertEqual(sorted(odd_places[start : start + 3]), [0, 1, 2])

    @more_cases
    @by_hand
    @given(st.integers(2, 4), st.integers(1, 6), st.integers(1, 4), seeds)
    def test_both_orders_of_a_pair_come_equally_often(
        self, cups: int, tasters: int, rounds: int, seed: int
    ) -> None:
        served = pairs_of(cups, tasters, rounds, seed)
        directed = Counter(pair for row in served for pair in row)
        for (one, other), count in directed.items():
            self.assertLessEqual(abs(count - directed[other, one]), 1)
        for row in served:
            met = Counter(frozenset(pair) for pair in row)
            self.assertEqual(set(met.values()), {rounds})
            self.assertEqual(len(met), cups * (cups - 1) // 2)

    def test_the_same_seed_gives_the_same_design_and_another_one_another(self) -> None:
        self.assertEqual(triads_of(12, 5), triads_of(12, 5))
        self.assertEqual(codes_for([3, 3], 5), codes_for([3, 3], 5))
        self.assertNotEqual(next(triads_of(12, seed) for seed in (1, 2)), triads_of(12, 9))
        self.assertGreater(len({tuple(orders_of(4, 3, seed)) for seed in range(20)}), 10)


class Codes(unittest.TestCase):
    @more_cases
    @by_hand
    @given(st.lists(st.integers(1, 6), min_size=1, max_size=70), seeds)
    def test_no_code_comes_twice_and_none_on_a_tray_looks_like_another(
        self, trays: list[int], seed: int
    ) -> None:
        coded = codes_for(trays, seed)
        every = [code for tray in coded for code in tray]
        self.assertEqual([len(tray) for tray in coded], trays)
        self.assertEqual(len(set(every)), len(every))
        for code in every:
            self.assertRegex(code, r"^[1-9]\d\d$")
            self.assertFalse(set(code) <= set("01689"), "reads upside down too")
        for tray in coded:
            for at, code in enumerate(tray):
                self.assertFalse(any(look_alike(code, other) for other in tray[:at]))

    def test_codes_that_look_alike_are_known(self) -> None:
        self.assertTrue(look_alike("417", "471"))
        self.assertTrue(look_alike("417", "413"))
        self.assertFalse(look_alike("417", "902"))

    def test_more_cups_than_codes_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            codes_for([6] * 200, 1)
