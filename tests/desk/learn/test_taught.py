"""What the shots taught, as a page shows it: what is used, going back, calling off, what next."""

from __future__ import annotations

from tests.desk.learn.at_bench import FLAT, PRESSED, AtLearntBench
from vapocline.core.base.problems import NotFoundError
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.learn.next_shot import read_next_shot
from vapocline.desk.learn.taught import (
    KnowledgeChoice,
    ask_again,
    call_off,
    choose,
    list_together,
    read_taught,
)
from vapocline.desk.pull.start import pull
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.read.strength import Strength, measure
from vapocline.desk.shelf.machines import change_machine, plain_machine
from vapocline.store.learn import Together


class Taught(AtLearntBench):
    def pulled(self, count: int) -> list[int]:
        """Several shots of one plan, each learnt from at once."""
        request = self.request(PRESSED, name=f"{self._testMethodName[5:45]} {count}")
        numbers = []
        for _ in range(count):
            numbers.append(pull(self.context, request))
            self.learn()
        return numbers

    def test_it_says_what_is_used_what_moved_and_which_shots_counted(self) -> None:
        numbers = self.pulled(2)
        aside = pull(self.context, self.request(FLAT))
        set_aside(self.context, aside, SetAside(reason="the cup was moved"))
        self.learn()
        found = read_taught(self.context, self.together)
        self.assertEqual((found.how, found.in_force), ("newest", found.fits[0].id))
        self.assertEqual({shot.shot_id for shot in found.shots if not shot.because}, set(numbers))
        moved = {one.name for one in found.unknowns if one.moved}
        self.assertIn("permeability", moved)
        self.assertEqual(len(found.forecasts.lines), 2)
        self.assertEqual([line.shots for line in found.fits], [2, 1])

    def test_going_back_holds_until_new_shots_are_followed_again(self) -> None:
        self.pulled(2)
        newest, first = read_taught(self.context, self.together).fits
        kept = choose(
            self.context, self.together, KnowledgeChoice(take="this", knowledge_id=first.id)
        )
        self.assertEqual((kept.how, kept.in_force), ("kept", first.id))
        pull(self.context, self.request(PRESSED))
        self.learn()
        bench = read_bench(self.context)
        self.assertEqual((bench.learnt_shots, bench.knowledge_id), (1, first.id))
        again = choose(self.context, self.together, KnowledgeChoice(take="newest"))
        usable = [line.id for line in again.fits if line.used]
        self.assertEqual((len(again.fits), again.in_force), (3, usable[0]))
        self.assertGreaterEqual(read_bench(self.context).learnt_shots, newest.shots)

    def test_nothing_of_it_can_be_used(self) -> None:
        self.pulled(1)
        found = choose(self.context, self.together, KnowledgeChoice(take="nothing"))
        self.assertEqual((found.how, found.in_force), ("nothing", None))
        bench = read_bench(self.context)
        self.assertEqual((bench.learnt_shots, bench.knowledge), (0, None))

    def test_what_was_kept_is_not_used_against_other_assumptions(self) -> None:
        self.pulled(1)
        [fit] = read_taught(self.context, self.together).fits
        choose(self.context, self.together, KnowledgeChoice(take="this", knowledge_id=fit.id))
        machine = read_bench(self.context).machine
        changed = plain_machine(machine).model_copy(update={"head_free_ml": 9.5})
        change_machine(self.context, machine.id, changed, None)
        self.addCleanup(change_machine, self.context, machine.id, plain_machine(machine), None)
        self.assertEqual(read_bench(self.context).learnt_shots, 0)
        [stale] = read_taught(self.context, self.together).fits
        self.assertFalse(stale.current)
        with self.assertRaisesRegex(NotFoundError, str(fit.id)):
            choose(self.context, self.together, KnowledgeChoice(take="this", knowledge_id=fit.id))

    def test_the_three_are_listed_under_each_of_them(self) -> None:
        self.pulled(1)
        for kind, number in (
            ("coffee", self.together.coffee_id),
            ("grinder", self.together.grinder_id),
        ):
            with self.subTest(kind):
                [line] = list_together(self.context, kind, number)  # type: ignore[arg-type]
                self.assertEqual((line.coffee_id, line.shots), (self.together.coffee_id, 1))
        machine = list_together(self.context, "machine", self.together.machine_id)
        self.assertIn(self.together.coffee_id, [line.coffee_id for line in machine])
        with self.assertRaises(NotFoundError):
            list_together(self.context, "coffee", 99_999)
        with self.assertRaises(NotFoundError):
            read_taught(self.context, Together(*self.together[:2], 99_999))
        with self.assertRaisesRegex(NotFoundError, "was never pulled by"):
            read_taught(self.context, self.together._replace(grinder_id=1))

    def test_learning_can_be_called_off_and_asked_for_again(self) -> None:
        pull(self.context, self.request(PRESSED))
        self.assertEqual(read_taught(self.context, self.together).job, "waits")
        self.assertIsNone(call_off(self.context, self.together).job)
        self.assertEqual(self.queued(), 0)
        self.assertEqual(ask_again(self.context, self.together).job, "waits")
        self.assertTrue(learn_together(self.context.resources, self.together))

    def test_the_shot_that_would_teach_most_is_one_with_a_strength_then_another(self) -> None:
        [number] = self.pulled(1)
        first = read_next_shot(self.context, self.together)
        assert first
        self.assertIn("strength measured", first.words)
        measure(self.context, number, Strength(tds_pct=9.0))
        self.learn()
        second = read_next_shot(self.context, self.together)
        assert second
        self.assertNotEqual(first.words, second.words)
        self.assertLess(second.now_points, first.now_points)
