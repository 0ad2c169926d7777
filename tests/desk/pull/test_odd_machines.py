"""Machines that lose answers, lose their memory, or never come to an end: what is recorded."""

from __future__ import annotations

import contextlib
import json
from itertools import count
from unittest.mock import patch

from tests.desk.pull.test_pull import AtBench
from tests.parts import wait_for
from tests.scripted import ScriptedMachine, end, samples, stop
from vapocline.core.formats.trace_csv import traces_from_csv
from vapocline.core.shot.limits import LONGEST_S
from vapocline.desk.exchange.documents import read_document
from vapocline.desk.exchange.traces import write_traces
from vapocline.desk.pull import recording
from vapocline.desk.pull.orders import OrderGiven, close_record, give_order
from vapocline.desk.pull.start import begin_pull
from vapocline.desk.read.shots import Shot
from vapocline.desk.shelf.connections import Connections, write_connections
from vapocline.devices import line

WHOLE = [*samples(60), stop(60, 3.0), *samples(20, 61), end(81)]


class OddMachine(AtBench):
    numbers = count(1)

    def machine(self, said: list[bytes]) -> ScriptedMachine:
        machine = self.enterContext(contextlib.closing(ScriptedMachine(said)))
        write_connections(self.context, self.first, Connections(machine=machine.address))
        self.addCleanup(write_connections, self.context, self.first, Connections())
        return machine

    def pulled(self, said: list[bytes], **odd: bool) -> tuple[Shot, ScriptedMachine]:
        machine = self.machine(said)
        for name, value in odd.items():
            setattr(machine, name, value)
        number = begin_pull(self.context, self.request(name=f"Odd {next(self.numbers)}"))
        return self.over(number), machine


def spread(said: list[bytes], step_s: float) -> list[bytes]:
    """The same samples, so far apart."""
    told = [json.loads(one) for one in said]
    return [
        json.dumps(one | {"t": round(step_s * (n + 1), 3)}).encode() + b"\n"
        for n, one in enumerate(told)
    ]


class LostAnswers(OddMachine):
    def test_a_start_whose_answer_is_lost_is_recorded_and_not_given_twice(self) -> None:
        shot, machine = self.pulled(WHOLE, answers_start=False)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 80))
        self.assertEqual(machine.given("start"), 1)

    def test_a_start_that_is_slow_to_take_effect_is_recorded_too(self) -> None:
        machine = self.machine(WHOLE)
        machine.answers_start, machine.not_yet = False, 2
        number = begin_pull(self.context, self.request(name="Slow"))
        shot = self.over(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 80))
        self.assertEqual((machine.given("start"), machine.given("watch")), (1, 3))

    def test_a_start_that_never_came_is_an_incomplete_shot_and_not_deleted(self) -> None:
        with patch.object(recording, "BEGIN_S", 0.5):
            shot, machine = self.pulled(WHOLE, answers_start=False, starts=False)
        self.assertEqual((shot.state, shot.traces.time_s), ("incomplete", []))
        self.assertIn("The machine does not have this shot", shot.trouble or "")
        self.assertEqual(machine.given("start"), 1)

    def test_the_machine_hears_that_we_are_there(self) -> None:
        machine = self.machine(samples(4))
        number = begin_pull(self.context, self.request())
        wait_for(lambda: machine.beats >= 2, "two beats")
        give_order(self.context, number, OrderGiven(do="stop"))
        self.assertEqual(machine.given("stop"), 1)
        close_record(self.context, number)


class AnotherShot(OddMachine):
    def test_a_machine_that_was_restarted_ends_the_record_with_what_came(self) -> None:
        machine = self.machine(samples(30))
        machine.hangs_up = True
        number = begin_pull(self.context, self.request())
        wait_for(lambda: len(self.shot(number).traces.time_s) == 30, "samples")
        machine.shot = None
        shot = self.over(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("incomplete", 30))
        self.assertIn("it was restarted, or pulls another one", shot.trouble or "")

    def test_nothing_of_a_strangers_shot_is_taken_in(self) -> None:
        machine = self.machine(samples(30))
        machine.hangs_up = True
        number = begin_pull(self.context, self.request())
        wait_for(lambda: len(self.shot(number).traces.time_s) == 30, "samples")
        machine.said, machine.shot = samples(90, pressure_bar=2.0), "a stranger's"
        shot = self.over(number)
        self.assertEqual(set(shot.traces.pressure_bar), {6.0})


class WithoutEnd(OddMachine):
    def test_a_bad_line_again_and_again_ends_the_record(self) -> None:
        with patch.object(recording, "RECONNECT_S", 1.0):
            shot, _ = self.pulled([*samples(30), b"never a message\n"])
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("incomplete", 30))
        self.assertIn("no message", shot.trouble or "")

    def test_silence_after_the_start_ends_the_record(self) -> None:
        with (
            patch.object(line, "MUTE_S", 0.1),
            patch.object(line, "SILENCE_S", 0.1),
            patch.object(recording, "RECONNECT_S", 1.0),
        ):
            shot, _ = self.pulled([])
        self.assertEqual(shot.state, "incomplete")
        self.assertIn("says nothing of the shot", shot.trouble or "")

    def test_a_shot_that_never_ends_is_ended(self) -> None:
        with patch.object(recording, "LONGEST_S", 5.0):
            shot, _ = self.pulled(samples(200))
        self.assertEqual(shot.state, "incomplete")
        self.assertIn("did not end the shot within 5 s", shot.trouble or "")

    def test_a_shot_longer_and_heavier_than_any_plan_is_recorded_read_and_exchanged(self) -> None:
        """Six minutes at ten samples a second, and a pitcher on the scale."""
        long = spread(samples(3590, weight_g=1480.0), 0.1)
        shot, _ = self.pulled([*long, stop(3590, 359.0), end(3591)])
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("done", 3590))
        self.assertEqual((shot.yield_g, shot.shot_time_s), (1480.0, 359.0))
        document = read_document(self.context, shot.id)
        self.assertIsNotNone(document.logged().traces)
        back = traces_from_csv(write_traces(self.context, shot.id))
        self.assertEqual(back.time_s.size, 3590)

    def test_what_comes_after_the_longest_record_is_not_kept(self) -> None:
        shot, _ = self.pulled([*spread(samples(3700), 0.1), stop(3700, 370.0), end(3701)])
        self.assertEqual(shot.state, "incomplete")
        self.assertLessEqual(shot.traces.time_s[-1], LONGEST_S)
        self.assertIn("within 360 s", shot.trouble or "")
        read_document(self.context, shot.id)

    def test_a_stop_for_a_reason_nobody_knows_keeps_its_time(self) -> None:
        odd = stop(60, 3.0).replace(b"cup_g", b"the moon")
        shot, _ = self.pulled([*samples(60), odd, *samples(20, 61), end(81)])
        [stopped] = [one for one in shot.events if one.kind == "stopped"]
        self.assertEqual((stopped.time_s, stopped.reason), (3.0, None))
        self.assertEqual(shot.shot_time_s, 3.0)

    def test_a_record_is_closed_by_hand_and_the_pump_told_to_stop(self) -> None:
        machine = self.machine(samples(30))
        number = begin_pull(self.context, self.request())
        wait_for(lambda: len(self.shot(number).traces.time_s) == 30, "samples")
        close_record(self.context, number)
        shot = self.shot(number)
        self.assertEqual((shot.state, len(shot.traces.time_s)), ("incomplete", 30))
        self.assertEqual(shot.trouble, "The record was closed by hand.")
        self.assertEqual(machine.given("stop"), 1)


class OddReadings(OddMachine):
    def test_a_number_for_no_sensor_is_no_reading(self) -> None:
        said = [*samples(30), *samples(1, 30, pressure_bar=3.4e38, group_c=-999), *WHOLE[31:]]
        shot, _ = self.pulled(said)
        self.assertEqual(shot.state, "done")
        self.assertEqual((shot.traces.pressure_bar[30], shot.traces.group_c[30]), (None, None))
        self.assertEqual(shot.peak_pressure_bar, 6.0)

    def test_time_that_goes_backwards_is_left_out(self) -> None:
        said = [*samples(30), *samples(1, 30, t=0.2), *samples(1, 31, t=1.5), *WHOLE[32:]]
        shot, _ = self.pulled(said)
        times = shot.traces.time_s
        self.assertEqual(shot.state, "done")
        self.assertEqual((len(times), sorted(set(times))), (78, times))
