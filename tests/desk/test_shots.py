"""Pulling, recording, tasting and comparing, on the simulated machine behind its port."""

from __future__ import annotations

import subprocess
import sys
import unittest
from unittest.mock import patch

import numpy as np
from sqlalchemy import text

from tests.factories import EVERY_CHECK, flow, pressure, profile, seconds
from tests.parts import desk_on_fresh_database, fresh_database, wait_for
from vapocline.core.problems import ConflictError, DeviceError, NotFoundError, Refused
from vapocline.core.profile import HandExit
from vapocline.core.taste import Tasting
from vapocline.desk import recording
from vapocline.desk.after import list_cut_off, mark_seen
from vapocline.desk.bench import BenchChange, change_bench, open_bench
from vapocline.desk.context import Desk, StandIns, open_desk
from vapocline.desk.preparing import PullRequest
from vapocline.desk.profiles import NewProfile, start_profile
from vapocline.desk.pull import (
    OrderGiven,
    begin_pull,
    give_order,
    pull,
    take_up_orphans,
)
from vapocline.desk.running import simulated_machine
from vapocline.desk.shots import (
    Shot,
    Strength,
    compare_shots,
    list_shots,
    measure,
    read_shot,
    score,
    take_back,
)
from vapocline.store import shots

SHORT = profile(flow(6, None, seconds(4), name="Fill"), pressure(9, name="Press"), cup_g=20)


class AtDesk(unittest.TestCase):
    speed = 0.0

    @classmethod
    def setUpClass(cls) -> None:
        cls.machine = cls.enterClassContext(simulated_machine(seed=5, speed=cls.speed))

    def setUp(self) -> None:
        self.desk = open_desk(fresh_database(), StandIns(self.machine))
        self.addCleanup(self.desk.engine.dispose)
        open_bench(self.desk)

    def request(self, name: str = "Short", document=SHORT) -> PullRequest:
        version = start_profile(self.desk, NewProfile(name=name, profile=document))
        return PullRequest(
            profile_id=version.profile_id, number=version.number, despite=EVERY_CHECK
        )


class Pulling(AtDesk):
    def test_a_shot_is_stored_with_recipe_profile_as_run_traces_events_and_result(self) -> None:
        shot = read_shot(self.desk, pull(self.desk, self.request()))
        self.assertEqual(shot.state, "done")
        self.assertEqual((shot.dose_g, shot.yield_g, shot.water_c), (18, 36, 93))
        self.assertEqual([phase.name for phase in shot.profile.phases], ["Fill", "Press"])
        self.assertEqual(
            {len(trace) for trace in shot.traces.model_dump().values()}, {len(shot.traces.time_s)}
        )
        self.assertGreater(len(shot.traces.time_s), 200)
        self.assertEqual(
            [event.what for event in shot.events], ["phase", "phase", "first_drip", "stop"]
        )
        self.assertEqual(round(shot.events[2].t, 1), shot.first_drip_s)
        self.assertEqual(shot.events[-1].because, "cup_g")

    def test_its_figures_are_those_of_its_own_traces(self) -> None:
        shot = read_shot(self.desk, pull(self.desk, self.request()))
        self.assertEqual(shot.shot_time_s, round(shot.events[-1].t, 1))
        self.assertAlmostEqual(shot.cup_at_stop_g or 0, 20, delta=0.8)
        self.assertGreater(shot.drink_g or 0, shot.cup_at_stop_g or 0)
        self.assertAlmostEqual(
            shot.peak_pressure_bar or 0, max(shot.traces.pressure_bar), delta=0.06
        )

    def test_the_forecast_made_before_is_kept_and_differs(self) -> None:
        shot = read_shot(self.desk, pull(self.desk, self.request()))
        self.assertNotEqual(shot.forecast.shot_time_s.value, shot.shot_time_s)
        self.assertAlmostEqual(shot.forecast.shot_time_s.value, shot.shot_time_s, delta=8)

    def test_what_changes_on_the_bench_later_does_not_reach_the_shot(self) -> None:
        number = pull(self.desk, self.request())
        change_bench(self.desk, BenchChange(dose_g=20, water_c=90))
        self.assertEqual(read_shot(self.desk, number).dose_g, 18)

    def test_a_profile_the_machine_cannot_run_never_starts_the_pump(self) -> None:
        with self.assertRaises(Refused):
            pull(self.desk, self.request(document=profile(pressure(14))))
        self.assertEqual(list_shots(self.desk), [])

    def test_no_machine_is_an_error_and_leaves_no_shot(self) -> None:
        request = self.request()
        alone = Desk(self.desk.engine, StandIns("127.0.0.1:1"))
        with self.assertRaisesRegex(DeviceError, "No machine answers"):
            pull(alone, request)
        with self.assertRaisesRegex(DeviceError, "No simulated machine runs"):
            pull(Desk(self.desk.engine), request)
        self.assertEqual(list_shots(self.desk), [])

    def test_a_version_that_is_not_there(self) -> None:
        with self.assertRaises(NotFoundError):
            pull(self.desk, PullRequest(profile_id=5, number=1))


class WhileItRuns(AtDesk):
    @classmethod
    def setUpClass(cls) -> None:
        pass

    def setUp(self) -> None:
        # One each: a shot whose recorder was killed goes on in its machine.
        self.machine = self.enterContext(simulated_machine(seed=5, speed=4))
        super().setUp()

    WAITING = profile(
        flow(2, None, HandExit(), seconds(200), name="Wait"),
        pressure(3, name="Press"),
        time_s=290,
        cup_g=None,
    )

    def state(self, number: int) -> Shot:
        return read_shot(self.desk, number)

    def test_a_hand_signal_goes_on_and_a_stop_ends_it_kept_as_done(self) -> None:
        number = begin_pull(self.desk, self.request(document=self.WAITING))
        wait_for(lambda: self.state(number).traces.time_s, "samples")
        give_order(self.desk, number, OrderGiven(do="next"))
        wait_for(lambda: len(self.state(number).events) >= 2, "the second phase")
        give_order(self.desk, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        told = [event for event in self.state(number).events if event.what != "first_drip"]
        events = [(event.what, event.because) for event in told]
        self.assertEqual(events, [("phase", None), ("phase", "hand"), ("stop", "hand")])
        with self.assertRaisesRegex(ConflictError, "is over"):
            give_order(self.desk, number, OrderGiven(do="stop"))

    def test_one_machine_pulls_one_shot_at_a_time(self) -> None:
        request = self.request(document=self.WAITING)
        number = begin_pull(self.desk, request)
        with self.assertRaisesRegex(DeviceError, "a shot is running"):
            begin_pull(self.desk, request)
        give_order(self.desk, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        self.assertEqual(len(list_shots(self.desk)), 1)

    def recorded_elsewhere(self, request: PullRequest) -> tuple[int, subprocess.Popen[bytes]]:
        """A shot whose recorder is another process, some seconds in."""
        url = self.desk.engine.url.render_as_string(hide_password=False)
        code = (
            "from vapocline.desk.context import StandIns, open_desk;"
            "from vapocline.desk.preparing import PullRequest;"
            "from vapocline.desk.pull import pull;"
            f"pull(open_desk({url!r}, StandIns({self.desk.stand_ins.machine!r})),"
            f" PullRequest(profile_id={request.profile_id}, number=1))"
        )
        process = subprocess.Popen([sys.executable, "-c", code])
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        running = wait_for(lambda: list_shots(self.desk), "the shot")[0].id
        wait_for(lambda: len(self.state(running).traces.time_s) > 60, "samples")
        return running, process

    def free(self, number: int) -> bool:
        """Whether nobody holds a shot's recording any more."""
        with self.desk.sessions() as session:
            held = shots.hold_recording(session, number)
            session.connection().invalidate()  # the lock goes with it
            return held

    def test_a_recorder_killed_mid_shot_is_taken_up_by_the_next_and_nothing_is_missing(
        self,
    ) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        self.assertEqual(take_up_orphans(self.desk), [], "its recorder lives: it is left alone")
        process.kill()
        process.wait()
        kept = len(self.state(number).traces.time_s)
        wait_for(lambda: self.free(number), "the lock to go with its process")
        self.assertEqual(take_up_orphans(self.desk), [], "the machine still runs it")
        wait_for(lambda: len(self.state(number).traces.time_s) > kept + 20, "more samples")
        give_order(self.desk, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        shot = self.state(number)
        steps = np.diff(shot.traces.time_s)
        np.testing.assert_allclose(steps, 0.05, atol=1e-6)
        self.assertIn("taken_up", [event.what for event in shot.events])

    def test_where_the_machine_is_gone_too_what_came_is_kept_and_offered_until_seen(self) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        process.kill()
        process.wait()
        kept = len(self.state(number).traces.time_s)
        wait_for(lambda: self.free(number), "the lock to go with its process")
        elsewhere = Desk(self.desk.engine, StandIns("127.0.0.1:1"))
        self.assertEqual(take_up_orphans(elsewhere), [number])
        shot = self.state(number)
        self.assertEqual(shot.state, "incomplete")
        self.assertIn("stopped while this shot ran", shot.trouble or "")
        self.assertEqual(len(shot.traces.time_s), kept)
        self.assertEqual([line.id for line in list_cut_off(self.desk)], [number])
        mark_seen(self.desk, number)
        self.assertEqual(list_cut_off(self.desk), [])

    def test_a_shot_cut_off_in_its_last_drips_keeps_when_it_was_stopped(self) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        give_order(self.desk, number, OrderGiven(do="stop"))
        stops = wait_for(
            lambda: [e.t for e in self.state(number).events if e.what == "stop"], "the stop"
        )
        process.kill()
        process.wait()
        wait_for(lambda: self.free(number), "the lock to go with its process")
        elsewhere = Desk(self.desk.engine, StandIns("127.0.0.1:1"))
        self.assertEqual(take_up_orphans(elsewhere), [number])
        self.assertEqual(self.state(number).shot_time_s, round(stops[0], 1))


class MachineGone(unittest.TestCase):
    def test_a_machine_that_goes_silent_leaves_an_incomplete_shot_with_what_came(self) -> None:
        with desk_on_fresh_database() as desk, patch.object(recording, "RECONNECT_S", 0.5):
            open_bench(desk)
            machine = subprocess.Popen(
                [sys.executable, "-m", "vapocline.devices", "machine", "--speed=4"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
            assert machine.stdin
            assert machine.stdout
            port = machine.stdout.readline().strip()
            here = Desk(desk.engine, StandIns(f"127.0.0.1:{port}"))
            version = start_profile(here, NewProfile(name="Short", profile=SHORT))
            number = begin_pull(
                here,
                PullRequest(profile_id=version.profile_id, number=1, despite=EVERY_CHECK),
            )
            wait_for(lambda: len(read_shot(here, number).traces.time_s) > 20, "samples")
            machine.kill()
            machine.wait()
            machine.stdin.close()
            machine.stdout.close()
            wait_for(lambda: read_shot(here, number).state == "incomplete", "the shot to be closed")
            shot = read_shot(here, number)
            self.assertIn("machine", shot.trouble or "")
            self.assertGreater(len(shot.traces.time_s), 20)
            self.assertIsNone(shot.shot_time_s)


class Scoring(AtDesk):
    def test_scores_are_kept_by_warmth_and_serving_and_a_second_saying_replaces_the_first(
        self,
    ) -> None:
        number = pull(self.desk, self.request())
        score(self.desk, number, Tasting(liking=6, sweetness=5))
        score(self.desk, number, Tasting(liking=7, warmth="cool"))
        line = score(self.desk, number, Tasting(liking=8, notes="plum"))
        self.assertEqual(
            [(one.warmth, one.liking, one.sweetness) for one in line.tastings],
            [("hot", 8, None), ("cool", 7, None)],
        )
        take_back(self.desk, number, "cool", "straight")
        self.assertEqual(len(read_shot(self.desk, number).tastings), 1)

    def test_saying_nothing_is_refused(self) -> None:
        number = pull(self.desk, self.request())
        with self.assertRaisesRegex(Refused, "at least one score or a note"):
            score(self.desk, number, Tasting(notes="  "))

    def test_strength_is_measured_or_unknown_and_the_extraction_follows(self) -> None:
        number = pull(self.desk, self.request())
        self.assertIsNone(read_shot(self.desk, number).ey_pct)
        line = measure(self.desk, number, Strength(tds_pct=9.0))
        self.assertAlmostEqual(line.ey_pct or 0, 9.0 * (line.drink_g or 0) / 18, delta=0.06)
        self.assertIsNone(measure(self.desk, number, Strength(tds_pct=None)).ey_pct)


class Comparing(AtDesk):
    def test_two_shots_are_set_side_by_side_with_what_differs_named(self) -> None:
        request = self.request()
        first = pull(self.desk, request)
        change_bench(self.desk, BenchChange(water_c=90))
        second = pull(self.desk, request)
        score(self.desk, first, Tasting(liking=5))
        score(self.desk, second, Tasting(liking=4))
        compared = compare_shots(self.desk, first, second)
        self.assertEqual([one.words for one in compared.comparison.done], ["water -3.0 °C"])
        self.assertIn("The first was liked more", compared.comparison.verdict)
        self.assertGreater(len(compared.second.traces.time_s), 100)

    def test_a_repeat_differs_only_by_spread(self) -> None:
        request = self.request()
        compared = compare_shots(self.desk, pull(self.desk, request), pull(self.desk, request))
        self.assertEqual(compared.comparison.done, [])
        self.assertNotEqual(compared.first.traces.cup_g, compared.second.traces.cup_g)


class Elsewhere(AtDesk):
    def test_a_database_that_is_gone_is_an_error_of_its_own(self) -> None:
        gone = open_desk("postgresql://nobody:x@127.0.0.1:1/none")
        with self.assertRaisesRegex(Exception, "refused|failed"):
            list_shots(gone)

    def test_the_desk_leaves_the_database_idle(self) -> None:
        pull(self.desk, self.request())
        query = text("select count(*) from pg_locks where locktype = 'advisory'")

        def idle() -> bool:
            with self.desk.engine.connect() as connection:
                return connection.scalar(query) == 0

        wait_for(idle, "the recorder's lock to go with its connection")
