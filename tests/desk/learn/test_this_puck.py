"""A shot's own puck on the bench, and what a machine's and a grinder's shots say of the next."""

from __future__ import annotations

from tests.desk.learn.at_bench import FLAT, NUMBERS, PRESSED, AtLearntBench, add
from vapocline.core.base.problems import ConflictError, Refused
from vapocline.core.coffee.basket import Basket
from vapocline.core.formats.registry import PLAN
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.learn.puck import put_puck_on_bench, take_puck_away
from vapocline.desk.plan.first_grind import first_grind
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.pull.readiness import prepare
from vapocline.desk.pull.start import pull
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.shelf.doses import read_doses
from vapocline.desk.shelf.machines import add_machine, plain_machine
from vapocline.store import shots
from vapocline.store.database import transaction


class ThisPuck(AtLearntBench):
    def test_the_profile_it_ran_gives_its_shot_again_and_another_one_another(self) -> None:
        number = pull(self.context, self.request(PRESSED))
        bench = put_puck_on_bench(self.context, number)
        assert bench.puck
        self.assertEqual(bench.puck.shot_id, number)
        shot = read_shot(self.context, number)
        again = forecast(self.context, PRESSED).prediction
        self.assertAlmostEqual(again.shot_time_s.value or 0, shot.shot_time_s or 0, delta=1.0)
        gentle = forecast(self.context, FLAT).prediction
        self.assertGreater(gentle.shot_time_s.value or 0, (again.shot_time_s.value or 0) + 2)
        self.assertIsNone(take_puck_away(self.context).puck)

    def test_a_pull_takes_a_fresh_one(self) -> None:
        number = pull(self.context, self.request(PRESSED))
        put_puck_on_bench(self.context, number)
        fresh = pull(self.context, self.request(FLAT, name=f"Fresh {next(NUMBERS)}"))
        with transaction(self.context.sessions) as session:
            setup = PLAN.read(shots.read_shot(session, fresh).plan).setup
        self.assertTrue(setup.knowledge is None or setup.knowledge.pull_spread > 0)
        self.assertIsNotNone(read_bench(self.context).puck)
        take_puck_away(self.context)

    def test_another_grind_means_another_puck_and_another_yield_does_not(self) -> None:
        number = pull(self.context, self.request(PRESSED))
        put_puck_on_bench(self.context, number)
        self.assertIsNotNone(change_bench(self.context, BenchChange(yield_g=30)).puck)
        self.assertIsNone(change_bench(self.context, BenchChange(dose_g=18.2)).puck)

    def test_one_that_does_not_count_or_from_another_machine_is_refused(self) -> None:
        number = pull(self.context, self.request(PRESSED))
        set_aside(self.context, number, SetAside(reason="a test"))
        with self.assertRaisesRegex(Refused, "set aside: a test"):
            put_puck_on_bench(self.context, number)
        set_aside(self.context, number, SetAside(reason=None))
        own = plain_machine(read_bench(self.context).machine)
        other = add_machine(self.context, own.model_copy(update={"name": "Another"}))
        change_bench(self.context, BenchChange(machine_id=other.id))
        with self.assertRaisesRegex(ConflictError, "put that machine on the bench first"):
            put_puck_on_bench(self.context, number)


class Habits(AtLearntBench):
    def test_the_offered_stop_follows_what_dripped_after_the_machines_stops(self) -> None:
        request = self.request(PRESSED)
        model = forecast(self.context, PRESSED).stop_offer
        numbers = [pull(self.context, request) for _ in range(3)]
        learnt = forecast(self.context, PRESSED).stop_offer
        dripped = [
            (shot.yield_g or 0) - (shot.cup_at_stop_g or 0)
            for shot in (read_shot(self.context, number) for number in numbers)
        ]
        assert learnt
        self.assertGreaterEqual(learnt.stops, 3)
        self.assertEqual(0 if model is None else model.stops, 0)
        goal, stop = read_bench(self.context).yield_g, 25.0
        self.assertAlmostEqual(learnt.over_g, stop + sum(dripped) / 3 - goal, delta=0.5)

    def test_weighed_doses_say_how_they_lie(self) -> None:
        grinder = self.together.grinder_id
        self.assertIsNone(read_doses(self.context, grinder))
        for off in (0.1, 0.2, 0.0, 0.1, 0.1):
            weighed = read_bench(self.context).dose_g + off
            pull(
                self.context,
                self.request(PRESSED, name=f"Dosed {next(NUMBERS)}", weighed_g=weighed),
            )
        found = read_doses(self.context, grinder)
        assert found
        self.assertEqual(found.doses, 5)
        dose_g = read_bench(self.context).dose_g
        for off, again in ((0.3, False), (1.2, True)):
            request = self.request(PRESSED, name=f"Dosed {next(NUMBERS)}", weighed_g=dose_g + off)
            items = {item.check: item.words for item in prepare(self.context, request).items}
            self.assertEqual("grind again" in items["dose"], again, items["dose"])
        self.assertAlmostEqual(found.off_g, 0.1, delta=0.02)

    def test_the_first_grind_of_a_coffee_is_for_the_time_the_house_pulls(self) -> None:
        request = self.request(PRESSED)
        numbers = [pull(self.context, request) for _ in range(2)]
        self.learn()
        usual = sorted(read_shot(self.context, one).shot_time_s or 0 for one in numbers)
        self.assertIsNone(first_grind(self.context, PRESSED))
        coffee, _grinder = add(self.context, f"New {next(NUMBERS)}")
        change_bench(self.context, BenchChange(coffee_id=coffee))
        found = first_grind(self.context, PRESSED)
        assert found
        self.assertLessEqual(found.low, found.setting)
        self.assertGreaterEqual(found.high, found.setting)
        self.assertAlmostEqual(found.time_s, sum(usual) / 2, delta=0.1)
        change_bench(self.context, BenchChange(grind_setting=found.setting))
        time_s = forecast(self.context, PRESSED).prediction.shot_time_s.value
        self.assertAlmostEqual(time_s or 0, found.time_s, delta=1.0)


class AnotherBasket(AtLearntBench):
    def test_another_basket_than_last_time_proposes_the_grind_that_keeps_the_time(self) -> None:
        number = next(NUMBERS)
        wide, narrow = (
            add_basket(
                self.context,
                Basket(name=f"{mm} mm {number}", diameter_mm=mm, least_g=14, most_g=20),
            )
            for mm in (58.5, 54)
        )
        self.addCleanup(change_bench, self.context, BenchChange(basket_id=wide.id))
        change_bench(self.context, BenchChange(basket_id=wide.id, grind_setting=5))
        pull(self.context, self.request(PRESSED))
        self.learn()
        self.assertIsNone(first_grind(self.context, PRESSED))
        before_s = forecast(self.context, PRESSED).prediction.shot_time_s.value or 0
        change_bench(self.context, BenchChange(basket_id=narrow.id))
        found = first_grind(self.context, PRESSED)
        assert found
        self.assertTrue(found.pulled)
        self.assertIn(f"in 58.5 mm {number}", found.because)
        self.assertGreater(found.setting, 5)  # a deeper bed is ground coarser
        change_bench(self.context, BenchChange(grind_setting=found.setting))
        after_s = forecast(self.context, PRESSED).prediction.shot_time_s.value or 0
        self.assertAlmostEqual(after_s, before_s, delta=1.0)
        self.assertIsNone(first_grind(self.context, PRESSED))  # as it is set
