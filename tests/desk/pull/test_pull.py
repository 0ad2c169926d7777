"""Preparing, steering and looking back on a pull, through the desk, with devices that misbehave."""

from __future__ import annotations

import contextlib
import socket
import threading
import unittest
from datetime import timedelta
from typing import Any, ClassVar
from unittest import mock

import numpy as np
from psycopg import sql

from tests.factories import EVERY_CHECK, flow, pressure, profile, seconds
from tests.parts import PATIENCE_S, administer, context_on_fresh_database, elsewhere, wait_for
from vapocline.core.base.document import Name
from vapocline.core.base.problems import (
    ConflictError,
    DeviceError,
    NotFoundError,
    OrderError,
    Refused,
)
from vapocline.core.coffee.basket import UNWEIGHED_SPREAD
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.coffee.water import Water
from vapocline.core.machine.machine import HandLever, Machine
from vapocline.core.profile.profile import ForceCommand, Phase, PressureAboveExit, Profile
from vapocline.core.pull.readiness import Check
from vapocline.core.pull.recovery import Recovery, find_recovery
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.context import Context
from vapocline.desk.exchange.traces import write_traces
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull import relay
from vapocline.desk.pull.dry_run import time_stages
from vapocline.desk.pull.orders import OrderGiven, give_order, take_command
from vapocline.desk.pull.readiness import Switched, prepare, switch
from vapocline.desk.pull.request import PullRequest, Rehearsal, arranged
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.read.review import review_shot
from vapocline.desk.read.shots import Shot, read_shot
from vapocline.desk.read.strength import Strength, WeighedYield, measure, weigh
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.desk.shelf.machines import add_machine
from vapocline.desk.shelf.waters import add_water
from vapocline.desk.tidy.tidy import TidyRequest, tidy_recording
from vapocline.devices.line import LineAddress

SHORT = profile(
    flow(5, None, PressureAboveExit(value=3), seconds(9), name="Fill"),
    pressure(8, name="Press"),
    cup_g=20,
)
LONG = profile(
    pressure(4, None, seconds(60), name="Soak"),
    pressure(8, None, seconds(100), name="Press"),
    cup_g=None,
    time_s=200,
)


class AtBench(unittest.TestCase):
    speed: ClassVar[float] = 0.0
    instruments: ClassVar[bool] = False

    @classmethod
    def setUpClass(cls) -> None:
        cls.context: Context = cls.enterClassContext(
            context_on_fresh_database(speed=cls.speed, instruments=cls.instruments)
        )
        cls.first = read_bench(cls.context).machine.id

    def tearDown(self) -> None:
        change_bench(self.context, BenchChange(machine_id=self.first))

    def request(
        self, document: Profile = SHORT, name: Name | None = None, **rest: object
    ) -> PullRequest:
        name = name or self._testMethodName[5:60]
        version = start_profile(self.context, NewProfile(name=name, profile=document))
        fields = {"profile_id": version.profile_id, "number": 1, "despite": EVERY_CHECK} | rest
        return PullRequest.model_validate(fields)

    def shot(self, number: int) -> Shot:
        return read_shot(self.context, number)

    def told(self, number: int) -> list[str]:
        return [event.kind for event in self.shot(number).events]

    def order(self, number: int, **given: object) -> None:
        give_order(self.context, number, OrderGiven.model_validate(given))

    def running(self, request: PullRequest, samples: int = 40) -> int:
        number = begin_pull(self.context, request)
        wait_for(lambda: len(self.shot(number).traces.time_s) > samples, "samples")
        return number

    def over(self, number: int) -> Shot:
        wait_for(lambda: self.shot(number).state != "running", "the end")
        return self.shot(number)


class Preparing(AtBench):
    instruments = True

    def states(self, request: PullRequest) -> dict[Check, str]:
        return {item.check: item.state for item in prepare(self.context, request).items}

    def test_devices_answer_for_themselves_and_the_rest_is_asked(self) -> None:
        states = self.states(self.request())
        self.assertEqual(
            {check for check, state in states.items() if state == "ready"},
            {"armed", "warm", "water", "cup", "tare"},
        )
        self.assertNotIn("missing", states.values())

    def test_the_bag_is_named_with_what_is_left_of_it(self) -> None:
        request = self.request()
        for days, stale in ((15, ""), (2, "; day 2, 8 days early"), (60, "past its best")):
            with self.subTest(days=days):
                roasted = self.context.today() - timedelta(days=days)
                bagged = Coffee(name=f"Bagged {days}", roasted_on=roasted, bag_g=250)
                coffee = add_coffee(self.context, bagged)
                change_bench(self.context, BenchChange(coffee_id=coffee.id))
                items = {one.check: one.words for one in prepare(self.context, request).items}
                named = f"Bagged {days}, roasted {roasted:%-d %B}, 250 g left"
                self.assertTrue(items["bag"].startswith(named), items["bag"])
                self.assertTrue(items["bag"].endswith(stale or named), items["bag"])

    def test_a_pull_with_something_missing_is_refused_with_what_and_never_starts(self) -> None:
        request = self.request(despite=frozenset(), confirmed=EVERY_CHECK, weighed_g=18.6)
        with self.assertRaises(Refused) as caught:
            begin_pull(self.context, request)
        self.assertEqual([p.field for p in caught.exception.problems], ["checks.dose"])
        self.assertIn("+0.6 g off", caught.exception.problems[0].got)

    def test_a_dose_that_was_not_weighed_widens_what_is_foreseen_of_its_shot(self) -> None:
        for levelled, weighed_g, spread in (
            (False, 18.1, 0), (True, 18.1, 0), (False, None, UNWEIGHED_SPREAD),
            (True, None, UNWEIGHED_SPREAD),
        ):  # fmt: skip
            with self.subTest(levelled=levelled, weighed_g=weighed_g):
                change_bench(self.context, BenchChange(levelled=levelled))
                self.addCleanup(change_bench, self.context, BenchChange(levelled=False))
                name = f"Weighed {weighed_g} {levelled}"
                found = arranged(self.context, self.request(name=name, weighed_g=weighed_g))
                self.assertEqual(found.plan.setup.dose_spread, spread)
                self.assertEqual(found.conditions.tamped.dose_spread, spread)

    def test_other_water_than_the_version_is_meant_for_is_told_with_what_it_changes(self) -> None:
        meant = SHORT.model_copy(update={"water_c": 90.0})
        request, before = self.request(meant), read_bench(self.context).water_c
        self.addCleanup(change_bench, self.context, BenchChange(water_c=before))
        change_bench(self.context, BenchChange(water_c=94))
        told = prepare(self.context, request).meant_water
        assert told
        self.assertEqual((told.water_c, told.because), (90, "version"))
        self.assertLess(told.extraction_yield_change_points or 0, 0)
        change_bench(self.context, BenchChange(water_c=90))
        self.assertIsNone(prepare(self.context, request).meant_water)

    def test_the_water_on_the_bench_is_named_in_the_checks_and_kept_with_the_shot(self) -> None:
        water = add_water(self.context, Water(name="Quay soft", alkalinity_mg_l=50))
        change_bench(self.context, BenchChange(water_id=water.id))
        request = self.request()
        items = {one.check: one.words for one in prepare(self.context, request).items}
        self.assertIn("mL of Quay soft", items["water"])
        kept = arranged(self.context, request).conditions.water
        self.assertEqual(kept, Water(name="Quay soft", alkalinity_mg_l=50))

    def test_a_dry_run_goes_through_its_own_checks_and_is_stopped_as_a_shot_is(self) -> None:
        request = self.request(LONG, dry=True, despite=[])
        states = self.states(request)
        self.assertEqual(set(states), {"armed", "warm", "water", "disc", "cup"})
        self.assertEqual(states["disc"], "ask")
        with self.assertRaises(Refused):
            begin_pull(self.context, request)
        number = begin_pull(
            self.context, request.model_copy(update={"confirmed": frozenset({"disc"})})
        )
        wait_for(lambda: self.shot(number).traces.time_s, "samples")
        with self.assertRaises(ConflictError):
            time_stages(self.context, number)
        with contextlib.suppress(OrderError, ConflictError):  # without a clock it may be over
            give_order(self.context, number, OrderGiven(do="stop"))
        self.over(number)
        self.assertEqual(time_stages(self.context, number).rows[0].stage, "Soak")

    def test_what_was_confirmed_and_weighed_lets_it_start(self) -> None:
        request = self.request(despite=frozenset(), confirmed=EVERY_CHECK, weighed_g=18.1)
        shot = self.over(begin_pull(self.context, request))
        self.assertEqual((shot.state, shot.dose_g), ("done", 18.1))

    def test_a_machine_just_switched_on_is_counted_down_longer_with_steam(self) -> None:
        request, now = self.request(), self.context.now()
        plain = switch(self.context, self.first, Switched(minutes_ago=5))
        steam = switch(self.context, self.first, Switched(minutes_ago=5, with_steam=True))
        assert plain.ready_at
        assert steam.ready_at
        self.assertAlmostEqual((plain.ready_at - now) / timedelta(minutes=1), 15, delta=0.5)
        self.assertAlmostEqual(
            (steam.ready_at - plain.ready_at) / timedelta(minutes=1), 8, delta=0.1
        )
        self.assertEqual(self.states(request)["warm"], "missing")
        switch(self.context, self.first, Switched(minutes_ago=None))
        self.assertEqual(self.states(request)["warm"], "ready")

    def test_a_profile_the_machine_cannot_run_and_a_machine_that_is_gone(self) -> None:
        high = self.request(profile(pressure(14)))
        self.assertEqual(self.states(high)["armed"], "missing")
        write_connections(self.context, self.first, Connections(machine="127.0.0.1:1"))
        self.addCleanup(write_connections, self.context, self.first, Connections())
        items = {one.check: one for one in prepare(self.context, high).items}
        item = items["armed"]
        self.assertIn("No machine responds", item.words)

    def test_a_lever_comes_with_its_cues(self) -> None:
        lever = add_machine(self.context, Machine(name="Oar", control=HandLever(bar_per_kg=0.5)))
        change_bench(self.context, BenchChange(machine_id=lever.id))
        pressed = Phase(
            name="Press", kind="hold", command=ForceCommand(from_=12, to=12), exits=(seconds(40),)
        )
        prepared = prepare(self.context, self.request(profile(pressed)))
        self.assertEqual(prepared.by_hand, "level")
        self.assertEqual([cue.say for cue in prepared.cues], ["Press 12 kg", "Stop"])


class Steering(AtBench):
    speed = 6.0

    def test_nudge_hold_skip_and_take_over_are_done_and_logged_with_their_times(self) -> None:
        number = self.running(self.request(LONG))
        self.order(number, do="nudge", by=0.5)
        self.order(number, do="hold")
        self.order(number, do="go_on")
        self.order(number, do="take")
        self.order(number, do="level", level=6.5)
        self.order(number, do="mark", mark="spurt")
        seen = len(self.shot(number).traces.time_s)
        wait_for(lambda: len(self.shot(number).traces.time_s) > seen + 60, "the level")
        self.order(number, do="give_back")
        self.order(number, do="skip")
        wait_for(lambda: self.told(number).count("phase_began") == 2, "the next phase")
        self.order(number, do="stop")
        shot = self.over(number)
        done = [
            e.kind
            for e in shot.events
            if e.kind not in ("phase_began", "first_drip", "recovery_offered")
        ]
        self.assertEqual(
            done, ["nudged", "held", "released", "taken_over", "marked", "given_back", "stopped"]
        )
        held = [p for p, h in zip(shot.traces.pressure_bar, shot.traces.by_hand, strict=True) if h]
        self.assertAlmostEqual(float(np.median(held[-10:])), 6.5, delta=0.3)
        times = [event.time_s for event in shot.events]
        self.assertLess(max(times), shot.traces.time_s[-1])

    def test_an_order_the_machine_cannot_follow_is_refused_with_its_reason(self) -> None:
        number = self.running(self.request(LONG))
        with self.assertRaisesRegex(OrderError, "pressure goes from 0"):
            self.order(number, do="nudge", by=-9)
        with self.assertRaisesRegex(Refused, "by: got nothing; takes what a nudge needs"):
            self.order(number, do="nudge")
        self.order(number, do="stop")
        self.over(number)
        with self.assertRaisesRegex(ConflictError, "is over"):
            self.order(number, do="nudge", by=0.5)
        with self.assertRaises(NotFoundError):
            self.order(9999, do="stop")

    def test_one_page_commands_until_another_takes_over_but_anyone_may_stop(self) -> None:
        number = self.running(self.request(LONG, page="bar"))
        with self.assertRaisesRegex(ConflictError, "Another page commands"):
            self.order(number, do="nudge", by=0.5, page="kitchen")
        take_command(self.context, number, "kitchen")
        self.order(number, do="nudge", by=0.5, page="kitchen")
        with self.assertRaisesRegex(ConflictError, "Another page commands"):
            self.order(number, do="hold", page="bar")
        self.assertEqual(self.shot(number).commander, "kitchen")
        self.order(number, do="mark", mark="blond", page="bar")
        self.order(number, do="stop", page="bar")
        self.assertEqual(self.over(number).state, "done")
        with self.assertRaisesRegex(ConflictError, "is over"):
            take_command(self.context, number, "bar")

    def test_orders_reach_the_machine_of_a_shot_whose_recorder_does_not_answer(self) -> None:
        number = self.running(self.request(LONG))
        other = elsewhere(self.context, self.context.resources.simulators)
        with (
            mock.patch.object(relay, "PATIENCE_S", 0.1),
            mock.patch.object(relay, "STOP_PATIENCE_S", 0.1),
        ):
            give_order(other, number, OrderGiven(do="nudge", by=0.5))
            wait_for(lambda: "nudged" in self.told(number), "the nudge")
            give_order(other, number, OrderGiven(do="stop"))
        self.assertEqual(self.over(number).state, "done")


class Noticing(AtBench):
    speed = 4.0
    instruments = True

    def test_a_stalled_pump_is_reported(self) -> None:
        rehearse = Rehearsal(fault="pump_stall", at_s=1)
        number = begin_pull(self.context, self.request(LONG, rehearse=rehearse))

        def raised(alarm: str) -> list[str | None]:
            events = self.shot(number).events
            return [e.message for e in events if e.kind == "alarm_raised" and e.alarm == alarm]

        # On a slow machine the scale may have fallen silent before.
        wait_for(lambda: bool(raised("no_flow")), "the alarm")
        self.assertIn("tank may be empty", raised("no_flow")[0] or "")
        self.order(number, do="stop")
        self.over(number)

    def test_a_scale_that_goes_off_is_reported_and_the_cup_is_left_unknown(self) -> None:
        rehearse = Rehearsal(fault="scale_off", at_s=6)
        number = begin_pull(self.context, self.request(profile(pressure(9)), rehearse=rehearse))
        wait_for(lambda: "alarm_raised" in self.told(number), "the alarm")
        wait_for(lambda: self.shot(number).traces.time_s[-1] > 16, "some more")
        self.order(number, do="stop")
        shot = self.over(number)
        self.assertEqual(shot.state, "done")
        self.assertEqual((shot.yield_g, shot.ratio, shot.cup_at_stop_g), (None, None, None))
        self.assertIsNone(shot.traces.cup_g[-1])
        before = [g for t, g in zip(shot.traces.time_s, shot.traces.cup_g, strict=True) if t < 6]
        self.assertTrue(any(g is not None for g in before))


class AGushingPuck(AtBench):
    speed = 1.0  # a way back is worked out and taken while it runs, on a slow machine too
    instruments = True

    def gushing(self, name: str) -> int:
        """A shot ground much coarser than its plan says."""
        request = self.request(profile(pressure(9), cup_g=40))
        points = Grinder(name=name, settings=(8, 24), grind_um=(214, 446))
        grinder = add_grinder(self.context, points)
        change_bench(self.context, BenchChange(grinder_id=grinder.id, grind_setting=14))
        return begin_pull(self.context, request.model_copy(update={"grind_setting": 19.0}))

    def test_a_correction_computed_too_late_is_not_offered_after_the_stop(self) -> None:
        asked, stopped, answered = threading.Event(), threading.Event(), threading.Event()

        def slow(*known: Any) -> Recovery | None:
            asked.set()
            stopped.wait(PATIENCE_S)
            try:
                return find_recovery(*known)
            finally:
                answered.set()

        with mock.patch("vapocline.desk.pull.recording.find_recovery", slow):
            number = self.gushing("Windlass")
            self.assertTrue(asked.wait(PATIENCE_S))
            self.order(number, do="stop")
            wait_for(lambda: "stopped" in self.told(number), "the stop")
            stopped.set()
            self.assertTrue(answered.wait(PATIENCE_S))
            self.over(number)
        self.assertNotIn("recovery_offered", self.told(number))

    def test_a_puck_that_gushes_is_reported_with_a_way_back_that_can_be_taken(self) -> None:
        number = self.gushing("Ratline")
        wait_for(lambda: "recovery_offered" in self.told(number), "the way back")
        found = next(e for e in self.shot(number).events if e.kind == "recovery_offered")
        self.assertIn("µm coarser", found.message or "")
        self.assertLess(found.by or 0, 0)
        self.order(number, do="nudge", by=found.by)
        shot = self.over(number)
        self.assertIn("nudged", [event.kind for event in shot.events])
        grind = next(
            line for line in review_shot(self.context, number).recipe if line.what == "Grind"
        )
        self.assertEqual((grind.planned, grind.done, grind.flagged), ("14", "19", True))


class Relay:
    """A line to a machine that can be cut and made again, as a cable or a radio is."""

    def __init__(self, to: str) -> None:
        self._to = LineAddress.parse(to)
        self._listener = socket.create_server(("127.0.0.1", 0))
        self._ends: list[socket.socket] = []
        self.open = True
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def address(self) -> str:
        return f"{self._to.code}@127.0.0.1:{self._listener.getsockname()[1]}"

    def cut(self) -> None:
        self.open = False
        for end in self._ends:
            end.close()
        self._ends = []

    def _serve(self) -> None:
        while True:
            near, _ = self._listener.accept()
            if not self.open:
                near.close()
                continue
            far = socket.create_connection((self._to.host, self._to.port))
            self._ends += [near, far]
            for one, other in ((near, far), (far, near)):
                threading.Thread(target=self._pass_on, args=(one, other), daemon=True).start()

    def _pass_on(self, one: socket.socket, other: socket.socket) -> None:
        try:
            with contextlib.suppress(OSError):
                while data := one.recv(65536):
                    other.sendall(data)
        finally:
            for end in (one, other):
                with contextlib.suppress(OSError):
                    end.shutdown(socket.SHUT_RDWR)


class LinesThatBreak(AtBench):
    speed = 5.0

    def whole(self, shot: Shot) -> None:
        """Every sample from the first to the last, each once."""
        steps = np.diff(shot.traces.time_s)
        np.testing.assert_allclose(steps, 0.05, atol=1e-6)

    def test_a_line_to_the_machine_that_breaks_is_made_again_and_nothing_is_missing(self) -> None:
        assert self.context.resources.simulators.machine
        relay = Relay(self.context.resources.simulators.machine.partition("/")[0])
        write_connections(self.context, self.first, Connections(machine=relay.address))
        self.addCleanup(write_connections, self.context, self.first, Connections())
        number = self.running(self.request(profile(pressure(9), cup_g=30)))
        relay.cut()
        wait_for(lambda: "connection_lost" in self.told(number), "the break to be noticed")
        relay.open = True
        shot = self.over(number)
        self.assertEqual(shot.state, "done")
        self.whole(shot)
        self.assertIn("connection_restored", [event.kind for event in shot.events])

    def test_a_database_that_is_away_in_mid_shot_costs_no_sample_and_the_stop_still_works(
        self,
    ) -> None:
        number = self.running(self.request(LONG, page="bar"))
        name = sql.Identifier(str(self.context.resources.engine.url.database))
        gone = "alter database {} with allow_connections false"
        administer(sql.SQL(gone).format(name))
        kick = "select pg_terminate_backend(pid) from pg_stat_activity where datname = {}"
        administer(sql.SQL(kick).format(sql.Literal(self.context.resources.engine.url.database)))
        recording = self.context.resources.recordings[number]
        wait_for(lambda: recording.failed_at > 0, "the database to be missed")
        heard = len(recording.samples)
        wait_for(lambda: len(recording.samples) > heard + 100, "the shot to go on")
        give_order(self.context, number, OrderGiven(do="stop", page="bar"))
        wait_for(lambda: recording.stop_s is not None, "the stop")
        administer(sql.SQL("alter database {} with allow_connections true").format(name))
        shot = self.over(number)
        self.assertEqual(shot.state, "done")
        self.whole(shot)
        self.assertGreater(shot.traces.time_s[-1], heard * 0.05 + 5)


class WithoutAWire(AtBench):
    speed = 8.0
    instruments = True

    def setUp(self) -> None:
        self.lines(Connections(wired=False))
        self.addCleanup(self.lines, Connections())

    def lines(self, lines: Connections) -> None:
        write_connections(self.context, self.first, lines)

    def pulled_by_hand(self, request: PullRequest | None = None) -> Shot:
        number = self.running(request or self.request())
        self.order(number, do="mark", mark="first_drip")
        self.order(number, do="next")
        self.order(number, do="stop")
        return self.over(number)

    def test_only_the_barista_can_tell_what_is_ready(self) -> None:
        found = prepare(self.context, self.request())
        states = {item.check: item.state for item in found.items}
        self.assertEqual(set(states.values()), {"ask"})
        self.assertEqual(found.by_hand, "steps")
        self.assertEqual([cue.say for cue in found.cues], ["Hold 5 mL/s", "Hold 8 bar", "Stop"])
        self.assertFalse(read_bench(self.context).machine.simulated)

    def test_a_pull_is_kept_with_its_cues_and_marks_and_nothing_is_made_up(self) -> None:
        shot = self.pulled_by_hand()
        self.assertEqual((shot.state, shot.manual, shot.wired), ("done", True, False))
        told = self.told(shot.id)
        self.assertEqual(told, ["phase_began", "marked", "first_drip", "phase_began", "stopped"])
        drip_s = next(event.time_s for event in shot.events if event.kind == "marked")
        self.assertAlmostEqual(shot.first_drip_s or 0, drip_s, delta=0.06)
        self.assertGreaterEqual(shot.shot_time_s or 0, drip_s)
        for unknown in (shot.peak_pressure_bar, shot.water_in_ml, shot.yield_g, shot.tds_pct):
            self.assertIsNone(unknown)
        self.assertEqual(set(shot.traces.pressure_bar), {None})
        self.assertEqual(set(shot.traces.cup_g), {None})
        self.assertEqual(shot.traces.commanded[10], 5)
        self.assertEqual(shot.nudges, {})

    def test_looking_back_there_is_a_weight_to_type_and_no_curve_to_tidy(self) -> None:
        shot = self.pulled_by_hand()
        after = review_shot(self.context, shot.id)
        self.assertFalse(after.weighed or after.can_tidy or after.refractometer)
        self.assertIsNone(after.followed)
        self.assertEqual([done.what for done in after.recipe], ["Dose"])
        with self.assertRaisesRegex(Refused, "without a recorded pressure"):
            tidy_recording(self.context, TidyRequest(shot_id=shot.id))
        line = weigh(self.context, shot.id, WeighedYield(yield_g=34.5))
        self.assertEqual((line.yield_g, line.ratio), (34.5, 1.92))
        self.assertIsNotNone(
            measure(self.context, shot.id, Strength(tds_pct=9)).extraction_yield_pct
        )
        self.assertIsNone(weigh(self.context, shot.id, WeighedYield(yield_g=None)).yield_g)
        rows = write_traces(self.context, shot.id).splitlines()
        self.assertEqual(rows[1].split(",")[1], "")

    def test_a_connected_scale_weighs_it_all_the_same(self) -> None:
        scale = f"{self.context.resources.simulators.scale}/Anywhere"
        self.lines(Connections(wired=False, scale=scale))
        request = self.request()
        states = {one.check: one.state for one in prepare(self.context, request).items}
        self.assertEqual((states["cup"], states["tare"]), ("ready", "ready"))
        shot = self.pulled_by_hand(request)
        weighed = [grams for grams in shot.traces.cup_g if grams is not None]
        self.assertGreater(len(weighed), 10)
        self.assertTrue(review_shot(self.context, shot.id).weighed)
        with self.assertRaisesRegex(ConflictError, "The scale weighed this shot"):
            weigh(self.context, shot.id, WeighedYield(yield_g=30))

    def test_it_is_steered_at_the_machine_and_not_from_here(self) -> None:
        number = self.running(self.request())
        for given in ({"do": "nudge", "by": 0.5}, {"do": "take"}):
            with self.subTest(given), self.assertRaisesRegex(OrderError, "not connected"):
                self.order(number, **given)
        self.order(number, do="stop")
        self.over(number)

    def test_it_is_timed_without_coffee_by_nothing(self) -> None:
        with self.assertRaisesRegex(DeviceError, "not connected"):
            begin_pull(self.context, self.request(dry=True))

    def test_a_machine_of_any_name_is_that_machine_and_no_simulated_one(self) -> None:
        machine = add_machine(self.context, Machine(name="Lever 1/2 @x:9#?%2F"))
        write_connections(self.context, machine.id, Connections(wired=False))
        change_bench(self.context, BenchChange(machine_id=machine.id))
        shot = self.pulled_by_hand()
        self.assertEqual((shot.machine, shot.state), ("Lever 1/2 @x:9#?%2F", "done"))
        self.assertEqual(set(shot.traces.pressure_bar), {None})

    def test_an_address_without_a_connection_is_refused(self) -> None:
        with self.assertRaises(Refused) as caught:
            self.lines(Connections(wired=False, machine="127.0.0.1:7000"))
        self.assertEqual([p.field for p in caught.exception.problems], ["machine"])
