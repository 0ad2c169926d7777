"""The bench, its predictions, and profiles with their versions."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime

from tests.factories import flow, pressure, profile, seconds
from tests.parts import fresh_database
from vapocline.core.machine import Machine, PressureLoop
from vapocline.core.problems import ConflictError, NotFoundError, Refused
from vapocline.core.profile import PressureAboveExit
from vapocline.core.shelf import Coffee, Grinder
from vapocline.desk.bench import (
    BenchChange,
    change_bench,
    forecast,
    open_bench,
    read_bench,
)
from vapocline.desk.context import open_desk
from vapocline.desk.profiles import (
    NewProfile,
    NewVersion,
    changes_since,
    list_profiles,
    read_history,
    save_version,
    start_profile,
)
from vapocline.desk.shelf import add_coffee, add_grinder, add_machine, change_coffee, list_coffees

SOAKED = profile(
    flow(4, None, PressureAboveExit(value=4), seconds(20), name="Soak"), pressure(9, name="Press")
)


class AtDesk(unittest.TestCase):
    def setUp(self) -> None:
        self.desk = open_desk(fresh_database())
        self.addCleanup(self.desk.engine.dispose)
        open_bench(self.desk)


class Bench(AtDesk):
    def test_it_opens_with_a_machine_that_works_and_opens_only_once(self) -> None:
        open_bench(self.desk, "Another")
        bench = read_bench(self.desk)
        self.assertEqual((bench.name, bench.machine.name), ("Bench 1", "Reference"))
        self.assertTrue(bench.machine.simulated)
        self.assertEqual(bench.ratio, 2.0)

    def test_each_word_changes_alone(self) -> None:
        coffee = add_coffee(self.desk, Coffee(name="Ferrow Hill", roast="light"))
        change_bench(self.desk, BenchChange(coffee_id=coffee.id))
        bench = change_bench(self.desk, BenchChange(dose_g=20))
        self.assertEqual((bench.coffee.name, bench.dose_g, bench.ratio), ("Ferrow Hill", 20, 2))

    def test_a_number_means_nothing_on_another_grinder(self) -> None:
        first = add_grinder(self.desk, Grinder(name="A", settings=(0, 10), grind_um=(200, 400)))
        other = add_grinder(self.desk, Grinder(name="B", settings=(0, 40), grind_um=(200, 500)))
        change_bench(self.desk, BenchChange(grinder_id=first.id, grind_setting=2))
        self.assertEqual(read_bench(self.desk).grind_um, 240)
        self.assertEqual(
            change_bench(self.desk, BenchChange(grinder_id=other.id)).grind_setting, 20
        )

    def test_a_setting_that_leaves_the_models_range_is_refused_and_nothing_changes(self) -> None:
        grinder = add_grinder(self.desk, Grinder(name="A", settings=(0, 10), grind_um=(200, 400)))
        change_bench(self.desk, BenchChange(grinder_id=grinder.id, grind_setting=5))
        with self.assertRaisesRegex(Refused, "grind_setting"):
            change_bench(self.desk, BenchChange(grind_setting=90))
        self.assertEqual(read_bench(self.desk).grind_setting, 5)

    def test_what_is_not_on_the_shelf_cannot_be_chosen(self) -> None:
        with self.assertRaisesRegex(NotFoundError, "coffee 99"):
            change_bench(self.desk, BenchChange(coffee_id=99))

    def test_names_on_the_shelf_are_unique_and_a_new_bag_rewrites_the_date(self) -> None:
        today = replace(self.desk, now=lambda: datetime(2026, 3, 20, 9, tzinfo=UTC))
        coffee = add_coffee(today, Coffee(name="Night Ferry", roasted_on=date(2026, 3, 1)))
        self.assertEqual(coffee.rest_days, 19)
        with self.assertRaisesRegex(ConflictError, "coffee of that name"):
            add_coffee(today, Coffee(name="Night Ferry"))
        change_coffee(today, coffee.id, Coffee(name="Night Ferry", roasted_on=date(2026, 3, 14)))
        self.assertEqual([one.rest_days for one in list_coffees(today)], [6])


class Forecasts(AtDesk):
    def test_what_had_to_be_assumed_is_said(self) -> None:
        bare = forecast(self.desk, SOAKED)
        self.assertEqual(len(bare.assumed), 2)
        grinder = add_grinder(self.desk, Grinder(name="A", settings=(0, 10), grind_um=(200, 400)))
        coffee = add_coffee(self.desk, Coffee(name="Undated"))
        change_bench(self.desk, BenchChange(grinder_id=grinder.id, coffee_id=coffee.id))
        self.assertEqual(
            forecast(self.desk, SOAKED).assumed, ["rested 12 days, as the bag has no roast date"]
        )

    def test_it_follows_the_bench(self) -> None:
        before = forecast(self.desk, SOAKED).prediction.shot_time_s.value
        change_bench(self.desk, BenchChange(dose_g=20))
        self.assertGreater(forecast(self.desk, SOAKED).prediction.shot_time_s.value, before)

    def test_stopping_at_the_offered_weight_lands_on_the_goal(self) -> None:
        offer = forecast(self.desk, SOAKED).stop_offer
        assert offer is not None
        earlier = SOAKED.model_copy(
            update={"stop": SOAKED.stop.model_copy(update={"cup_g": offer.stop_at_g})}
        )
        again = forecast(self.desk, earlier)
        self.assertAlmostEqual(again.prediction.cup_g.value, 36, delta=0.3)
        self.assertIsNone(again.stop_offer)

    def test_what_the_benchs_machine_cannot_do_is_refused(self) -> None:
        machine = add_machine(self.desk, Machine(name="Plain", control=PressureLoop()))
        change_bench(self.desk, BenchChange(machine_id=machine.id))
        with self.assertRaisesRegex(Refused, "profile.phases.0.command.control: got 'flow'"):
            forecast(self.desk, SOAKED)


class Versions(AtDesk):
    def test_a_profile_starts_as_a_steady_nine_to_the_benchs_yield(self) -> None:
        change_bench(self.desk, BenchChange(yield_g=40))
        first = start_profile(self.desk, NewProfile(name="  Mine "))
        self.assertEqual(
            (first.number, first.profile.name, first.profile.stop.cup_g), (1, "Mine", 40)
        )

    def test_each_save_is_a_new_version_and_says_what_it_changed(self) -> None:
        first = start_profile(self.desk, NewProfile(name="Mine", profile=SOAKED))
        softer = profile(SOAKED.phases[0], pressure(8, name="Press")).model_copy(
            update={"name": "Mine"}
        )
        save_version(
            self.desk, first.profile_id, NewVersion(based_on=1, label="softer", profile=softer)
        )
        history = read_history(self.desk, first.profile_id)
        self.assertEqual([line.number for line in history.versions], [2, 1])
        self.assertEqual(history.versions[0].differences, ["press 9 to 8 bar"])
        self.assertEqual(history.newest.label, "softer")
        self.assertEqual([one.newest for one in list_profiles(self.desk)], [2])

    def test_the_second_of_two_saves_is_told_and_not_lost(self) -> None:
        first = start_profile(self.desk, NewProfile(name="Mine", profile=SOAKED))
        mine = NewVersion(based_on=1, profile=SOAKED.model_copy(update={"note": "mine"}))
        save_version(self.desk, first.profile_id, NewVersion(based_on=1, profile=SOAKED))
        with self.assertRaisesRegex(ConflictError, "Version 2 of Trial was saved meanwhile"):
            save_version(self.desk, first.profile_id, mine)
        self.assertEqual(len(read_history(self.desk, first.profile_id).versions), 2)
        kept = mine.model_copy(update={"based_on": 2})
        self.assertEqual(save_version(self.desk, first.profile_id, kept).number, 3)

    def test_a_profile_that_could_run_nowhere_is_not_saved(self) -> None:
        first = start_profile(self.desk, NewProfile(name="Mine", profile=SOAKED))
        for bad in (profile(), profile(pressure(9, None, PressureAboveExit(value=5)))):
            with self.assertRaises(Refused):
                save_version(self.desk, first.profile_id, NewVersion(based_on=1, profile=bad))

    def test_a_name_taken_by_another_profile_is_refused(self) -> None:
        start_profile(self.desk, NewProfile(name="Mine", profile=SOAKED))
        with self.assertRaisesRegex(ConflictError, "profile of that name"):
            start_profile(self.desk, NewProfile(name="Mine"))

    def test_a_draft_is_set_against_its_version_in_words_and_by_prediction(self) -> None:
        first = start_profile(self.desk, NewProfile(name="Mine", profile=SOAKED))
        softer = profile(SOAKED.phases[0], pressure(6, name="Press"))
        since = changes_since(self.desk, first.profile_id, 1, softer)
        self.assertEqual(since.differences, ["press 9 to 6 bar"])
        self.assertGreater(since.shot_time_change_s or 0, 1)
        self.assertEqual(changes_since(self.desk, first.profile_id, 1, SOAKED).differences, [])
