"""From a tasted shot to changes: what was found, what answers it, what own cups say."""

from __future__ import annotations

from pydantic import ValidationError

from tests.desk.next.own_coffee import WithOwnCoffee
from tests.factories import flow, profile
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.plan.goal import Want
from vapocline.core.taste.target import Target
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.next.changes import NextChange
from vapocline.desk.next.next import Next, Taken, read_next, read_refitted, take_change
from vapocline.desk.read.strength import Strength, measure
from vapocline.desk.shelf.grinders import change_grinder
from vapocline.desk.taste.target import set_target
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow


class AfterAShot(WithOwnCoffee):
    def change(self, found: Next, move: str) -> NextChange:
        return next(one for one in found.changes if one.move == move)

    def test_a_taste_off_its_target_is_a_chip_with_its_evidence_and_is_answered(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2, "body": 6}))
        found = read_next(self.context, self.pulled(bitterness=7, body=6))
        [chip] = found.chips
        self.assertEqual((chip.trigger, chip.evidence), ("too bitter", "bitterness 7, aimed at 2"))
        self.assertTrue(all(v.trigger == "too bitter" for c in found.changes for v in c.voices))
        ranked = [one.move for one in found.changes]
        self.assertLessEqual({"cooler", "coarser", "shorter_drink", "falling_end"}, set(ranked))
        cooler, shorter = self.change(found, "cooler"), self.change(found, "shorter_drink")
        self.assertEqual((cooler.bench.water_c, cooler.bench.yield_g), (92, 36))
        self.assertEqual((shorter.bench.water_c, shorter.bench.yield_g), (93, 33))
        self.assertEqual((cooler.profile.stop.cup_g, shorter.profile.stop.cup_g), (30, 27))
        self.assertEqual(len(self.change(found, "falling_end").profile.phases), 3)
        self.assertLess(self.change(found, "coarser").expected["bitterness"], 0)

    def test_a_change_of_grind_is_a_click_at_least_where_the_grinder_clicks(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2}))
        grinder = read_bench(self.context).grinder
        assert grinder
        clicks = Grinder(name=grinder.name, settings=(0, 10), grind_um=(200, 400), step=2)
        change_grinder(self.context, grinder.id, clicks)
        change_bench(self.context, BenchChange(grind_setting=6))
        coarser = self.change(read_next(self.context, self.pulled(bitterness=7)), "coarser")
        self.assertEqual(coarser.bench.grind_setting, 8)
        self.assertIn("6 to 8 on", coarser.details)

    def test_a_grind_that_no_click_brings_nearer_is_not_said_to_change(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2}))
        grinder = read_bench(self.context).grinder
        assert grinder
        clicks = Grinder(name=grinder.name, settings=(0, 10), grind_um=(200, 400), step=5)
        change_grinder(self.context, grinder.id, clicks)
        change_bench(self.context, BenchChange(grind_setting=5))
        number = self.pulled(bitterness=7)
        refitted = read_refitted(self.context, number, "shorter_drink")
        assert refitted
        self.assertEqual(refitted.bench.grind_setting, 5)
        self.assertIn("the grind stays, as no click of", refitted.details)

    def test_what_is_within_what_can_be_told_is_nothing(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 4}))
        found = read_next(self.context, self.pulled(bitterness=5))
        self.assertEqual([chip.trigger for chip in found.chips], ["nothing wrong"])

    def test_a_chip_can_be_switched_off_and_a_wish_added(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2}))
        number = self.pulled(bitterness=8)
        off = read_next(self.context, number, off=frozenset({"too bitter"}))
        self.assertEqual(([c.on for c in off.chips], off.changes), ([False], []))
        wished = read_next(
            self.context, number, off=frozenset({"too bitter"}), wished=frozenset({"thin"})
        )
        self.assertEqual([(c.trigger, c.on) for c in wished.chips][-1], ("thin", True))
        self.assertTrue(all(v.trigger == "thin" for c in wished.changes for v in c.voices))

    def test_own_cups_count_for_a_move_that_helped(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2}))
        self.pulled(bitterness=9)
        change_bench(self.context, BenchChange(water_c=90))
        found = read_next(self.context, self.pulled(bitterness=5))
        cooler = self.change(found, "cooler")
        self.assertEqual((cooler.pulls_for, cooler.pulls_against), (1, 0))
        self.assertGreater(cooler.chance_nearer or 0, cooler.chance_further or 1)
        self.assertEqual(cooler.bench.water_c, 89)

    def test_what_was_expected_is_settled_by_the_next_tasted_shot(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"bitterness": 2}))
        first = self.pulled(bitterness=9)
        cooler = self.change(read_next(self.context, first), "cooler")
        taken = Taken(move=cooler.move, expected=cooler.expected)
        take_change(self.context, first, taken)
        self.assertIsNone(read_next(self.context, first).settled)
        change_bench(self.context, BenchChange(water_c=cooler.bench.water_c))
        came = read_next(self.context, self.pulled(bitterness=4)).settled
        assert came
        self.assertEqual((came.outcome, came.words), ("too small to tell", "Cooler water"))
        self.assertGreater(came.chance or 0, 0.4, "one cup each: only odds")
        for warmer in (True, False, True, False, True):  # till both recipes were pulled again
            water_c = cooler.bench.water_c + warmer
            change_bench(self.context, BenchChange(water_c=water_c))
            number = self.pulled(bitterness=9 if warmer else 4)
            if warmer:
                take_change(self.context, number, taken)
        change_bench(self.context, BenchChange(water_c=cooler.bench.water_c))
        told = read_next(self.context, self.pulled(bitterness=4)).settled
        assert told
        self.assertEqual(told.outcome, "as expected")
        with self.assertRaises(ValidationError):
            Taken.model_validate({"move": "harder", "expected": {}})
        with self.assertRaises(NotFoundError):
            take_change(self.context, 99_999, taken)

    def test_a_strength_off_the_bench_goal_by_more_than_its_error_is_a_chip(self) -> None:
        number = self.pulled()
        measure(self.context, number, Strength(tds_pct=7.0))
        self.addCleanup(change_bench, self.context, BenchChange(goals=[]))
        for want, words in (
            (Want(figure="tds_pct", at_least=9), "strength 7.0 %, at least 9 % wanted"),
            (Want(figure="tds_pct", at_most=6), "strength 7.0 %, at most 6 % wanted"),
            (Want(figure="tds_pct", at=7.02), None),
            (Want(figure="shot_time_s", at=7), None),
        ):
            change_bench(self.context, BenchChange(goals=[want]))
            found = read_next(self.context, number)
            said = [chip.evidence for chip in found.chips if chip.source == "figure"]
            self.assertEqual(said, [] if words is None else [words])

    def test_a_flow_that_needs_too_much_pressure_and_a_fresh_coffee_are_chips(self) -> None:
        level = profile(flow(2.2, name="Level", kind="hold"), cup_g=30)
        number = self.pulled(self.begin("Level", level))
        with transaction(self.context.sessions) as session:
            row = session.get_one(ShotRow, number)
            row.peak_pressure_bar, row.rest_days = 9.8, 1.0
        said = {chip.trigger: chip.evidence for chip in read_next(self.context, number).chips}
        self.assertEqual(said["too much pressure"], "peak 9.8 bar at a commanded flow")
        self.assertRegex(said["very fresh"], r"rested 1 days, at its best from day \d+")

    def test_a_change_can_be_taken_with_the_grind_refitted_to_keep_the_time(self) -> None:
        set_target(self.context, self.coffee, Target(scores={"acidity": 2}))
        first = self.pulled(acidity=9)
        plain = self.change(read_next(self.context, first), "longer_drink")
        found = read_refitted(self.context, first, "longer_drink")
        assert found
        assert found.bench.grind_setting is not None
        assert plain.bench.grind_setting is not None
        self.assertGreater(found.bench.grind_setting, plain.bench.grind_setting)
        self.assertEqual(found.bench.yield_g, plain.bench.yield_g)
        self.assertIn("to keep the time", found.details)
        self.assertAlmostEqual(
            found.after.shot_time_s or 0, found.before.shot_time_s or 1, delta=0.6
        )
        taken = Taken(move="longer_drink", expected={"acidity": -1}, regrind=True)
        take_change(self.context, first, taken)
        before = read_bench(self.context)
        self.addCleanup(change_bench, self.context, BenchChange(yield_g=before.yield_g))
        moved = BenchChange(yield_g=found.bench.yield_g, grind_setting=found.bench.grind_setting)
        change_bench(self.context, moved)
        longer = self.begin("Pressed longer", found.profile)
        came = read_next(self.context, self.pulled(longer, acidity=3))
        assert came.settled
        self.assertEqual(
            (came.settled.outcome, came.settled.line), ("too small to tell", "acidity")
        )
        self.assertGreater(came.settled.chance or 0, 0.4)
        self.assertIsNone(came.separating)
        self.assertIsNone(read_refitted(self.context, first, "warmer"))

    def test_two_changes_at_once_are_said_with_the_shot_that_tells_them_apart(self) -> None:
        first = self.pulled(bitterness=7)
        grind = read_bench(self.context).grind_setting or 5.0
        change_bench(self.context, BenchChange(water_c=90, grind_setting=grind - 1))
        separating = read_next(self.context, self.pulled(bitterness=4)).separating
        assert separating
        self.assertEqual((separating.first, separating.second), ("Cooler water", "Grind finer"))
        self.assertEqual(separating.shot_id, first)
        self.assertEqual((separating.bench.water_c, separating.bench.grind_setting), (90, grind))
        change_bench(self.context, BenchChange(water_c=90, grind_setting=grind))
        self.assertIsNone(read_next(self.context, self.pulled(bitterness=5)).separating)

    def test_an_unknown_shot_and_one_without_its_plan_are_refused(self) -> None:
        with self.assertRaises(NotFoundError):
            read_next(self.context, 99_999)
        number = self.pulled()
        for change, said in (({"plan_known": False}, "was brought in"), ({"dry": True}, "dry run")):
            with transaction(self.context.sessions) as session:
                row = session.get_one(ShotRow, number)
                row.plan_known, row.dry = True, False
                for name, value in change.items():
                    setattr(row, name, value)
            with self.subTest(said), self.assertRaisesRegex(ConflictError, said):
                read_next(self.context, number)
