"""Pulling, recording, tasting and comparing, on the simulated machine behind its port."""

from __future__ import annotations

import subprocess
import sys
import unittest
from unittest.mock import patch

import numpy as np
from sqlalchemy import text

from tests.factories import EVERY_CHECK, flow, pressure, profile, seconds
from tests.marks import exhaustive
from tests.parts import (
    MEMBERS,
    PATIENCE_S,
    context_on_fresh_database,
    elsewhere,
    fresh_database,
    house,
    url_of,
    wait_for,
)
from vapocline.core.base.problems import (
    ConflictError,
    DeviceError,
    NotFoundError,
    Refused,
    UnavailableError,
)
from vapocline.core.profile.profile import HandExit
from vapocline.core.shot.events import FirstDrip, Stopped, events_of
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.bench.opening import open_bench
from vapocline.desk.context import Context, Simulators, open_resources
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.pull import recording
from vapocline.desk.pull.orders import OrderGiven, give_order
from vapocline.desk.pull.request import PullRequest
from vapocline.desk.pull.resume import resume_recordings
from vapocline.desk.pull.start import begin_pull, pull
from vapocline.desk.read.cut_off import list_cut_off, mark_seen
from vapocline.desk.read.shots import Shot, list_shots, read_shot
from vapocline.store import shots

SHORT = profile(flow(6, None, seconds(4), name="Fill"), pressure(9, name="Press"), cup_g=20)


class AtBench(unittest.TestCase):
    speed = 0.0

    def setUp(self) -> None:
        simulators = house(5, self.speed)
        self.machine = simulators.machine
        self.context = open_bench(open_resources(fresh_database(), simulators, members=MEMBERS))
        self.addCleanup(self.context.resources.close)

    def request(self, name: str = "Short", document=SHORT) -> PullRequest:
        version = start_profile(self.context, NewProfile(name=name, profile=document))
        return PullRequest(
            profile_id=version.profile_id, number=version.number, despite=EVERY_CHECK
        )


class Pulling(AtBench):
    def test_a_shot_is_stored_with_recipe_profile_as_run_traces_events_and_result(self) -> None:
        shot = read_shot(self.context, pull(self.context, self.request()))
        self.assertEqual(shot.state, "done")
        self.assertEqual((shot.dose_g, shot.target_yield_g, shot.water_c), (18, 36, 93))
        self.assertEqual([phase.name for phase in shot.profile.phases], ["Fill", "Press"])
        self.assertEqual(
            {len(trace) for trace in shot.traces.model_dump().values()}, {len(shot.traces.time_s)}
        )
        self.assertGreater(len(shot.traces.time_s), 200)
        self.assertEqual(
            [event.kind for event in shot.events],
            ["phase_began", "phase_began", "first_drip", "stopped"],
        )
        self.assertEqual(round(shot.events[2].time_s, 1), shot.first_drip_s)
        self.assertEqual(shot.events[-1].reason, "cup_g")

    def test_its_figures_are_those_of_its_own_traces(self) -> None:
        shot = read_shot(self.context, pull(self.context, self.request()))
        self.assertEqual(shot.shot_time_s, round(shot.events[-1].time_s, 1))
        self.assertAlmostEqual(shot.cup_at_stop_g or 0, 20, delta=0.8)
        self.assertGreater(shot.yield_g or 0, shot.cup_at_stop_g or 0)
        self.assertAlmostEqual(
            shot.peak_pressure_bar or 0, max(shot.traces.pressure_bar), delta=0.06
        )

    def test_the_forecast_made_before_is_kept_and_differs(self) -> None:
        shot = read_shot(self.context, pull(self.context, self.request()))
        self.assertNotEqual(shot.prediction.shot_time_s.value, shot.shot_time_s)
        self.assertAlmostEqual(shot.prediction.shot_time_s.value, shot.shot_time_s, delta=8)

    def test_what_changes_on_the_bench_later_does_not_reach_the_shot(self) -> None:
        number = pull(self.context, self.request())
        change_bench(self.context, BenchChange(dose_g=20, water_c=90))
        self.assertEqual(read_shot(self.context, number).dose_g, 18)

    def test_a_profile_the_machine_cannot_run_never_starts_the_pump(self) -> None:
        with self.assertRaises(Refused):
            pull(self.context, self.request(document=profile(pressure(14))))
        self.assertEqual(list_shots(self.context), [])

    def test_no_machine_is_an_error_and_leaves_no_shot(self) -> None:
        request = self.request()
        alone = elsewhere(self.context, Simulators("127.0.0.1:1"))
        with self.assertRaisesRegex(DeviceError, "No machine responds"):
            pull(alone, request)
        with self.assertRaisesRegex(DeviceError, "No simulated machine runs"):
            pull(elsewhere(self.context, Simulators()), request)
        self.assertEqual(list_shots(self.context), [])

    def test_a_version_that_is_not_there(self) -> None:
        with self.assertRaises(NotFoundError):
            pull(self.context, PullRequest(profile_id=5, number=1))


class WhileItRuns(AtBench):
    speed = 4.0

    WAITING = profile(
        flow(2, None, HandExit(), seconds(200), name="Wait"),
        pressure(3, name="Press"),
        time_s=290,
        cup_g=None,
    )

    def state(self, number: int) -> Shot:
        return read_shot(self.context, number)

    def test_a_hand_signal_goes_on_and_a_stop_ends_it_kept_as_done(self) -> None:
        number = begin_pull(self.context, self.request(document=self.WAITING))
        wait_for(lambda: self.state(number).traces.time_s, "samples")
        give_order(self.context, number, OrderGiven(do="next"))
        wait_for(lambda: len(self.state(number).events) >= 2, "the second phase")
        give_order(self.context, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        told = [event for event in self.state(number).events if not isinstance(event, FirstDrip)]
        self.assertEqual([event.kind for event in told], ["phase_began", "phase_began", "stopped"])
        self.assertEqual((told[1].after, told[2].reason), ("hand", "hand"))
        with self.assertRaisesRegex(ConflictError, "is over"):
            give_order(self.context, number, OrderGiven(do="next"))
        give_order(self.context, number, OrderGiven(do="stop"))  # as a page does that heard nothing
        self.assertEqual(self.state(number).state, "done")

    def test_one_machine_pulls_one_shot_at_a_time(self) -> None:
        request = self.request(document=self.WAITING)
        number = begin_pull(self.context, request)
        with self.assertRaisesRegex(DeviceError, "a shot is running"):
            begin_pull(self.context, request)
        give_order(self.context, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        self.assertEqual(len(list_shots(self.context)), 1)

    def recorded_elsewhere(self, request: PullRequest) -> tuple[int, subprocess.Popen[bytes]]:
        """A shot whose recorder is another process, some seconds in."""
        url = url_of(self.context)
        code = (
            "from vapocline.desk.bench.opening import open_bench;"
            "from vapocline.desk.context import Simulators, open_resources;"
            "from vapocline.desk.pull.request import PullRequest;"
            "from vapocline.desk.pull.start import pull;"
            f"pull(open_bench(open_resources({url!r}, Simulators({self.machine!r}),"
            f" members={MEMBERS})),"
            f" PullRequest(profile_id={request.profile_id}, number=1))"
        )
        process = subprocess.Popen([sys.executable, "-c", code])
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        # A process that loads all of it needs many times what anything else does.
        shot = wait_for(lambda: list_shots(self.context), "the shot", patience_s=4 * PATIENCE_S)
        running = shot[0].id
        wait_for(lambda: len(self.state(running).traces.time_s) > 60, "samples")
        return running, process

    def free(self, number: int) -> bool:
        """Whether nobody holds a shot's recording any more."""
        with self.context.sessions() as session:
            held = shots.hold_recording(session, number)
            session.connection().invalidate()  # the lock goes with it
            return held

    def test_a_recorder_killed_mid_shot_is_taken_up_by_the_next_and_nothing_is_missing(
        self,
    ) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        self.assertEqual(
            resume_recordings(self.context.resources), [], "its recorder lives: it is left alone"
        )
        process.kill()
        process.wait()
        kept = len(self.state(number).traces.time_s)
        wait_for(lambda: self.free(number), "the lock to go with its process")
        self.assertEqual(resume_recordings(self.context.resources), [], "the machine still runs it")
        wait_for(lambda: len(self.state(number).traces.time_s) > kept + 20, "more samples")
        give_order(self.context, number, OrderGiven(do="stop"))
        wait_for(lambda: self.state(number).state == "done", "the end")
        shot = self.state(number)
        steps = np.diff(shot.traces.time_s)
        np.testing.assert_allclose(steps, 0.05, atol=1e-6)
        self.assertIn("recording_resumed", [event.kind for event in shot.events])

    @exhaustive
    def test_where_the_machine_is_gone_too_what_came_is_kept_and_offered_until_seen(self) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        process.kill()
        process.wait()
        kept = len(self.state(number).traces.time_s)
        wait_for(lambda: self.free(number), "the lock to go with its process")
        other = elsewhere(self.context, Simulators("127.0.0.1:1"))
        self.assertEqual(resume_recordings(other.resources), [number])
        shot = self.state(number)
        self.assertEqual(shot.state, "incomplete")
        self.assertIn("stopped while this shot ran", shot.trouble or "")
        self.assertEqual(len(shot.traces.time_s), kept)
        self.assertEqual([line.id for line in list_cut_off(self.context)], [number])
        mark_seen(self.context, number)
        self.assertEqual(list_cut_off(self.context), [])

    @exhaustive
    def test_a_shot_cut_off_in_its_last_drips_keeps_when_it_was_stopped(self) -> None:
        number, process = self.recorded_elsewhere(self.request(document=self.WAITING))
        give_order(self.context, number, OrderGiven(do="stop"))
        stops = wait_for(
            lambda: [e.time_s for e in events_of(self.state(number).events, Stopped)], "the stop"
        )
        process.kill()
        process.wait()
        wait_for(lambda: self.free(number), "the lock to go with its process")
        other = elsewhere(self.context, Simulators("127.0.0.1:1"))
        self.assertEqual(resume_recordings(other.resources), [number])
        self.assertEqual(self.state(number).shot_time_s, round(stops[0], 1))


class MachineGone(unittest.TestCase):
    def test_a_machine_that_goes_silent_leaves_an_incomplete_shot_with_what_came(self) -> None:
        with context_on_fresh_database() as context, patch.object(recording, "RECONNECT_S", 0.5):
            machine = subprocess.Popen(
                [sys.executable, "-m", "vapocline.devices", "machine", "--speed=4"],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
            assert machine.stdin
            assert machine.stdout
            here = elsewhere(context, Simulators(machine.stdout.readline().strip()))
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


class Elsewhere(AtBench):
    def test_a_database_that_is_gone_is_an_error_of_its_own(self) -> None:
        gone = Context(open_resources("postgresql://nobody:x@127.0.0.1:1/none"), 1, 1)
        with self.assertRaisesRegex(UnavailableError, "does not respond"):
            list_shots(gone)

    def test_the_desk_leaves_the_database_idle(self) -> None:
        pull(self.context, self.request())
        query = text("select count(*) from pg_locks where locktype = 'advisory'")

        def idle() -> bool:
            with self.context.resources.engine.connect() as connection:
                return connection.scalar(query) == 0

        wait_for(idle, "the recorder's lock to go with its connection")
