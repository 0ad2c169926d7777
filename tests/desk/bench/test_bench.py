"""The bench: each word of its sentence."""

from __future__ import annotations

import unittest
from datetime import UTC, date, datetime

from tests.parts import at_time, fresh_database
from vapocline.core.base.problems import ConflictError, NotFoundError, Refused
from vapocline.core.coffee.basket import UNWEIGHED_SPREAD
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.profile.profile import Profile
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.bench.setup import plan_for
from vapocline.desk.context import open_resources
from vapocline.desk.shelf.coffees import add_coffee, change_coffee, list_coffees
from vapocline.desk.shelf.grinders import add_grinder


class AtBench(unittest.TestCase):
    def setUp(self) -> None:
        self.context = open_bench(open_resources(fresh_database()))
        self.addCleanup(self.context.resources.close)


class Bench(AtBench):
    def test_it_opens_with_a_machine_that_works_and_opens_only_once(self) -> None:
        open_bench(self.context.resources, "Another")
        bench = read_bench(self.context)
        self.assertEqual((bench.name, bench.machine.name), ("Bench 1", "Reference"))
        self.assertTrue(bench.machine.simulated)
        self.assertEqual(bench.ratio, 2.0)

    def test_each_word_changes_alone(self) -> None:
        coffee = add_coffee(self.context, Coffee(name="Ferrow Hill", roast="light"))
        change_bench(self.context, BenchChange(coffee_id=coffee.id))
        bench = change_bench(self.context, BenchChange(dose_g=20))
        self.assertEqual((bench.coffee.name, bench.dose_g, bench.ratio), ("Ferrow Hill", 20, 2))

    def test_a_levelled_dose_is_planned_as_one_that_was_not_weighed(self) -> None:
        for levelled, spread in ((True, UNWEIGHED_SPREAD), (False, 0)):
            bench = change_bench(self.context, BenchChange(levelled=levelled))
            plan, _assumed = plan_for(bench, Profile(name="any"))
            self.assertEqual((bench.levelled, plan.setup.dose_spread), (levelled, spread))

    def test_a_number_means_nothing_on_another_grinder(self) -> None:
        first = add_grinder(self.context, Grinder(name="A", settings=(0, 10), grind_um=(200, 400)))
        other = add_grinder(self.context, Grinder(name="B", settings=(0, 40), grind_um=(200, 500)))
        change_bench(self.context, BenchChange(grinder_id=first.id, grind_setting=2))
        self.assertEqual(read_bench(self.context).grind_um, 240)
        self.assertEqual(
            change_bench(self.context, BenchChange(grinder_id=other.id)).grind_setting, 20
        )

    def test_a_setting_that_leaves_the_models_range_is_refused_and_nothing_changes(self) -> None:
        grinder = add_grinder(
            self.context, Grinder(name="A", settings=(0, 10), grind_um=(200, 400))
        )
        change_bench(self.context, BenchChange(grinder_id=grinder.id, grind_setting=5))
        with self.assertRaisesRegex(Refused, "grind_setting"):
            change_bench(self.context, BenchChange(grind_setting=90))
        self.assertEqual(read_bench(self.context).grind_setting, 5)

    def test_what_is_not_on_the_shelf_cannot_be_chosen(self) -> None:
        with self.assertRaisesRegex(NotFoundError, "coffee 99"):
            change_bench(self.context, BenchChange(coffee_id=99))

    def test_names_on_the_shelf_are_unique_and_a_new_bag_rewrites_the_date(self) -> None:
        today = at_time(self.context, lambda: datetime(2026, 3, 20, 9, tzinfo=UTC))
        coffee = add_coffee(today, Coffee(name="Night Ferry", roasted_on=date(2026, 3, 1)))
        self.assertEqual(coffee.rest_days, 19)
        with self.assertRaisesRegex(ConflictError, "coffee with that name"):
            add_coffee(today, Coffee(name="Night Ferry"))
        change_coffee(today, coffee.id, Coffee(name="Night Ferry", roasted_on=date(2026, 3, 14)))
        self.assertEqual([one.rest_days for one in list_coffees(today)], [6])
