"""Two benches side by side over the same resources: each its own recipe, machine and shots."""

from __future__ import annotations

import unittest

import httpx

from tests.factories import EVERY_CHECK, pressure, profile
from tests.parts import context_on_fresh_database, served, wait_for
from vapocline.core.coffee.basket import Basket
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.machine.machine import Machine, PressureLoop
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull.orders import OrderGiven, give_order
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.shelf.coffees import add_coffee, change_coffee
from vapocline.desk.shelf.machines import add_machine, change_machine
from vapocline.store.database import transaction
from vapocline.store.tables import BenchRow

LONG = profile(pressure(8, name="Press"), cup_g=None, time_s=200)


def another_bench(context: Context, name: str, machine_id: int) -> Context:
    with transaction(context.sessions) as session:
        row = BenchRow(name=name, machine_id=machine_id, dose_g=20, yield_g=50, water_c=92)
        session.add(row)
        session.flush()
        return context.at_bench(row.id)


class SideBySide(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.left: Context = cls.enterClassContext(context_on_fresh_database(speed=4))
        second = add_machine(cls.left, Machine(name="Low Tide", control=PressureLoop()))
        cls.right = another_bench(cls.left, "Bench 2", second.id)

    def begin(self, context: Context, name: str) -> int:
        version = start_profile(context, NewProfile(name=name, profile=LONG))
        return begin_pull(
            context,
            PullRequest(profile_id=version.profile_id, number=1, despite=EVERY_CHECK),
        )

    def test_a_change_at_one_bench_leaves_the_other_as_it_was(self) -> None:
        change_bench(self.right, BenchChange(dose_g=21))
        self.assertEqual(read_bench(self.left).dose_g, 18)
        self.assertEqual(read_bench(self.right).dose_g, 21)
        change_bench(self.right, BenchChange(dose_g=20))

    def test_both_pull_at_once_and_each_shot_keeps_its_person_bench_and_machine(self) -> None:
        left, right = self.begin(self.left, "Left"), self.begin(self.right, "Right")
        for number in (left, right):
            wait_for(lambda n=number: read_shot(self.left, n).traces.time_s, "samples")
        shots = [read_shot(self.left, number) for number in (left, right)]
        self.assertEqual([shot.state for shot in shots], ["running", "running"])
        for context, number in ((self.left, left), (self.right, right)):
            give_order(context, number, OrderGiven(do="stop"))
            wait_for(lambda n=number: read_shot(self.left, n).state == "done", "the end")
        self.assertEqual([shot.machine for shot in shots], ["Reference", "Low Tide"])
        self.assertEqual(
            [shot.bench_id for shot in shots], [self.left.bench_id, self.right.bench_id]
        )
        self.assertEqual({shot.person_id for shot in shots}, {self.left.person_id})

    def test_a_request_names_its_bench_and_one_that_is_not_there_is_refused(self) -> None:
        with served(self.left) as address, httpx.Client(base_url=address) as client:
            right = {"Vapocline-Bench": str(self.right.bench_id)}
            self.assertEqual(client.get("/api/bench").json()["name"], "Bench 1")
            self.assertEqual(client.get("/api/bench", headers=right).json()["name"], "Bench 2")
            answer = client.get("/api/bench", headers={"Vapocline-Bench": "999"})
            self.assertEqual(answer.status_code, 404)
            self.assertIn("no bench 999", answer.json()["detail"])


class WhatWasTrue(unittest.TestCase):
    def test_a_shot_keeps_basket_bag_and_machine_as_they_were_when_it_was_pulled(self) -> None:
        with context_on_fresh_database() as context:
            coffee = add_coffee(context, Coffee(name="Ferrow Hill", roast="light"))
            basket = add_basket(context, Basket(name="Quay 18"))
            change_bench(context, BenchChange(coffee_id=coffee.id, basket_id=basket.id))
            version = start_profile(context, NewProfile(name="Kept", profile=LONG))
            number = begin_pull(
                context,
                PullRequest(
                    profile_id=version.profile_id, number=1, despite=EVERY_CHECK, weighed_g=17.4
                ),
            )
            wait_for(lambda: read_shot(context, number).state == "done", "the end")
            machine = read_bench(context).machine
            change_coffee(context, coffee.id, Coffee(name="Ferrow Hill", roast="dark"))
            change_machine(context, machine.id, Machine(name="Rebuilt", control=PressureLoop()))
            kept = read_shot(context, number).conditions
            self.assertEqual((kept.simulated, kept.wired, kept.basket), (True, True, "Quay 18"))
            self.assertEqual((kept.tamped.dose_g, kept.tamped.roast), (17.4, "light"))
            self.assertEqual(kept.tamped.machine.name, "Reference")
            self.assertEqual(kept.intended.dose_g, 18)
            self.assertEqual(
                (kept.sources.dose_g, kept.sources.roast, kept.sources.water_c),
                ("weighed", "coffee", "bench"),
            )
