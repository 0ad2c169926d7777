"""The sample world, whole: every view has something to show, and learning pays."""

from __future__ import annotations

import contextlib
import unittest
from typing import ClassVar

from tests.marks import exhaustive
from tests.parts import MEMBERS, context_on_fresh_database, fresh_database, sample_world
from vapocline.cli.serving import DEMO_SEED
from vapocline.demo.profiles import design_for_pressure
from vapocline.demo.things import WATERS, settle_in
from vapocline.demo.weeks import FORTNIGHT, LAST_DAYS, THIS_HOUR
from vapocline.demo.world import build
from vapocline.desk.context import Context, Simulators, open_resources
from vapocline.desk.learn.learning import learn_together
from vapocline.desk.learn.taught import Three, list_together, read_taught
from vapocline.desk.next.next import read_next
from vapocline.desk.plan.profiles import list_profiles
from vapocline.desk.read.reading import read_reading
from vapocline.desk.read.shots import list_shots
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.shelf.waters import list_waters
from vapocline.desk.taste.sessions import list_sessions, list_tasters
from vapocline.desk.trail.trail import TrailQuery, read_trail
from vapocline.runtime.simulators import simulators

EVERY_PULL = (*FORTNIGHT, *LAST_DAYS, *THIS_HOUR)


class CutShort(unittest.TestCase):
    def test_what_was_set_up_before_a_start_was_cut_short_is_not_set_up_again(self) -> None:
        with context_on_fresh_database(template=sample_world()) as context:
            for _ in range(2):
                settle_in(context)
                design_for_pressure(context)
            self.assertEqual(len(list_waters(context)), len(WATERS))
            names = [line.name for line in list_profiles(context)]
            self.assertEqual(len(names), len(set(names)))


@exhaustive
class WholeWorld(unittest.TestCase):
    context: ClassVar[Context]
    said: ClassVar[list[str]]

    @classmethod
    def setUpClass(cls) -> None:
        stack = contextlib.ExitStack()
        cls.addClassCleanup(stack.close)
        # Its pucks differ as they do in life: the calm ones of other tests teach nothing.
        quick = stack.enter_context(simulators(seed=DEMO_SEED, speed=0))
        devices = Simulators(quick.machine, refractometer=quick.refractometer)
        resources = stack.enter_context(
            contextlib.closing(open_resources(fresh_database(), devices, members=MEMBERS))
        )
        cls.said = []
        cls.context = build(resources, cls.said.append)

    def test_learning_halves_the_error_on_shots_left_out_of_each_coffee_and_more(self) -> None:
        """Three coffees, two machines, two grinders, fifteen shots of each or more."""
        together = [
            line
            for coffee in list_coffees(self.context)
            for line in list_together(self.context, "coffee", coffee.id)
        ]
        self.assertEqual(len({line.coffee for line in together}), 3)
        self.assertEqual(len({line.machine for line in together}), 2)
        self.assertEqual(len({line.grinder for line in together}), 2)
        for line in together:
            with self.subTest(coffee=line.coffee):
                self.assertGreaterEqual(line.shots, 15)
                of = Three(line.coffee_id, line.grinder_id, line.machine_id)
                learn_together(self.context.resources, of)
                taught = read_taught(self.context, of)
                assert taught.newest is not None
                assert taught.held_out is not None
                self.assertTrue(taught.newest.used)
                learnt, without = taught.held_out.time_pct, taught.rivals["nothing"].time_pct
                assert learnt is not None
                assert without is not None
                self.assertLessEqual(learnt, without / 2)

    def test_the_newest_shot_has_a_finding_and_several_changes_that_answer_it(self) -> None:
        [newest] = list_shots(self.context, limit=1)
        findings = read_reading(self.context, newest.id).reading.findings
        self.assertTrue(findings)
        self.assertGreaterEqual(len(read_next(self.context, newest.id).changes), 3)

    def test_four_people_tasted_six_times_and_more(self) -> None:
        sessions = list_sessions(self.context)
        self.assertGreaterEqual(len(sessions), 6)
        self.assertEqual({line.state for line in sessions}, {"closed"})
        people = {"Ines", "Teodor", "Odile", "Bram"}
        self.assertLessEqual(people, set(list_tasters(self.context)))

    def test_the_house_coffee_has_a_trail_with_branches_and_settled_expectations(self) -> None:
        house = next(one for one in list_coffees(self.context) if one.name == "Ferrow Hill")
        nodes = read_trail(self.context, house.id, TrailQuery(limit=100)).nodes
        self.assertGreaterEqual(max(node.lane for node in nodes), 2)
        outcomes = [node.settled.outcome for node in nodes if node.settled is not None]
        self.assertGreaterEqual(len(outcomes), 2)

    def test_nothing_is_made_again_at_the_next_start(self) -> None:
        sessions = len(list_sessions(self.context, limit=100))
        build(self.context.resources, self.said.append)
        self.assertEqual(len(list_shots(self.context)), len(EVERY_PULL))
        self.assertEqual(len(list_sessions(self.context, limit=100)), sessions)
