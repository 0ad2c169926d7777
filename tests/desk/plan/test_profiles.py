"""Forecasts on the bench, and profiles with their versions."""

from __future__ import annotations

import threading
import unittest
from typing import Any

from tests.desk.bench.test_bench import AtBench
from tests.desk.pull.test_recording import SHORT
from tests.factories import flow, pressure, profile, seconds
from tests.parts import PATIENCE_S, fresh_database
from vapocline.core.base.problems import ConflictError, Refused
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.machine.machine import Machine, PressureLoop
from vapocline.core.profile.profile import PressureAboveExit
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import open_resources
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.plan.profiles import (
    NewProfile,
    NewVersion,
    changes_since,
    list_profiles,
    read_history,
    save_version,
    start_profile,
)
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.machines import add_machine

SOAKED = profile(
    flow(4, None, PressureAboveExit(value=4), seconds(20), name="Soak"), pressure(9, name="Press")
)


class Forecasts(AtBench):
    def test_what_had_to_be_assumed_is_reported(self) -> None:
        bare = forecast(self.context, SOAKED)
        self.assertIn("no coffee", bare.assumed[0])
        self.assertIn("no grinder", bare.assumed[1])
        said = " ".join(bare.assumed)
        for what in ("wide ranges", "a basket of 46 mL", "% fines at 300 µm", "the boiler"):
            self.assertIn(what, said)
        grinder = add_grinder(
            self.context, Grinder(name="A", settings=(0, 10), grind_um=(200, 400))
        )
        coffee = add_coffee(self.context, Coffee(name="Undated"))
        change_bench(self.context, BenchChange(grinder_id=grinder.id, coffee_id=coffee.id))
        now = forecast(self.context, SOAKED).assumed
        self.assertEqual(now[0], "rested 12 days, as the bag has no roast date")
        self.assertEqual(len(now), len(bare.assumed) - 2)  # the grind, and how far it is known

    def test_it_follows_the_bench(self) -> None:
        before = forecast(self.context, SOAKED).prediction.shot_time_s.value
        change_bench(self.context, BenchChange(dose_g=20))
        self.assertGreater(forecast(self.context, SOAKED).prediction.shot_time_s.value, before)

    def test_stopping_at_the_offered_weight_lands_on_the_goal(self) -> None:
        offer = forecast(self.context, SOAKED).stop_offer
        assert offer is not None
        earlier = SOAKED.model_copy(
            update={"stop": SOAKED.stop.model_copy(update={"cup_g": offer.stop_at_g})}
        )
        again = forecast(self.context, earlier)
        self.assertAlmostEqual(again.prediction.yield_g.value, 36, delta=0.3)
        self.assertIsNone(again.stop_offer)

    def test_what_the_benchs_machine_cannot_do_is_refused(self) -> None:
        machine = add_machine(self.context, Machine(name="Plain", control=PressureLoop()))
        change_bench(self.context, BenchChange(machine_id=machine.id))
        with self.assertRaisesRegex(Refused, "profile.phases.0.command.control: got 'flow'"):
            forecast(self.context, SOAKED)


class Versions(AtBench):
    def test_a_profile_starts_as_a_steady_nine_to_the_benchs_yield(self) -> None:
        change_bench(self.context, BenchChange(yield_g=40))
        first = start_profile(self.context, NewProfile(name="  Mine "))
        self.assertEqual(
            (first.number, first.profile.name, first.profile.stop.cup_g), (1, "Mine", 40)
        )

    def test_each_save_is_a_new_version_and_says_what_it_changed(self) -> None:
        first = start_profile(self.context, NewProfile(name="Mine", profile=SOAKED))
        softer = profile(SOAKED.phases[0], pressure(8, name="Press")).model_copy(
            update={"name": "Mine"}
        )
        save_version(
            self.context, first.profile_id, NewVersion(based_on=1, label="softer", profile=softer)
        )
        history = read_history(self.context, first.profile_id)
        self.assertEqual([line.number for line in history.versions], [2, 1])
        self.assertEqual(history.versions[0].differences, ["press 9 to 8 bar"])
        self.assertEqual(history.newest.label, "softer")
        self.assertEqual([one.newest for one in list_profiles(self.context)], [2])

    def test_the_second_of_two_saves_is_reported_and_not_lost(self) -> None:
        first = start_profile(self.context, NewProfile(name="Mine", profile=SOAKED))
        mine = NewVersion(based_on=1, profile=SOAKED.model_copy(update={"note": "mine"}))
        save_version(self.context, first.profile_id, NewVersion(based_on=1, profile=SOAKED))
        with self.assertRaisesRegex(ConflictError, "Version 2 of Trial was saved in the meantime"):
            save_version(self.context, first.profile_id, mine)
        self.assertEqual(len(read_history(self.context, first.profile_id).versions), 2)
        kept = mine.model_copy(update={"based_on": 2})
        self.assertEqual(save_version(self.context, first.profile_id, kept).number, 3)

    def test_a_profile_that_could_run_nowhere_is_not_saved(self) -> None:
        first = start_profile(self.context, NewProfile(name="Mine", profile=SOAKED))
        for bad in (profile(), profile(pressure(9, None, PressureAboveExit(value=5)))):
            with self.assertRaises(Refused):
                save_version(self.context, first.profile_id, NewVersion(based_on=1, profile=bad))

    def test_a_name_taken_by_another_profile_is_refused(self) -> None:
        start_profile(self.context, NewProfile(name="Mine", profile=SOAKED))
        with self.assertRaisesRegex(ConflictError, "profile with that name"):
            start_profile(self.context, NewProfile(name="Mine"))

    def test_a_draft_is_set_against_its_version_in_words_and_by_prediction(self) -> None:
        first = start_profile(self.context, NewProfile(name="Mine", profile=SOAKED))
        softer = profile(SOAKED.phases[0], pressure(6, name="Press"))
        since = changes_since(self.context, first.profile_id, 1, softer)
        self.assertEqual(since.differences, ["press 9 to 6 bar"])
        self.assertGreater(since.shot_time_change_s or 0, 1)
        self.assertEqual(changes_since(self.context, first.profile_id, 1, SOAKED).differences, [])


class AtOnce(unittest.TestCase):
    def setUp(self) -> None:
        self.context = open_bench(open_resources(fresh_database()))
        self.addCleanup(self.context.resources.close)

    def together(self, *works: Any) -> list[Any]:
        """Run all at the same moment; each result, or the conflict it met."""
        barrier, found = threading.Barrier(len(works)), [None] * len(works)

        def run(i: int) -> None:
            barrier.wait()
            try:
                found[i] = works[i]()
            except ConflictError as error:
                found[i] = error

        threads = [threading.Thread(target=run, args=(i,)) for i in range(len(works))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(PATIENCE_S)
        return found

    def test_of_two_saves_at_the_same_moment_one_wins_and_the_other_is_reported(self) -> None:
        first = start_profile(self.context, NewProfile(name="Mine", profile=SHORT))
        for based_on in range(1, 6):
            drafts = [
                NewVersion(based_on=based_on, profile=profile(pressure(bar), cup_g=20))
                for bar in (7, 8)
            ]
            found = self.together(
                *(
                    lambda d=draft: save_version(self.context, first.profile_id, d)
                    for draft in drafts
                )
            )
            conflicts = [one for one in found if isinstance(one, ConflictError)]
            self.assertEqual(len(conflicts), 1)
            self.assertIn("in the meantime", str(conflicts[0]))
        self.assertEqual(len(read_history(self.context, first.profile_id).versions), 6)

    def test_two_profiles_of_one_name_at_the_same_moment(self) -> None:
        found = self.together(
            *(lambda: start_profile(self.context, NewProfile(name="Twin")) for _ in range(2))
        )
        self.assertEqual(sum(isinstance(one, ConflictError) for one in found), 1)

    def test_words_of_the_bench_changed_at_the_same_moment_are_all_kept(self) -> None:
        changes = [BenchChange(dose_g=17), BenchChange(yield_g=40), BenchChange(water_c=95)]
        self.together(*(lambda c=change: change_bench(self.context, c) for change in changes))
        bench = read_bench(self.context)
        self.assertEqual((bench.dose_g, bench.yield_g, bench.water_c), (17, 40, 95))


class Branches(unittest.TestCase):
    def test_a_history_says_of_each_version_what_it_changed_from_the_one_it_grew_from(self) -> None:
        context = open_bench(open_resources(fresh_database()))
        self.addCleanup(context.resources.close)
        soak = flow(4, None, seconds(5), name="Soak")
        bars = (9, 8, 7)
        first = start_profile(
            context, NewProfile(name="Mine", profile=profile(soak, pressure(bars[0], name="Press")))
        )
        for number, bar in enumerate(bars[1:], start=1):
            draft = profile(soak, pressure(bar, name="Press")).model_copy(update={"name": "Mine"})
            save_version(context, first.profile_id, NewVersion(based_on=number, profile=draft))
        told = [line.differences for line in read_history(context, first.profile_id).versions]
        self.assertEqual(told, [["press 8 to 7 bar"], ["press 9 to 8 bar"], []])
