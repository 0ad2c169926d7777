"""Moves and rules: every rule fires on its trigger alone, no candidate is outside what the machine
takes, own cups move the order."""

from __future__ import annotations

import unittest
from functools import cache
from itertools import product

import numpy as np

from tests.core.read.recordings import styled
from tests.marks import examples, more_cases, some_of
from vapocline.core.advise.candidates import Candidate, candidates_for
from vapocline.core.advise.evidence import LineMoved, Tried, moved_line
from vapocline.core.advise.moves import MOVE, MOVES, Before
from vapocline.core.advise.rules import NOBODY_AGAINST, RULES, TRIGGERS, Trigger, rules_for
from vapocline.core.advise.weighing import LineOffTarget, weighed
from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import (
    BothLoops,
    FlowLoop,
    HandLever,
    Machine,
    PressureLoop,
    SoftStart,
    ValveAhead,
)
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import fit
from vapocline.core.profile.check import profile_problems
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import Line

KEYS = ("steady-nine", "soak-then-press", "bloom", "hard-start-falling", "level-flow")


@cache
def before(key: str) -> Before:
    plan = styled(key).model_copy(update={"members": 1})
    return Before(plan, predict(plan))


@cache
def for_bitter(key: str = "soak-then-press") -> tuple[Candidate, ...]:
    return tuple(candidates_for(styled(key), ["too bitter"]))


class Moves(unittest.TestCase):
    def test_each_changes_some_plan_and_leaves_the_given_one_alone(self) -> None:
        for move in MOVES:
            with self.subTest(move.key):
                made = []
                for key in KEYS:
                    was = before(key).plan.model_dump_json()
                    plan = move.change(before(key))
                    self.assertEqual(before(key).plan.model_dump_json(), was)
                    made += [] if plan is None or plan == before(key).plan else [plan]
                self.assertTrue(made, "it has a place in no style")

    def test_opposites_name_each_other(self) -> None:
        for move in MOVES:
            if move.opposite is not None:
                self.assertEqual(MOVE[move.opposite].opposite, move.key)

    def test_they_do_what_they_say(self) -> None:
        here = before("soak-then-press")
        for key, figure, sign in (
            ("finer", "shot_time_s", +1), ("coarser", "shot_time_s", -1),
            ("longer_drink", "yield_g", +1), ("shorter_drink", "yield_g", -1),
            ("warmer", "extraction_yield_pct", +1), ("longer_soak", "first_drip_s", 0),
            ("lower_peak", "peak_pressure_bar", -1), ("higher_peak", "peak_pressure_bar", +1),
        ):  # fmt: skip
            with self.subTest(key):
                plan = MOVE[key].change(here)
                assert plan
                was = getattr(here.shot, figure).value
                change = (getattr(predict(plan), figure).value or 0) - (was or 0)
                self.assertGreaterEqual(change * sign, 0 if sign == 0 else 0.05)

    def test_a_soak_is_added_where_there_is_none(self) -> None:
        plan = MOVE["longer_soak"].change(before("steady-nine"))
        assert plan
        self.assertEqual(
            [phase.kind for phase in plan.profile.phases],
            ["fill", "pre-infusion", "ramp", "hold"],
        )
        self.assertIsNone(MOVE["shorter_soak"].change(before("steady-nine")))


class Rules(unittest.TestCase):
    def test_every_rule_names_a_move_and_a_trigger_and_fires_on_it_alone(self) -> None:
        self.assertEqual({rule.trigger for rule in RULES}, set(TRIGGERS))
        self.assertLessEqual({rule.move for rule in RULES}, set(MOVE))
        for rule in RULES:
            with self.subTest(trigger=rule.trigger, move=rule.move):
                self.assertIn(rule, rules_for(frozenset({rule.trigger})))
                others = frozenset(set(TRIGGERS) - {rule.trigger})
                self.assertNotIn(rule, rules_for(others))
                self.assertTrue(rule.reason.endswith("."))
                self.assertLessEqual(set(rule.promise.values()), {-1, 1})

    def test_no_school_says_the_same_twice(self) -> None:
        said = [(rule.trigger, rule.move, rule.school) for rule in RULES]
        self.assertEqual(len(said), len(set(said)))

    def test_no_move_is_promised_to_move_a_line_both_ways(self) -> None:
        ways: dict[tuple[str, str], set[int]] = {}
        for rule in RULES:
            for line, way in rule.promise.items():
                ways.setdefault((rule.move, line), set()).add(way)
        self.assertEqual([of for of, signs in ways.items() if len(signs) > 1], [])

    def test_schools_that_contradict_each_other_are_both_there(self) -> None:
        moves = {rule.move for rule in rules_for(frozenset({"very fresh"}))}
        self.assertLessEqual({"lower_peak", "higher_peak"}, moves)


class Candidates(unittest.TestCase):
    def test_each_says_what_it_changes_by_whom_and_what_the_model_answers(self) -> None:
        found = {one.move: one for one in for_bitter()}
        self.assertIn("cooler", found)
        self.assertEqual(found["cooler"].details, "water 93 to 92 °C")
        self.assertLess(found["cooler"].steps["bitterness"], 0)
        [voice] = found["cooler"].voices
        self.assertEqual((voice.promise["bitterness"], voice.trigger), (-1, "too bitter"))
        self.assertGreater(found["coarser"].purge_g, 0)
        for one in found.values():
            with self.subTest(one.move):
                self.assertTrue(one.details)
                self.assertGreater(len(one.after.time_s), 20)
                self.assertNotEqual(one.before, one.after)

    def test_a_rule_that_nobody_speaks_against_says_so(self) -> None:
        found = candidates_for(styled("soak-then-press"), ["thin"])
        alone = {
            (one.move, one.school) for one in RULES if not one.against and one.trigger == "thin"
        }
        said = {voice.against for one in found for voice in one.voices
                if (one.move, voice.school) in alone}  # fmt: skip
        self.assertEqual(said, {NOBODY_AGAINST})

    @more_cases
    def test_none_is_outside_what_the_machine_takes(self) -> None:
        every: list[Trigger] = list(TRIGGERS)
        found = 0
        kinds = (
            BothLoops(), PressureLoop(), FlowLoop(), HandLever(), SoftStart(),
            ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 2.4, 6, 8)),
        )  # fmt: skip
        for control, style in some_of(product(kinds, STYLES[:4]), 7):
            machine = Machine(name="Any", control=control)
            plan = self.fitted(style.key, machine)
            if plan is None:
                continue
            for candidate in candidates_for(plan, every):
                found += 1
                with self.subTest(machine=control.kind, style=style.key, move=candidate.move):
                    self.assertEqual(machine_problems(candidate.plan.profile, machine), [])
                    self.assertEqual(profile_problems(candidate.plan.profile), [])
                    self.assertNotEqual(candidate.plan, plan)
        self.assertGreater(found, 40)

    def fitted(self, key: str, machine: Machine) -> Plan | None:
        style = next(one for one in STYLES if one.key == key)
        try:
            found = fit(style, Setup(dose_g=18, machine=machine), 36)
        except Refused:  # a style that this machine cannot run
            return None
        return Plan(setup=found.setup, profile=found.profile, members=1)

    def test_moves_that_several_triggers_ask_for_come_once_with_all_their_voices(self) -> None:
        found = candidates_for(styled("soak-then-press"), ["too bitter", "too dry"])
        self.assertEqual(len({one.move for one in found}), len(found))
        coarser = next(one for one in found if one.move == "coarser")
        self.assertEqual({v.trigger for v in coarser.voices}, {"too bitter", "too dry"})


def moved(move: str | None, steps: float, plan: Plan | None = None) -> Tried:
    """A change of bitterness by so many noticeable steps, from one pull to another."""
    nothing = HouseSpreads()
    points = steps * nothing.noticeable_points("Ines", "bitterness")
    lines: dict[Line, LineMoved] = {
        "bitterness": moved_line({"Ines": points}, "bitterness", nothing)
    }
    return Tried(move, lines, plan)


class Weighing(unittest.TestCase):
    aims = (LineOffTarget("bitterness", -2.0),)

    def order(self, *tried: Tried) -> list[str]:
        return [one.candidate.move for one in weighed(for_bitter(), self.aims, tried)]

    def test_own_cups_move_the_order(self) -> None:
        plain = self.order()
        last, first = plain[-1], plain[0]
        helped = self.order(*(moved(last, -2.5),) * 3)
        self.assertLess(helped.index(last), plain.index(last))
        failed = self.order(*(moved(first, +1.5),) * 3)
        self.assertEqual(failed[-1], first)

    def test_what_was_tried_the_other_way_round_speaks_too(self) -> None:
        found = weighed(for_bitter(), self.aims, [moved("finer", +2.0)] * 2)
        coarser = next(one for one in found if one.candidate.move == "coarser")
        self.assertEqual((coarser.pulls_for, coarser.pulls_against), (2, 0))

    def test_a_move_that_probably_does_not_help_sinks_and_says_so(self) -> None:
        found = weighed(for_bitter(), self.aims, [moved("cooler", +1.5)] * 3)
        self.assertEqual(found[-1].candidate.move, "cooler")
        self.assertTrue(found[-1].failed)
        self.assertGreater(found[-1].chance_further or 0, 0.75)
        once = weighed(for_bitter(), self.aims, [moved("cooler", +1.0)])
        self.assertFalse(any(one.failed for one in once), "one pair of cups is no failure")

    @more_cases
    def test_where_a_change_does_nothing_it_is_called_no_help_at_most_once_in_twenty(self) -> None:
        draw, failed, runs = np.random.default_rng(4), 0, examples(400)
        for _ in range(runs):
            steps = [float(np.diff(draw.normal(0, 1.7, 2).round())[0]) / 2 for _ in range(3)]
            found = weighed(for_bitter(), self.aims, [moved("cooler", step) for step in steps])
            failed += any(one.failed for one in found)
        self.assertLessEqual(failed / runs, 0.05)

    def test_a_recipe_that_was_tasted_and_no_better_sinks_at_once(self) -> None:
        cooler = next(one for one in for_bitter() if one.move == "cooler")
        for plan, failed in ((cooler.plan, True), (None, False)):
            tried = [moved(None if plan else "cooler", +0.5, plan)]
            found = weighed(for_bitter(), self.aims, tried)
            weighing = next(one for one in found if one.candidate.move == "cooler")
            self.assertEqual((weighing.failed, weighing.pulls_against), (failed, 1))

    def test_what_leads_a_line_away_from_its_target_ranks_lower(self) -> None:
        def rank(near: tuple[LineOffTarget, ...]) -> float:
            found = weighed(for_bitter(), self.aims, (), near)
            return next(one.rank for one in found if one.candidate.move == "shorter_drink")

        thicker = rank((LineOffTarget("body", +0.9),))
        self.assertGreater(thicker, rank(()))
        self.assertLess(rank((LineOffTarget("body", -0.9),)), thicker)

    def test_a_small_change_takes_more_cups_to_see_than_a_large_one(self) -> None:
        small = weighed(for_bitter(), self.aims, [moved("cooler", -0.3)] * 9)
        large = weighed(for_bitter(), self.aims, [moved("cooler", -1.8)] * 9)
        cups = [
            next(one.cups_to_see for one in found if one.candidate.move == "cooler")
            for found in (small, large)
        ]
        self.assertGreater(cups[0] or 99, cups[1] or 99)
        self.assertEqual(cups[1], 1)
