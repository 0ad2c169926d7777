"""The first week: each step is done by what was really pulled and tasted."""

from __future__ import annotations

import unittest

from tests.desk.learn.at_bench import add
from tests.factories import EVERY_CHECK
from tests.parts import context_on_fresh_database
from vapocline.core.advise.first_week import STEP, WEEK
from vapocline.core.base.problems import ConflictError
from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.next.first_week import FirstWeek, PlannedStep, plan_step, read_first_week
from vapocline.desk.next.next import Taken, take_change
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.taste.sessions import Closing, close_session, start_session
from vapocline.desk.taste.tasting import score


class Week(unittest.TestCase):
    context: Context

    @classmethod
    def setUpClass(cls) -> None:
        cls.context = cls.enterClassContext(context_on_fresh_database())

    def setUp(self) -> None:
        self.coffee, grinder = add(self.context, self._testMethodName[5:60])
        change = BenchChange(coffee_id=self.coffee, grinder_id=grinder, grind_setting=5, water_c=93)
        change_bench(self.context, change)

    def progress(self) -> list[str]:
        return [one.progress for one in read_first_week(self.context).steps]

    def pulled(self, week: FirstWeek, at: int) -> int:
        step = week.steps[at]
        request = {"profile_id": step.profile_id, "number": step.number, "despite": EVERY_CHECK}
        return pull(self.context, PullRequest.model_validate(request))

    def test_from_nothing_to_a_change_that_was_settled(self) -> None:
        self.assertEqual(read_first_week(self.context).now, "baseline")
        shots = []
        for at, key in enumerate(("baseline", "soak", "fall")):
            week = plan_step(self.context, PlannedStep(key=key))  # type: ignore[arg-type]
            self.assertEqual(week.now, key)
            shots.append(self.pulled(week, at))
            self.assertEqual(self.progress()[at], "pulled")
            score(self.context, shots[-1], Tasting(bitterness=7, liking=5))
            self.assertEqual(self.progress()[at], "done")
        self.assertEqual(read_first_week(self.context).shot_ids, shots)
        setup = SessionSetup(shot_ids=tuple(shots[:2]), tasters=("Ines",), lines=("liking",))
        table = start_session(self.context, setup)
        self.assertEqual(self.progress()[3], "to do")
        close_session(self.context, table.id, Closing(incomplete=True))
        week = read_first_week(self.context)
        self.assertEqual((week.now, week.steps[3].session_id), ("one change", table.id))
        take_change(self.context, shots[2], Taken(move="cooler", expected={"bitterness": -1}))
        change_bench(self.context, BenchChange(water_c=92))
        last = self.pulled(week, 2)
        self.assertEqual(self.progress()[4], "to do")
        score(self.context, last, Tasting(bitterness=3))
        week = read_first_week(self.context)
        self.assertEqual((week.now, week.steps[4].shot_id), (None, last))

    def test_the_baseline_brings_its_grind_and_the_others_leave_it(self) -> None:
        before = read_bench(self.context).grind_setting
        plan_step(self.context, PlannedStep(key="baseline"))
        baseline = read_bench(self.context).grind_setting
        self.assertNotEqual(baseline, before)
        week = plan_step(self.context, PlannedStep(key="soak"))
        self.assertEqual(read_bench(self.context).grind_setting, baseline)
        names = {one.profile_id for one in week.steps if one.profile_id is not None}
        self.assertGreaterEqual(len(names), 2)

    def test_a_step_planned_twice_gets_a_name_of_its_own(self) -> None:
        first = plan_step(self.context, PlannedStep(key="fall")).steps[2].profile_id
        second = plan_step(self.context, PlannedStep(key="fall")).steps[2].profile_id
        self.assertNotEqual(first, second)

    def test_a_step_without_a_profile_is_refused(self) -> None:
        for key in ("blind pair", "one change"):
            with self.assertRaises(ConflictError):
                plan_step(self.context, PlannedStep(key=key))  # type: ignore[arg-type]
        self.assertEqual([one.key for one in WEEK], list(STEP))

    def test_another_coffee_begins_its_own_week(self) -> None:
        week = plan_step(self.context, PlannedStep(key="baseline"))
        score(self.context, self.pulled(week, 0), Tasting(liking=5))
        self.assertEqual(self.progress()[0], "done")
        other, _grinder = add(self.context, "Another week")
        change_bench(self.context, BenchChange(coffee_id=other))
        self.assertEqual(self.progress()[0], "to do")
