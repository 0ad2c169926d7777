"""The shelf at the desk: bags counted down, calibrations in use, slots, dry runs."""

from __future__ import annotations

from datetime import UTC, date, datetime

from tests.core.machine.test_calibration import MEASURED, valve_rows
from tests.desk.bench.test_bench import AtBench as OnBench
from tests.desk.plan.test_profiles import SOAKED
from tests.factories import pressure, profile, seconds
from tests.parts import at_time, context_on_fresh_database
from vapocline.core.base.problems import ConflictError, DeviceError, NotFoundError, Refused
from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Bag, Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.preparation import Preparation
from vapocline.core.coffee.water import Salts, Water
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.demo.things import MACHINES
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.plan.profiles import NewProfile, NewVersion, save_version, start_profile
from vapocline.desk.pull.dry_run import time_stages
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import pull
from vapocline.desk.read.shots import list_shots, read_shot
from vapocline.desk.shelf.baskets import add_basket, change_basket, list_baskets
from vapocline.desk.shelf.calibrations import Measurement, keep, list_calibrations, use, work_out
from vapocline.desk.shelf.coffees import add_coffee, change_coffee, list_coffees, open_bag
from vapocline.desk.shelf.grinders import add_grinder, change_grinder, list_grinders
from vapocline.desk.shelf.machines import add_machine, change_machine, list_machines, read_machine
from vapocline.desk.shelf.preparations import (
    add_preparation,
    change_preparation,
    list_preparations,
)
from vapocline.desk.shelf.removal import remove
from vapocline.desk.shelf.slots import Storing, clear, read_slots, store
from vapocline.desk.shelf.waters import add_water, change_water, list_waters


def measured(what: str, rows: list[object]) -> Measurement:
    return Measurement(measured=MEASURED.validate_python({"what": what, "rows": rows}))


class Things(OnBench):
    def test_each_kind_is_added_changed_listed_and_removed(self) -> None:
        basket = add_basket(self.context, Basket(name="Deep", least_g=18, most_g=21))
        changed = change_basket(
            self.context, basket.id, Basket(name="Deeper", least_g=18, most_g=22)
        )
        self.assertEqual(list_baskets(self.context), [changed])
        grinder = add_grinder(self.context, Grinder(name="G", settings=(0, 9), grind_um=(200, 400)))
        again = Grinder(name="G", settings=(0, 5, 9), grind_um=(200, 300, 420), note="sieved")
        self.assertEqual(change_grinder(self.context, grinder.id, again).settings, (0, 5, 9))
        machine = add_machine(self.context, Machine(name="M"))
        change_machine(self.context, machine.id, Machine(name="N", relief_bar=8))
        self.assertEqual(read_machine(self.context, machine.id).relief_bar, 8)
        for kind, one in (("basket", basket), ("grinder", grinder), ("machine", machine)):
            remove(self.context, kind, one.id)
            with self.assertRaises(NotFoundError):
                remove(self.context, kind, one.id)
        self.assertEqual(list_baskets(self.context) + list_grinders(self.context), [])
        self.assertEqual([one.name for one in list_machines(self.context)], ["Reference"])

    def test_a_name_that_is_taken_is_reported(self) -> None:
        add_basket(self.context, Basket(name="Deep"))
        with self.assertRaisesRegex(ConflictError, "basket with that name"):
            add_basket(self.context, Basket(name="Deep"))

    def test_a_new_bag_is_the_one_in_use_and_the_roast_date_goes_with_it(self) -> None:
        today = at_time(self.context, lambda: datetime(2026, 3, 20, 9, tzinfo=UTC))
        coffee = add_coffee(today, Coffee(name="C", roasted_on=date(2026, 3, 1), bag_g=250))
        self.assertEqual(coffee.rest_days, 19)
        fresh = open_bag(today, coffee.id, Bag(roasted_on=date(2026, 3, 15), bag_g=1000))
        self.assertEqual((fresh.rest_days, fresh.bag_g), (5, 1000))
        self.assertEqual([bag.bag_g for bag in fresh.bags], [1000, 250])
        kept = change_coffee(today, coffee.id, Coffee(name="C", blend=True, bag_g=900))
        self.assertTrue(kept.blend)
        self.assertEqual([bag.bag_g for bag in kept.bags], [900, 250])
        self.assertIsNone(kept.rest_days)
        with self.assertRaises(NotFoundError):
            open_bag(today, 999, Bag())

    def test_what_is_known_of_coffee_and_basket_reaches_the_forecast(self) -> None:
        dense = add_coffee(
            self.context, Coffee(name="Dense", density_g_ml=0.55, crema_ml_per_g=0.9)
        )
        plain = forecast(self.context, SOAKED).prediction
        bench = change_bench(self.context, BenchChange(coffee_id=dense.id))
        self.assertEqual((bench.crema_ml_per_g, bench.glass_ml), (0.9, 68.4))
        known = forecast(self.context, SOAKED).prediction
        self.assertLess(known.shot_time_s.value, plain.shot_time_s.value)  # a shallower bed
        self.assertAlmostEqual(known.crema_ml.value / known.yield_g.value, 0.9, delta=0.01)
        small = add_basket(self.context, Basket(name="Small", diameter_mm=49, least_g=8, most_g=10))
        change_bench(self.context, BenchChange(basket_id=small.id))
        tight = forecast(self.context, SOAKED)
        self.assertGreater(tight.prediction.shot_time_s.value, known.shot_time_s.value)
        self.assertTrue([words for words in tight.assumed if "made for 8 to 10 g" in words])


class Calibrating(OnBench):
    def test_the_one_in_use_is_stated_and_an_older_one_can_be_gone_back_to(self) -> None:
        valve = ValveAhead(pump_bar=9, turns=(0, 3), free_flow_ml_s=(0, 5))
        machine = add_machine(self.context, Machine(name="V", control=valve))
        keep(self.context, "machine", machine.id, measured("valve", valve_rows(1)))
        first = read_machine(self.context, machine.id).control
        worked = work_out(
            self.context, "machine", machine.id, measured("valve", valve_rows(2)).measured
        )
        self.assertFalse(worked.drift.drifted)
        kept = keep(
            self.context, "machine", machine.id, measured("valve", valve_rows(3, drift_by=1.5))
        )
        self.assertEqual([one.in_use for one in kept], [True, False])
        self.assertTrue(kept[0].drift.drifted)
        self.assertNotEqual(read_machine(self.context, machine.id).control, first)
        use(self.context, kept[1].id)
        self.assertEqual(read_machine(self.context, machine.id).control, first)
        with self.assertRaises(NotFoundError):
            use(self.context, 999)

    def test_what_is_refused_is_not_kept(self) -> None:
        machine = read_bench(self.context).machine
        for made in (measured("valve", valve_rows(1)), measured("fill", [9.0])):
            with self.assertRaises(Refused):
                keep(self.context, "machine", machine.id, made)
        self.assertEqual(list_calibrations(self.context, "machine", machine.id), [])
        with self.assertRaises(NotFoundError):
            keep(self.context, "machine", 999, measured("fill", [9.0, 9.2]))

    def test_coffee_and_grinder_take_theirs(self) -> None:
        coffee = add_coffee(self.context, Coffee(name="C"))
        rows = [{"glass_ml": 54, "yield_g": 36}, {"glass_ml": 56, "yield_g": 36}]
        keep(self.context, "coffee", coffee.id, measured("crema", rows))
        self.assertAlmostEqual(list_coffees(self.context)[0].crema_ml_per_g, 0.528, delta=0.001)
        grinder = add_grinder(self.context, Grinder(name="G", settings=(0, 9), grind_um=(200, 400)))
        points = [{"setting": s, "grind_um": 200 + 20 * s} for s in (0, 5, 10)]
        keep(self.context, "grinder", grinder.id, measured("grind", points))
        self.assertEqual(list_grinders(self.context)[0].grind_um, (200, 300, 400))

    def test_the_boiler_is_reported_on_the_bench(self) -> None:
        machine = read_bench(self.context).machine
        self.assertIsNone(read_bench(self.context).boiler_c)
        rows = [{"boiler_c": t, "group_c": 0.9 * t + 5} for t in (92, 95, 98)]
        keep(self.context, "machine", machine.id, measured("group-temperature", rows))
        self.assertAlmostEqual(read_bench(self.context).boiler_c, 97.8, delta=0.1)


class InSlots(OnBench):
    def setUp(self) -> None:
        super().setUp()
        staged = next(one for one in MACHINES if one.name == "Semaphore")
        self.machine = add_machine(self.context, staged)
        level = profile(pressure(6, None, seconds(40), name="Press"))
        started = start_profile(self.context, NewProfile(name="Level six", profile=level))
        self.profile_id = started.profile_id
        self.level = level

    def test_a_stored_version_is_reported_as_older_once_a_newer_is_saved(self) -> None:
        storing = Storing(profile_id=self.profile_id, version=1)
        slot = store(self.context, self.machine.id, 3, storing).slots[2]
        self.assertEqual((slot.version, slot.newest), (1, 1))
        newer = self.level.model_copy(update={"name": "Level six", "note": "again"})
        save_version(self.context, self.profile_id, NewVersion(based_on=1, profile=newer))
        slot = read_slots(self.context, self.machine.id).slots[2]
        self.assertEqual((slot.version, slot.newest), (1, 2))

    def test_nothing_is_stored_over_what_was_not_seen(self) -> None:
        storing = Storing(profile_id=self.profile_id, version=1)
        name = store(self.context, self.machine.id, 1, storing).slots[0].name
        for over in (None, "OTHER"):
            seen = storing.model_copy(update={"over": over})
            with self.assertRaisesRegex(ConflictError, "holds"):
                store(self.context, self.machine.id, 1, seen)
        with self.assertRaisesRegex(ConflictError, "emptied in the meantime"):
            store(self.context, self.machine.id, 2, storing.model_copy(update={"over": name}))
        with self.assertRaises(ConflictError):
            clear(self.context, self.machine.id, 1, "OTHER")
        clear(self.context, self.machine.id, 1, name or "")
        with self.assertRaises(NotFoundError):
            clear(self.context, self.machine.id, 1, name or "")

    def test_a_machine_without_slots_and_a_profile_it_cannot_run_are_refused(self) -> None:
        reference = read_bench(self.context).machine
        with self.assertRaisesRegex(Refused, "it has none"):
            store(self.context, reference.id, 1, Storing(profile_id=self.profile_id, version=1))
        soaked = start_profile(self.context, NewProfile(name="Soaked", profile=SOAKED))
        with self.assertRaisesRegex(Refused, "takes pressure on Semaphore"):
            store(
                self.context, self.machine.id, 1, Storing(profile_id=soaked.profile_id, version=1)
            )


class WithAMachine(OnBench):
    def with_machine(self) -> Context:
        return self.enterContext(context_on_fresh_database())

    def test_shots_count_their_bag_down(self) -> None:
        context = self.with_machine()
        coffee = add_coffee(context, Coffee(name="C", bag_g=100))
        change_bench(context, BenchChange(coffee_id=coffee.id))
        started = start_profile(context, NewProfile(name="Soaked", profile=SOAKED))
        pull(context, PullRequest(profile_id=started.profile_id, number=1))
        (bag,) = list_coffees(context)[0].bags
        self.assertEqual((bag.shots, bag.remaining_g), (1, 82))
        with self.assertRaisesRegex(ConflictError, "shots were pulled"):
            remove(context, "coffee", coffee.id)

    def test_a_dry_run_needs_no_coffee_and_comes_on_time(self) -> None:
        context = self.with_machine()
        started = start_profile(context, NewProfile(name="Soaked", profile=SOAKED))
        asked = PullRequest(profile_id=started.profile_id, number=1, dry=True)
        number = pull(context, asked)
        run = time_stages(context, number)
        self.assertEqual([row.stage for row in run.rows], ["Soak", "Press"])
        for row in run.rows:
            self.assertAlmostEqual(row.began_s, row.planned_s, delta=0.6)
        shot = read_shot(context, number)
        self.assertTrue(shot.dry)
        self.assertEqual((shot.coffee, shot.grinder, shot.grind_setting), (None, None, None))
        self.assertEqual(list_shots(context), [], "it is no coffee")
        with self.assertRaises(NotFoundError):
            time_stages(context, 404)
        brewed = pull(context, asked.model_copy(update={"dry": False}))
        with self.assertRaisesRegex(Refused, "takes a dry run"):
            time_stages(context, brewed)

    def test_without_a_machine_it_is_reported(self) -> None:
        started = start_profile(self.context, NewProfile(name="Soaked", profile=SOAKED))
        with self.assertRaises(DeviceError):
            pull(self.context, PullRequest(profile_id=started.profile_id, number=1, dry=True))


class SizesOfAGrinder(OnBench):
    def test_how_well_sizes_are_known_is_offered_as_answered_and_as_it_stands(self) -> None:
        plain = Grinder(name="Plain", settings=(0, 9), grind_um=(200, 400))
        told = {one.spread: one.within_pct for one in add_grinder(self.context, plain).known_to}
        self.assertEqual(told, {0.12: 15.4, 0.22: 28.2})
        odd = plain.model_copy(update={"name": "Odd", "size_spread": 0.05})
        told = {one.spread: one.within_pct for one in add_grinder(self.context, odd).known_to}
        self.assertEqual(told, {0.05: 6.4, 0.12: 15.4, 0.22: 28.2})


class Preparations(OnBench):
    def test_one_is_made_changed_put_on_the_bench_and_kept_there(self) -> None:
        plain = add_preparation(self.context, Preparation(name="Plain"))
        careful = Preparation(name="Careful", sprayed=True, leveller_mm=9)
        kept = change_preparation(self.context, plain.id, careful, plain.etag)
        self.assertEqual(list_preparations(self.context), [kept])
        self.assertEqual(kept.steps, "sprayed, leveller at 9 mm, tamped")
        with self.assertRaises(ConflictError):  # as somebody saw it before
            change_preparation(self.context, plain.id, Preparation(name="Other"), plain.etag)
        with self.assertRaises(ConflictError):
            add_preparation(self.context, careful)
        bench = change_bench(self.context, BenchChange(preparation_id=kept.id))
        self.assertEqual(bench.preparation, kept)
        with self.assertRaises(ConflictError):
            remove(self.context, "preparation", kept.id)
        with self.assertRaises(NotFoundError):
            change_bench(self.context, BenchChange(preparation_id=9999))


class Waters(OnBench):
    def test_a_water_is_made_changed_put_on_the_bench_and_kept_there(self) -> None:
        soft = add_water(self.context, Water(name="Soft", hardness_mg_l=80, alkalinity_mg_l=50))
        salts = Salts(magnesium_sulfate_mg_l=150, sodium_bicarbonate_mg_l=90)
        mixed = change_water(self.context, soft.id, Water(name="Mixed", salts=salts))
        self.assertEqual(list_waters(self.context), [mixed])
        self.assertEqual(mixed.salts, salts)
        self.assertGreater(mixed.facts.hardness_mg_l or 0, 60)
        bench = change_bench(self.context, BenchChange(water_id=mixed.id))
        assert bench.water
        self.assertEqual(bench.water.name, "Mixed")
        with self.assertRaises(ConflictError):
            remove(self.context, "water", mixed.id)
        with self.assertRaises(NotFoundError):
            change_bench(self.context, BenchChange(water_id=9999))

    def test_what_a_water_does_is_a_caution_of_every_plan_on_it(self) -> None:
        hard = add_water(self.context, Water(name="Hard", hardness_mg_l=320, alkalinity_mg_l=60))
        self.assertFalse(any("Hard" in one for one in self.cautions()))
        change_bench(self.context, BenchChange(water_id=hard.id))
        self.assertIn(
            "Hard: its hardness of 320 mg/L may leave scale in the boiler.", self.cautions()
        )

    def cautions(self) -> list[str]:
        return forecast(self.context, SOAKED).cautions
