"""Care: counted from what was pulled, said to be done, taken back, asked for as one wants it."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, time, timedelta

from pydantic import ValidationError
from sqlalchemy import update

from tests.parts import at_time, context_on_fresh_database, sample_world
from vapocline.core.base.problems import NotFoundError, problems_in
from vapocline.core.coffee.water import Salts, Water
from vapocline.core.formats.registry import EVENT
from vapocline.core.machine.calibration.measured import GroupReading, GroupTemperature
from vapocline.core.machine.care import CareTask, Interval
from vapocline.core.shot.events import Mark, Marked
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.calibrations import Measurement, keep
from vapocline.desk.shelf.care import (
    CareLine,
    IntervalSaid,
    ThingCare,
    WarmBy,
    list_care,
    list_due,
    say_done,
    say_interval,
    say_warm_by,
)
from vapocline.desk.shelf.machines import change_machine, plain_machine
from vapocline.desk.shelf.waters import add_water
from vapocline.store.database import transaction
from vapocline.store.tables import EventRow, ShotRow


class OfABench(unittest.TestCase):
    def setUp(self) -> None:
        self.context = self.enterContext(context_on_fresh_database(template=sample_world()))
        self.machine = read_bench(self.context).machine.id

    def thing(self, context: Context | None = None) -> ThingCare:
        return next(one for one in list_care(context or self.context) if one.kind == "machine")

    def line(self, task: CareTask, context: Context | None = None) -> CareLine:
        return next(one for one in self.thing(context).lines if one.task == task)

    def every(self, task: CareTask, every: float | None, *, usual: bool = False) -> None:
        interval = None if every is None else Interval(every=every, unit="shots")
        said = IntervalSaid(interval=interval, usual=usual)
        say_interval(self.context, "machine", self.machine, task, said)

    def test_the_bench_comes_first_and_every_machine_and_grinder_is_there(self) -> None:
        found = list_care(self.context)
        self.assertEqual([one.on_bench for one in found[:3]], [True, True, False])
        self.assertEqual({one.kind for one in found}, {"machine", "grinder"})

    def test_what_was_pulled_is_counted_until_it_is_done_and_taken_back(self) -> None:
        pulled = len(list_shots(self.context))
        self.assertEqual((self.line("back_flush").by, self.line("back_flush").done_at),
                         (pulled, None))  # fmt: skip
        self.every("back_flush", pulled)
        self.assertIn("Back-flush with cleaner", list_due(self.context))
        say_done(self.context, "machine", self.machine, "back_flush")
        done = self.line("back_flush")
        self.assertEqual((done.by, done.state), (0, "fine"))
        self.assertNotIn("Back-flush with cleaner", list_due(self.context))
        say_done(self.context, "machine", self.machine, "back_flush", taken_back=True)
        self.assertEqual(self.line("back_flush").state, "due")

    def test_an_interval_is_changed_never_asked_for_and_as_usual_again(self) -> None:
        self.every("screen_clean", None)
        line = self.line("screen_clean")
        self.assertEqual((line.interval, line.state), (None, "fine"))
        self.every("screen_clean", None, usual=True)
        self.assertEqual(self.line("screen_clean").interval, self.line("screen_clean").usual)

    def test_litres_are_what_went_through_the_shots_and_descaling_follows_the_water(self) -> None:
        water = add_water(self.context, Water(name="Hard", hardness_mg_l=300, alkalinity_mg_l=90))
        change_bench(self.context, BenchChange(water_id=water.id))
        line, shots = self.line("descale"), list_shots(self.context)
        self.assertEqual((line.usual.every, line.usual.unit), (40, "litres"))
        self.assertAlmostEqual(line.by, sum(s.water_in_ml or 0 for s in shots) / 1000, delta=0.06)
        recipe = Water(name="Recipe", salts=Salts(magnesium_sulfate_mg_l=246.47))  # 100 mg/L
        water = add_water(self.context, recipe)
        change_bench(self.context, BenchChange(water_id=water.id))
        self.assertEqual(self.line("descale").usual.every, 120)

    def test_uneven_shots_ask_for_a_look_at_the_screen_and_the_counts_since_are_told(self) -> None:
        with transaction(self.context.sessions) as session:
            marks: tuple[Mark, ...] = ("spurt", "dry_side", "spurt", "spurt")
            for shot, mark in zip(list_shots(self.context)[:4], marks, strict=True):
                event = Marked(time_s=9, mark=mark)
                session.add(EventRow(shot_id=shot.id, time_s=9, kind="marked",
                                     document=EVENT.write(event)))  # fmt: skip
        line = self.line("screen_look")
        self.assertEqual(line.state, "due")
        self.assertRegex(line.because or "", r"^4 of the last \d+ shots dripped")
        say_done(self.context, "machine", self.machine, "screen_look")
        self.assertIsNone(self.line("screen_look").because)
        with transaction(self.context.sessions) as session:
            later = self.context.now() + timedelta(minutes=1)
            newest = list_shots(self.context)[0].id
            session.execute(update(ShotRow).where(ShotRow.id == newest).values(started_at=later))
        self.assertRegex(
            self.line("screen_look").outcome or "", r"uneven: 3 of \d+ shots before, 1 of 1 since$"
        )

    def test_a_calibration_is_due_by_age_by_a_change_or_once_the_group_left_its_line(
        self,
    ) -> None:
        rows = tuple(GroupReading(boiler_c=c, group_c=c - 8) for c in (98, 101, 104))
        then = at_time(self.context, lambda: datetime(2020, 1, 1, tzinfo=UTC))
        keep(then, "machine", self.machine, Measurement(measured=GroupTemperature(rows=rows)))
        soon = at_time(self.context, lambda: datetime(2020, 5, 1, tzinfo=UTC))
        [fresh] = self.thing(soon).calibrations
        self.assertEqual(fresh.state, "fine")
        machine = plain_machine(read_bench(self.context).machine)
        later = at_time(self.context, lambda: datetime(2020, 4, 1, tzinfo=UTC))
        change_machine(later, self.machine, machine.model_copy(update={"note": "Polished."}))
        self.assertEqual(self.thing(soon).calibrations[0].state, "fine")
        change_machine(later, self.machine, machine.model_copy(update={"heater_w": 900.0}))
        [changed] = self.thing(soon).calibrations
        self.assertEqual(changed.because, "the machine was changed since")
        keep(later, "machine", self.machine, Measurement(measured=GroupTemperature(rows=rows)))
        self.assertEqual(self.thing(soon).calibrations[0].state, "fine")
        [old] = self.thing().calibrations
        self.assertRegex(f"{old.state}, {old.because}", r"^due, \d+ days ago$")
        with transaction(self.context.sessions) as session:
            session.execute(update(ShotRow).values(water_c=96))
        [off] = self.thing(soon).calibrations
        self.assertRegex(
            off.because or "", r"^the group was logged [23]\.\d °C below what was set$"
        )
        self.assertIn("measure the group's temperature again", list_due(soon))

    def test_warm_by_says_when_to_switch_on_and_none_takes_it_back(self) -> None:
        takes = read_bench(self.context).machine.warm_up_min
        found = say_warm_by(self.context, self.machine, WarmBy(warm_at=time(7)))
        expected = (datetime(2026, 1, 2, 7) - timedelta(minutes=takes)).time()
        self.assertEqual(found.switch_on_at, expected)
        self.assertIsNone(say_warm_by(self.context, self.machine, WarmBy(warm_at=None)).warm_at)
        for got in ("07:00+02:00", "seven"):
            with self.subTest(got), self.assertRaises(ValidationError) as refused:
                WarmBy.model_validate({"warm_at": got})
            [problem] = problems_in(refused.exception.errors())
            self.assertEqual(problem.accepted, "a time of day here, as 07:00")

    def test_what_is_not_there_or_not_done_to_it_is_refused(self) -> None:
        with self.assertRaises(NotFoundError):
            say_done(self.context, "machine", 999, "rinse")
        with self.assertRaisesRegex(NotFoundError, "nothing such as rinse"):
            say_done(self.context, "grinder", read_bench(self.context).grinder.id, "rinse")  # type: ignore[union-attr]
