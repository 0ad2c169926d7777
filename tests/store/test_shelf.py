"""The shelf's tables: bags, baskets, calibrations and slots, and what older coffees become."""

from __future__ import annotations

import unittest
from datetime import date

from alembic import command
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from tests.parts import fresh_database
from tests.store.test_constraints import OnDatabase
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.store import shelf
from vapocline.store.database import alembic_config, connect, transaction
from vapocline.store.tables import (
    BagRow,
    BasketRow,
    BenchRow,
    CalibrationRow,
    CoffeeRow,
    MachineRow,
    SlotRow,
)


class Rules(OnDatabase):
    def coffee(self, name: str) -> int:
        with self.sessions.begin() as session:
            row = CoffeeRow(name=name, roast="medium", bags=[BagRow(bag_g=250.0)])
            session.add(row)
            session.flush()
            return row.id

    def test_a_bag_held_something_and_goes_with_its_coffee(self) -> None:
        coffee = self.coffee("Held")
        self.refused(BagRow(coffee_id=coffee, bag_g=0.0), "ck_bags_bag_g")
        with self.sessions.begin() as session:
            session.execute(text("delete from coffees where id = :id"), {"id": coffee})
        with self.sessions() as session:
            left = session.execute(
                text("select count(*) from bags where coffee_id = :id"), {"id": coffee}
            )
            self.assertEqual(left.scalar(), 0)

    def test_a_basket_is_straight_or_tapered_and_its_doses_rise(self) -> None:
        sound = {"diameter_mm": 58.5, "shape": "straight", "least_g": 16.0, "most_g": 20.0}
        self.refused(BasketRow(**sound | {"name": "A", "shape": "round"}), "ck_baskets_shape")
        self.refused(BasketRow(**sound | {"name": "B", "least_g": 21.0}), "ck_baskets_doses")
        self.refused(BasketRow(**sound | {"name": ""}), "ck_baskets_name")

    def test_a_calibration_is_of_exactly_one_thing(self) -> None:
        coffee = self.coffee("Of")
        known = {"what": "crema", "document": {}}
        self.refused(CalibrationRow(**known), "ck_calibrations_subject")
        both = {"coffee_id": coffee, "machine_id": self.machine_id}
        self.refused(CalibrationRow(**known | both), "ck_calibrations_subject")
        self.refused(
            CalibrationRow(what="mood", document={}, coffee_id=coffee), "ck_calibrations_what"
        )

    def test_only_one_of_a_kind_is_in_use(self) -> None:
        def row(what: str, in_use: bool) -> CalibrationRow:
            return CalibrationRow(what=what, document={}, machine_id=self.machine_id, in_use=in_use)

        with self.sessions.begin() as session:
            session.add_all([row("fill", True), row("fill", False), row("dial", True)])
        self.refused(row("fill", True), "uq_calibrations_in_use")
        with self.sessions() as session:
            found = shelf.read_calibrations(session, "machine", self.machine_id)
            self.assertEqual([one.what for one in found], ["dial", "fill", "fill"])
            with self.assertRaises(NotFoundError):
                shelf.read_calibration(session, 999)

    def test_a_slot_is_taken_once_and_by_one_name(self) -> None:
        def row(number: int, name: str) -> SlotRow:
            return SlotRow(
                machine_id=self.machine_id, number=number, name=name, version_id=self.version_id
            )

        with self.sessions.begin() as session:
            session.add(row(1, "ONE"))
        self.refused(row(1, "TWO"), "uq_slots_machine_id_number")
        self.refused(row(0, "NONE"), "ck_slots_number")
        with (
            self.assertRaisesRegex(ConflictError, "Another slot of that machine"),
            transaction(self.sessions) as session,
        ):
            session.add(row(2, "ONE"))

    def test_what_is_needed_is_not_taken_away_and_the_user_is_shown_why(self) -> None:
        with self.sessions.begin() as session:
            machine = MachineRow(name="Stands", document={"name": "Stands"})
            bench = BenchRow(name="B", machine=machine, dose_g=18, yield_g=36, water_c=93)
            session.add(bench)
            session.flush()
            machine_id = machine.id
        with (
            self.assertRaisesRegex(ConflictError, "It is on the bench"),
            transaction(self.sessions) as session,
        ):
            session.delete(shelf.read_one(session, MachineRow, machine_id))
            session.flush()

    def test_coffee_used_is_summed_bag_by_bag(self) -> None:
        coffee = self.coffee("Counted")
        with self.sessions.begin() as session:
            first = session.get_one(CoffeeRow, coffee).bags[0].id
            second = BagRow(coffee_id=coffee, bag_g=500.0)
            session.add(second)
            session.flush()
            for bag, dose in ((first, 18.0), (first, 18.5), (second.id, 20.0)):
                session.add(self.shot(bag_id=bag, dose_g=dose))
            second_id = second.id
        with self.sessions() as session:
            bags = session.get_one(CoffeeRow, coffee).bags
            used = {bag.id: (bag.used_g, bag.shots) for bag in bags}
        self.assertEqual(used, {first: (36.5, 2), second_id: (20.0, 1)})
        with self.assertRaises(IntegrityError), self.sessions.begin() as session:
            session.execute(text("delete from bags where id = :id"), {"id": first})


class Older(unittest.TestCase):
    def test_a_coffee_of_before_keeps_its_roast_date_as_its_bags_there_and_back(self) -> None:
        url = fresh_database()
        config = alembic_config(url)
        command.downgrade(config, "0002")
        engine = connect(url)
        self.addCleanup(engine.dispose)
        put = "insert into coffees (name, roast, roasted_on) values ('Old', 'dark', '2026-03-01')"
        with engine.begin() as connection:
            connection.execute(text(put))
        command.upgrade(config, "head")
        with engine.begin() as connection:
            found = connection.execute(text("select roasted_on, bag_g from bags")).one()
        self.assertEqual(tuple(found), (date(2026, 3, 1), None))
        command.downgrade(config, "0002")
        with engine.begin() as connection:
            found = connection.execute(text("select roasted_on from coffees")).scalar()
        self.assertEqual(found, date(2026, 3, 1))
