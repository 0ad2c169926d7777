"""What stays in a grinder: asked to be ground out after a new setting, or part of the next dose."""

from __future__ import annotations

from tests.desk.learn.at_bench import PRESSED, AtLearntBench
from vapocline.core.base.problems import Refused
from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.learn.fit import VariantOf
from vapocline.core.learn.in_units import VariantInUnits
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.pull.house_checks import HouseChecks
from vapocline.core.pull.readiness import Item
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.learn import learning
from vapocline.desk.learn.taught import read_taught
from vapocline.desk.learn.variants import read_variant_used
from vapocline.desk.pull.house_checks import choose_house_checks
from vapocline.desk.pull.readiness import prepare
from vapocline.desk.pull.request import PullRequest, arranged
from vapocline.desk.pull.start import begin_pull, pull
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import change_grinder
from vapocline.desk.shelf.preparations import add_preparation
from vapocline.desk.trail.trail import TrailQuery, read_trail
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import read_to_learn_from
from vapocline.store.tables import CoffeeRow, GrinderRow, MachineRow


class AfterANewSetting(AtLearntBench):
    """A grinder in which 3 g stay; the bench was last pulled at 5, 300 µm."""

    def setUp(self) -> None:
        super().setUp()
        grinder = read_bench(self.context).grinder
        assert grinder
        keeps = Grinder(name=grinder.name, settings=(0, 10), grind_um=(200, 400), retention_g=3)
        change_grinder(self.context, grinder.id, keeps)
        change_bench(self.context, BenchChange(grind_setting=5, dose_g=18))
        self.asked = self.request(PRESSED)

    def purge(self, **rest: object) -> Item | None:
        request = self.asked.model_copy(update=rest)
        items = prepare(self.context, request).items
        return next((item for item in items if item.check == "purge"), None)

    def test_the_first_dose_and_the_same_setting_again_ask_for_nothing(self) -> None:
        self.assertIsNone(self.purge())
        pull(self.context, self.asked)
        self.assertIsNone(self.purge())

    def test_after_another_setting_or_coffee_it_is_missing_until_it_was_said(self) -> None:
        pull(self.context, self.asked)
        reset = self.purge(grind_setting=7)
        assert reset
        self.assertEqual(reset.state, "missing")
        self.assertIn("3 g ground at 5 is still", reset.words)
        said = self.purge(grind_setting=7, confirmed=frozenset({"purge"}))
        assert said
        self.assertEqual(said.state, "ready")
        other = add_coffee(self.context, Coffee(name=f"Other {self.asked.profile_id}"))
        name = read_bench(self.context).coffee
        change_bench(self.context, BenchChange(coffee_id=other.id))
        inside = self.purge()
        assert inside
        assert name
        self.assertIn(f"3 g of {name.name} is still", inside.words)

    def test_a_dose_that_was_not_purged_is_a_mix_and_its_ranges_say_so(self) -> None:
        pull(self.context, self.asked)
        change_bench(self.context, BenchChange(grind_setting=9))
        said = self.asked.model_copy(update={"confirmed": frozenset({"purge"})})
        unpurged, purged = arranged(self.context, self.asked), arranged(self.context, said)
        self.assertIsNone(purged.conditions.retained_grounds)
        kept = unpurged.conditions.retained_grounds
        assert kept
        self.assertEqual((kept.retention_g, kept.grind_setting), (3, 5))
        self.assertEqual(purged.conditions.tamped.grind_um, 380)
        self.assertLess(unpurged.conditions.tamped.grind_um, 375)
        self.assertGreater(unpurged.plan.setup.mix_spread, 0)
        self.assertTrue(any("mixed" in one for one in unpurged.prediction.assumed))
        self.assertFalse(any("mixed" in one for one in purged.prediction.assumed))

    def test_the_pump_waits_for_it_unless_it_is_waived(self) -> None:
        pull(self.context, self.asked)
        waived = self.asked.despite - {"purge"}
        asked = self.asked.model_copy(update={"grind_setting": 7, "despite": waived})
        with self.assertRaises(Refused) as refused:
            begin_pull(self.context, asked)
        self.assertEqual([one.field for one in refused.exception.problems], ["checks.purge"])

    def test_learning_takes_the_mix_by_the_grinders_points_as_they_are_now(self) -> None:
        pull(self.context, self.asked)
        pull(self.context, self.asked.model_copy(update={"grind_setting": 9}))
        before = self.sizes()
        grinder = read_bench(self.context).grinder
        assert grinder
        finer = Grinder(name=grinder.name, settings=(0, 10), grind_um=(180, 360), retention_g=3)
        change_grinder(self.context, grinder.id, finer)
        after = self.sizes()
        self.assertEqual(before[0], 300)
        self.assertTrue(300 < before[1] < 380)
        for was, now in zip(before, after, strict=True):
            self.assertAlmostEqual(now / was, 0.9, places=3)

    def sizes(self) -> list[float]:
        """The sizes learning takes for each shot, µm."""
        with transaction(self.context.sessions) as session:
            now = learning._Assumed(
                shelf.read_one(session, CoffeeRow, self.together.coffee_id),
                shelf.read_one(session, GrinderRow, self.together.grinder_id),
                shelf.read_one(session, MachineRow, self.together.machine_id),
            )
            rows = read_to_learn_from(session, self.together, limit=9)
            logged: list[LoggedShot] = []
            for row in rows:
                shot = learning.as_logged(session, row)
                assert shot
                logged.append(now.applied_to(shot, row))
        return [one.plan.setup.grind_um for one in logged]


class PreparationOfAShot(AtLearntBench):
    def test_a_preparation_is_kept_with_the_shot_and_told_with_what_it_taught(self) -> None:
        careful = add_preparation(self.context, Preparation(name="Careful", clumps="stirred"))
        plain = Basket(name="Plain", diameter_mm=58.5, least_g=16, most_g=20)
        holes = add_basket(self.context, plain)
        change_bench(self.context, BenchChange(preparation_id=careful.id, basket_id=holes.id))
        request: PullRequest = self.request(PRESSED)
        words = next(
            one.words for one in prepare(self.context, request).items if one.check == "tamp"
        )
        self.assertIn("Careful: stirred with needles, tamped", words)
        number = pull(self.context, request)
        self.learn()
        kept = self.shot(number).conditions.preparation
        assert kept
        self.assertEqual(kept.name, "Careful")
        taught = read_taught(self.context, self.together)
        [line], [basket] = taught.preparations.variants, taught.baskets.variants
        self.assertEqual((line.name, line.shots), ("Careful", 1))
        self.assertEqual((basket.name, basket.shots), ("Plain", 1))
        self.assertLess(line.pct.low, line.pct.value)
        used_in: list[tuple[VariantOf, int, VariantInUnits]] = [
            ("preparation", careful.id, line),
            ("basket", holes.id, basket),
        ]
        for of, number_of, told in used_in:
            [used] = read_variant_used(self.context, of, number_of)
            self.assertEqual((used.of.shots, used.pct), (1, told.pct))

    def test_another_way_is_a_change_for_the_trail_and_for_the_houses_checks(self) -> None:
        first, second = (
            add_preparation(self.context, Preparation(name=name)) for name in ("First", "Second")
        )
        change_bench(self.context, BenchChange(preparation_id=first.id))
        request = self.request(PRESSED)
        pull(self.context, request)
        choose_house_checks(self.context, HouseChecks(when={"flush": "after a change"}))
        self.addCleanup(choose_house_checks, self.context, HouseChecks())
        asked = {item.check for item in prepare(self.context, request).items}
        self.assertNotIn("flush", asked)
        change_bench(self.context, BenchChange(preparation_id=second.id))
        self.assertIn("flush", {item.check for item in prepare(self.context, request).items})
        pull(self.context, request)
        newest = read_trail(self.context, self.together.coffee_id, TrailQuery()).nodes[0]
        self.assertEqual(newest.changed, ["prepared as Second"])
