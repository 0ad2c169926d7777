"""Five answers: a forecast that narrows, styles with their grind, the bench that comes of it."""

from __future__ import annotations

import unittest
from datetime import date, timedelta
from typing import Any

from tests.parts import context_on_fresh_database
from vapocline.core.base.problems import Refused
from vapocline.core.begin.answers import Answers
from vapocline.desk.begin.bench import SetUp, beginning, set_up_bench
from vapocline.desk.begin.forecast import begin_styles, forecast_begin, what_narrows
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.plan.profiles import list_profiles, read_history
from vapocline.desk.shelf.machines import list_machines

ALL: dict[str, Any] = {
    "machine": {"hand": "pressure", "name": "Quay lever", "wired": False},
    "grinder": {"name": "Pebble", "lowest": 0, "highest": 30, "espresso": 8},
    "coffee": {"name": "Ferrow Hill", "roast": "medium-light"},
    "basket": {"dose_g": 17, "weighed": False},
    "drink": {"ratio": 2.2, "milk": True},
}


def said(*parts: str, **changed: Any) -> Answers:
    return Answers.model_validate({part: ALL[part] for part in parts} | changed)


class Beginnings(unittest.TestCase):
    def setUp(self) -> None:
        self.context = self.enterContext(context_on_fresh_database())

    def test_nothing_is_stored_while_questions_are_answered(self) -> None:
        machines = len(list_machines(self.context))
        forecast_begin(self.context, said("machine", "coffee"), 8)
        begin_styles(self.context, said("machine"))
        what_narrows(self.context, said())
        self.assertTrue(beginning(self.context).empty)
        self.assertEqual(len(list_machines(self.context)), machines)
        self.assertEqual(list_profiles(self.context), [])

    def test_all_answers_make_a_bench_with_a_draft_and_its_grind(self) -> None:
        answers = said(*ALL)
        styles = begin_styles(self.context, answers)
        self.assertEqual(len({one.key for one in styles}), 3)
        first = styles[0]
        assert first.setting is not None
        assert first.low is not None
        assert first.high is not None
        self.assertLess(first.low, first.setting)
        self.assertLess(first.setting, first.high)
        begun = set_up_bench(self.context, SetUp(answers=answers, style=first.key))
        bench = read_bench(self.context)
        assert bench.coffee
        assert bench.grinder
        assert bench.basket
        assert begun.profile_id
        self.assertEqual(
            (bench.machine.name, bench.grinder.name, bench.coffee.name),
            ("Quay lever", "Pebble", "Ferrow Hill"),
        )
        self.assertEqual((bench.dose_g, bench.yield_g, bench.levelled), (17, 37.4, True))
        self.assertEqual((bench.grind_setting, bench.water_c), (first.setting, 93))
        self.assertFalse(bench.machine.wired)
        newest = read_history(self.context, begun.profile_id).newest
        self.assertEqual((newest.profile.name, newest.purpose), (first.name, "milk"))
        self.assertFalse(beginning(self.context).empty)

    def test_whole_steps_of_a_dial_stay_with_the_grinder(self) -> None:
        for stepped, step in ((True, 1), (False, None)):
            answers = said("grinder", grinder=ALL["grinder"] | {"stepped": stepped, "name": None})
            set_up_bench(self.context, SetUp(answers=answers))
            grinder = read_bench(self.context).grinder
            assert grinder
            self.assertEqual(grinder.step, step)

    def test_plans_first_forecast_is_the_one_that_was_shown(self) -> None:
        answers = said(*ALL)
        shown = forecast_begin(self.context, answers, 128).prediction.shot_time_s
        profile = forecast_begin(self.context, answers).profile
        set_up_bench(self.context, SetUp(answers=answers))
        then = forecast(self.context, profile, 128).prediction.shot_time_s
        assert shown.value
        assert then.value
        assert shown.p10
        assert shown.p90
        assert then.p10
        assert then.p90
        self.assertAlmostEqual(then.value, shown.value, delta=0.2)
        self.assertAlmostEqual(then.p90 / then.p10, shown.p90 / shown.p10, delta=0.35)

    def test_what_was_left_open_stays_open(self) -> None:
        before = read_bench(self.context).machine.id
        begun = set_up_bench(self.context, SetUp(answers=said()))
        bench = read_bench(self.context)
        self.assertEqual((bench.machine.id, bench.machine.simulated), (before, True))
        self.assertIsNone(bench.coffee)
        self.assertIsNone(bench.grinder)
        self.assertIsNone(begun.profile_id)
        self.assertTrue(beginning(self.context).empty)

    def test_a_name_left_out_gets_a_plain_one_and_one_that_is_taken_is_refused(self) -> None:
        unnamed = said(machine={}, grinder={}, coffee={}, basket={})
        set_up_bench(self.context, SetUp(answers=unnamed))
        again = set_up_bench(self.context, SetUp(answers=unnamed, another=True))
        bench = read_bench(self.context.at_bench(again.bench_id))
        assert bench.coffee
        assert bench.grinder
        assert bench.basket
        self.assertEqual(bench.name, "Bench")
        self.assertEqual(
            (bench.machine.name, bench.grinder.name, bench.coffee.name, bench.basket.name),
            ("my machine 2", "my grinder 2", "a medium coffee 2", "18 g basket 2"),
        )
        open_one = set_up_bench(self.context, SetUp(answers=said("coffee"), another=True))
        there = read_bench(self.context.at_bench(open_one.bench_id))
        self.assertEqual((there.machine.name, there.machine.simulated), ("Reference", True))
        taken = said("drink", grinder={"name": "my grinder"}, coffee={"name": "Other"})
        with self.assertRaisesRegex(Refused, "answers.grinder.name: got 'my grinder'; takes ano"):
            set_up_bench(self.context, SetUp(answers=taken))
        self.assertIsNone(
            next((one for one in list_machines(self.context) if one.name == "Other"), None)
        )

    def test_an_address_that_is_none_is_refused_and_nothing_is_kept(self) -> None:
        machines = len(list_machines(self.context))
        with self.assertRaisesRegex(Refused, "answers.machine.address: got 'here'"):
            set_up_bench(self.context, SetUp(answers=said("coffee", machine={"address": "here"})))
        self.assertEqual(len(list_machines(self.context)), machines)
        self.assertTrue(beginning(self.context).empty)

    def test_a_roast_date_to_come_counts_as_today(self) -> None:
        tomorrow: date = self.context.today() + timedelta(days=1)
        answers = said(coffee={"roasted_on": tomorrow.isoformat()})
        self.assertEqual(forecast_begin(self.context, answers).rest_days, 0)

    def test_shots_of_a_coffee_narrow_more_than_any_answer(self) -> None:
        found = what_narrows(self.context, said(*ALL))
        self.assertEqual(found[0].by, "shots")
        self.assertLess(found[0].shot_time_pct, 0.7 * found[0].now_pct)
        self.assertIn("grinder", [one.by for one in what_narrows(self.context, said("coffee"))])
