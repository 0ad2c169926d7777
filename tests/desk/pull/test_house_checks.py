"""The house's start checks on a bench: kept in order, asked by the day and by what changed."""

from __future__ import annotations

import unittest
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta

from tests.factories import EVERY_CHECK
from tests.parts import at_time, context_on_fresh_database, sample_world
from vapocline.core.base.problems import ConflictError, Refused
from vapocline.core.pull.house_checks import CheckWhen, HouseChecks, OwnLine
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.context import Context
from vapocline.desk.pull.house_checks import choose_house_checks, read_house_checks
from vapocline.desk.pull.readiness import prepare
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import begin_pull, pull

STEADY = PullRequest(profile_id=1, number=1)


class OfABench(unittest.TestCase):
    def setUp(self) -> None:
        self.context = self.enterContext(context_on_fresh_database(template=sample_world()))

    def ask(self, when: CheckWhen) -> str:
        """The key of a line asked then."""
        line = OwnLine(words="Three sprays", after="grind", when=when)
        choose_house_checks(self.context, HouseChecks(when={"cup": "never"}, own=(line,)))
        self.assertEqual(read_house_checks(self.context).own, (line,))
        return "Three sprays"

    def asked(self, context: Context | None = None) -> list[str]:
        items = prepare(context or self.context, STEADY).items
        return [item.words for item in items if item.state == "ask"]

    def test_what_is_chosen_is_kept_in_its_order_and_replaced(self) -> None:
        self.assertEqual(read_house_checks(self.context), HouseChecks())
        own = tuple(OwnLine(words=words) for words in ("Heap", "Spray", "Level"))
        chosen = HouseChecks(when={"flush": "each morning"}, own=own)
        self.assertEqual(choose_house_checks(self.context, chosen), chosen)
        self.assertEqual(choose_house_checks(self.context, HouseChecks()), HouseChecks())

    def test_a_line_of_the_morning_is_asked_before_the_first_pull_of_a_day(self) -> None:
        words = self.ask("each morning")
        noon = self.context.now().replace(hour=12) + timedelta(days=1)
        pull(at_time(self.context, lambda: noon), STEADY)
        for hours, asked in ((1, False), (20, True)):
            later = at_time(self.context, lambda hours=hours: noon + timedelta(hours=hours))
            self.assertEqual(words in self.asked(later), asked)

    def test_a_line_after_a_change_is_asked_until_that_is_pulled(self) -> None:
        words = self.ask("after a change")
        pull(self.context, STEADY)
        self.assertNotIn(words, self.asked())
        change_bench(self.context, BenchChange(grind_setting=15.5))
        self.assertIn(words, self.asked())
        pull(self.context, STEADY)
        self.assertNotIn(words, self.asked())

    def test_of_two_who_choose_at_once_one_is_kept_whole_and_the_other_may_be_told_so(self) -> None:
        both = [HouseChecks(when={"flush": when}) for when in ("never", "each morning")]  # type: ignore[dict-item]
        with ThreadPoolExecutor(2) as people:
            asked = [people.submit(choose_house_checks, self.context, one) for one in both * 5]
        failed = [one.exception() for one in asked if one.exception() is not None]
        self.assertTrue(all(isinstance(one, ConflictError) for one in failed), failed)
        self.assertIn(read_house_checks(self.context), both)

    def test_the_pump_waits_for_an_own_line_as_for_any_other(self) -> None:
        self.ask("every time")
        with self.assertRaisesRegex(Refused, r"checks\.own-\d+: got Three sprays"):
            begin_pull(self.context, STEADY.model_copy(update={"despite": EVERY_CHECK}))
