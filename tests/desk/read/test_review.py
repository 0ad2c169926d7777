"""A finished shot against its plan, through the desk."""

from __future__ import annotations

from tests.desk.pull.test_pull import LONG, AtBench
from tests.factories import pressure, profile, seconds
from tests.parts import wait_for
from vapocline.core.base.problems import ConflictError, DeviceError
from vapocline.core.machine.machine import HandLever, Machine, Spring, SpringLever
from vapocline.core.profile.profile import ForceCommand, Phase, SpringCommand
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.pull.start import begin_pull, pull
from vapocline.desk.read.review import review_shot
from vapocline.desk.read.strength import read_strength
from vapocline.desk.shelf.machines import add_machine


class LookingBack(AtBench):
    speed = 6.0
    instruments = True

    def test_what_was_done_in_flight_is_offered_as_the_next_version(self) -> None:
        request = self.request(profile(pressure(8, name="Press"), cup_g=25))
        number = self.running(request, 100)
        self.order(number, do="nudge", by=-1.0)
        shot = self.over(number)
        after = review_shot(self.context, shot.id)
        assert after.correction
        self.assertEqual(after.correction.newest, 1)
        self.assertTrue(after.correction.runs)
        self.assertEqual(
            [p.name for p in after.correction.profile.phases], ["Press", "Press, nudged"]
        )
        self.assertTrue(after.refractometer)

    def test_a_shot_left_alone_offers_nothing(self) -> None:
        after = review_shot(self.context, pull(self.context, self.request()))
        self.assertIsNone(after.correction)
        self.assertEqual([line.what for line in after.phases], ["Fill", "Press"])

    def test_while_it_runs_there_is_nothing_to_look_back_on(self) -> None:
        number = self.running(self.request(LONG))
        with self.assertRaisesRegex(ConflictError, "still runs"):
            review_shot(self.context, number)
        self.order(number, do="stop")
        self.over(number)

    def test_the_refractometer_is_asked_for_the_newest_cup_only(self) -> None:
        request = self.request()
        first, second = (pull(self.context, request) for _ in range(2))
        read = read_strength(self.context, second)
        self.assertAlmostEqual(read.tds_pct or 0, 11, delta=4)
        self.assertIsNotNone(read.extraction_yield_pct)
        with self.assertRaisesRegex(DeviceError, "is gone"):
            read_strength(self.context, first)

    def test_a_spring_lever_by_hand_waits_for_each_step(self) -> None:
        sprung = add_machine(
            self.context,
            Machine(name="Gull", control=SpringLever(springs=(Spring(top_bar=8, end_bar=4),))),
        )
        change_bench(self.context, BenchChange(machine_id=sprung.id))
        steps = profile(
            pressure(1, None, seconds(5), name="Draw"),
            Phase(name="Go", kind="decline", command=SpringCommand(), exits=(seconds(60),)),
        )
        number = self.running(self.request(steps), 160)
        self.assertEqual(self.told(number).count("phase_began"), 1)
        self.order(number, do="next")
        wait_for(lambda: self.told(number).count("phase_began") == 2, "the release")
        self.order(number, do="stop")
        shot = self.over(number)
        self.assertTrue(shot.manual)
        self.assertEqual(shot.cues[0].say, "Draw the lever down")

    def test_a_lever_by_hand_is_scored_and_repeats_are_reported(self) -> None:
        lever = add_machine(self.context, Machine(name="Oar 2", control=HandLever(bar_per_kg=0.5)))
        change_bench(self.context, BenchChange(machine_id=lever.id))
        pressed = Phase(
            name="Press", kind="hold", command=ForceCommand(from_=12, to=12), exits=(seconds(60),)
        )
        request = self.request(profile(pressed))
        for kilograms in (12, 11):
            number = begin_pull(self.context, request)
            self.order(number, do="level", level=kilograms)
            wait_for(lambda n=number: len(self.shot(n).traces.time_s) > 200, "ten seconds")
            self.order(number, do="stop")
            self.over(number)
        found = review_shot(self.context, number).followed
        assert found
        self.assertEqual(found.pulls, 2)
        self.assertTrue(0.35 < found.off < 5, found.words)  # and what it took to get there
        self.assertEqual(found.unit, "bar")
        self.assertIsNotNone(found.repeats_within)
