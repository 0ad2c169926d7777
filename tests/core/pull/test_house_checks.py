"""The house's own start checks: added, left out, and asked when the house says."""

from __future__ import annotations

import unittest

from vapocline.core.base.problems import Refused
from vapocline.core.pull.house_checks import (
    AskedCheck,
    CheckWhen,
    HouseChecks,
    KeptLine,
    OwnLine,
    PullMoment,
    asked_now,
    check_house_checks,
    of_house,
)
from vapocline.core.pull.readiness import Checks, Item

ITEMS = [
    Item(check="warm", state="ready", words="Warm"),
    Item(check="flush", state="ask", words="Flushed"),
    Item(check="bag", state="missing", words="The bag lacks 3 g"),
    Item(check="tamp", state="ask", words="Tamped"),
]
USUAL = PullMoment(first_today=False, changed=False)
RIM = KeptLine(check="own-3", words="Spray, three times", after="flush")


class OfHouse(unittest.TestCase):
    def keys(
        self,
        when: dict[AskedCheck, CheckWhen] | None = None,
        own: tuple[KeptLine, ...] = (),
        confirmed: Checks = frozenset(),
        moment: PullMoment = USUAL,
    ) -> list[str]:
        found = of_house(ITEMS, when or {}, list(own), confirmed, moment)
        return [item.check for item in found]

    def test_when_a_line_is_asked_follows_the_day_and_what_was_changed(self) -> None:
        morning, changed = PullMoment(True, False), PullMoment(False, True)
        for when, on in (
            ("every time", (True, True, True)), ("each morning", (False, True, False)),
            ("after a change", (False, False, True)), ("never", (False, False, False)),
        ):  # fmt: skip
            with self.subTest(when):
                asked = tuple(asked_now(when, one) for one in (USUAL, morning, changed))  # type: ignore[arg-type]
                self.assertEqual(asked, on)

    def test_a_line_left_out_is_neither_asked_nor_counted_and_what_is_missing_stays(self) -> None:
        self.assertEqual(self.keys({"flush": "never", "bag": "never"}), ["warm", "bag", "tamp"])
        self.assertEqual(self.keys({"flush": "never"}, confirmed=frozenset({"flush"})),
                         ["warm", "bag", "tamp"])  # fmt: skip

    def test_an_own_check_comes_after_its_place_and_is_confirmed_by_its_key(self) -> None:
        self.assertEqual(self.keys(own=(RIM,)), ["warm", "flush", "own-3", "bag", "tamp"])
        found = of_house(ITEMS, {}, [RIM], frozenset({"own-3"}), USUAL)
        self.assertEqual([one.state for one in found if one.check == "own-3"], ["ready"])
        rare = RIM.model_copy(update={"when": "after a change"})
        self.assertNotIn("own-3", self.keys(own=(rare,)))

    def test_a_check_after_one_that_is_left_out_is_asked_all_the_same(self) -> None:
        self.assertEqual(self.keys({"flush": "never"}, (RIM,)), ["warm", "own-3", "bag", "tamp"])

    def test_two_lines_that_say_the_same_are_refused_by_their_place(self) -> None:
        twice = HouseChecks(own=(OwnLine(words="Spray"), OwnLine(words="spray")))
        with self.assertRaisesRegex(Refused, "own.1.words: got 'spray' twice"):
            check_house_checks(twice)
