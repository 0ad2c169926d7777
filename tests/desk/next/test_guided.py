"""A guided run on the bench: its shots are those that differ in one number alone."""

from __future__ import annotations

from tests.desk.next.own_coffee import WithOwnCoffee
from tests.factories import pressure, profile
from vapocline.core.advise.guided import GuidedAim
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.next.guided import end_run, read_run, start_run
from vapocline.desk.plan.profiles import NewProfile
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

TIME = GuidedAim(number="grind_setting", figure="shot_time_s", at=30, within=1.5)


class OnABench(WithOwnCoffee):
    starts = NewProfile(name="Pressed", profile=profile(pressure(8, name="Press"), cup_g=30))
    grind_setting = 6

    def test_it_comes_within_by_changing_the_grind_alone(self) -> None:
        run = start_run(self.context, self.pulled(), TIME)
        for _ in range(4):
            assert run.step
            if run.step.value is None:
                break
            change_bench(self.context, BenchChange(grind_setting=run.step.value))
            self.pulled()
            found = read_run(self.context, self.coffee)
            assert found
            run = found
        assert run.step
        self.assertEqual(run.step.state, "within")
        self.assertAlmostEqual(run.tries[-1].measured or 0, 30, delta=1.5)
        self.assertEqual(len({one.value for one in run.tries}), len(run.tries))

    def test_a_shot_that_differs_in_something_else_is_none_of_it(self) -> None:
        first = self.pulled()
        start_run(self.context, first, TIME)
        change_bench(self.context, BenchChange(water_c=90))
        self.pulled()
        change_bench(self.context, BenchChange(water_c=93, grind_setting=5))
        second = self.pulled()
        run = read_run(self.context, self.coffee)
        assert run
        self.assertEqual([one.shot_id for one in run.tries], [first, second])

    def test_what_is_not_measured_yet_is_waited_for(self) -> None:
        strength = GuidedAim(number="yield_g", figure="tds_pct", at=9, within=0.3)
        run = start_run(self.context, self.pulled(), strength)
        self.assertIsNone(run.step)
        self.assertEqual([one.measured for one in run.tries], [None])

    def test_one_takes_the_place_of_another_and_ends(self) -> None:
        first = self.pulled()
        start_run(self.context, first, TIME)
        other = TIME.model_copy(update={"at": 25.0})
        self.assertEqual(start_run(self.context, first, other).wanted.at, 25)
        end_run(self.context, self.coffee)
        self.assertIsNone(read_run(self.context, self.coffee))
        end_run(self.context, self.coffee)

    def test_there_is_none_from_nothing(self) -> None:
        with self.assertRaises(NotFoundError):
            start_run(self.context, 10**6, TIME)
        with self.assertRaises(NotFoundError):
            read_run(self.context, 10**6)
        number = self.pulled()
        with transaction(self.context.sessions) as session:
            session.get_one(ShotRow, number).plan_known = False
        with self.assertRaises(ConflictError):
            start_run(self.context, number, TIME)
