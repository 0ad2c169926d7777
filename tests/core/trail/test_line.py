"""Which shot each came from, and how branches lie beside the line."""

from __future__ import annotations

import math
import unittest
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from vapocline.core.trail.line import Place, PulledRecipe, places_of

START = PulledRecipe(
    "Millrace", "Ratline", "Straight", "Needles", "nine bar", 14.5, 18.0, 93.0, 36.0
)


def along(*changes: dict[str, object]) -> list[Place]:
    """Places of shots, each given by what differs from the first."""
    return places_of([START._replace(**one) for one in changes])  # type: ignore[arg-type]


class Origins(unittest.TestCase):
    def test_a_shot_came_from_the_newest_of_those_it_differs_least_from(self) -> None:
        places = along({}, {"water_c": 92.0}, {"water_c": 92.0, "dose_g": 18.5})
        self.assertEqual([one.came_from for one in places], [None, 0, 1])

    def test_going_back_leaves_a_branch_beside_the_line(self) -> None:
        places = along({}, {"grind_setting": 13.0}, {"water_c": 92.0})
        self.assertEqual([one.came_from for one in places], [None, 0, 0])
        self.assertEqual([one.lane for one in places], [0, 1, 0])
        self.assertEqual(places[0].joining, (1,))

    def test_a_repeat_of_an_older_shot_comes_from_it(self) -> None:
        places = along({}, {"grind_setting": 13.0}, {})
        self.assertEqual((places[2].came_from, places[2].repeats), (0, True))
        self.assertFalse(places[1].repeats)

    def test_what_is_quite_another_shot_comes_from_the_one_before(self) -> None:
        another = {"machine": "Tide Mill", "phases": "soak", "dose_g": 16.0, "yield_g": 48.0}
        places = along({}, {"water_c": 92.0}, another)
        self.assertEqual(places[2].came_from, 1)

    def test_another_basket_or_preparation_is_another_shot(self) -> None:
        for field in ("basket", "preparation"):
            self.assertFalse(along({}, {field: "another"})[1].repeats)

    def test_less_than_a_hand_can_repeat_is_no_change(self) -> None:
        places = along({}, {"dose_g": 18.1, "water_c": 93.2, "yield_g": 36.9})
        self.assertTrue(places[1].repeats)

    def test_an_unknown_grind_differs_only_from_a_known_one(self) -> None:
        places = along({"grind_setting": math.nan}, {"grind_setting": math.nan}, {})
        self.assertEqual([one.repeats for one in places], [False, True, False])

    def test_no_shot_and_one_shot(self) -> None:
        self.assertEqual(places_of([]), [])
        self.assertEqual(along({}), [Place(None, False, 0, True, (), ())])


class Lanes(unittest.TestCase):
    def test_two_branches_at_once_have_a_lane_each(self) -> None:
        first = {"grind_setting": 13.0}
        places = along({}, first, {"water_c": 91.0}, first | {"dose_g": 17.0}, {"dose_g": 19.0})
        self.assertEqual([one.came_from for one in places], [None, 0, 0, 1, 0])
        self.assertEqual([one.lane for one in places], [0, 1, 2, 1, 0])
        self.assertEqual(places[2].passing, (0, 1))
        self.assertEqual([one.begins for one in places], [False, False, True, True, True])

    @given(
        st.lists(
            st.tuples(st.sampled_from((13.0, 14.5)), st.sampled_from((17.0, 18.0, 19.0))),
            max_size=40,
        )
    )
    def test_every_lane_ends_at_the_shot_its_last_came_from(
        self, drawn: list[tuple[float, float]]
    ) -> None:
        places = along(*({"grind_setting": a, "dose_g": b} for a, b in drawn))
        for at, place in enumerate(places):
            self.assertNotIn(place.lane, place.passing)
            if place.came_from is not None:
                self.assertLess(place.came_from, at)
                for between in places[place.came_from + 1 : at]:
                    self.assertIn(place.lane, between.passing)
        for older, newer in pairwise(places):  # lanes go on from row to row
            self.assertLessEqual({*older.passing} - {older.lane}, {*newer.passing, newer.lane})
        if places:
            self.assertEqual((places[-1].lane, places[0].lane), (0, 0))
