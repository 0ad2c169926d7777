"""Figures and bindings, read off samples made by hand."""

from __future__ import annotations

import math
import unittest

import numpy as np

from tests.factories import flow, off, plan, pressure, profile, seconds
from vapocline.core.base.arrays import Floats
from vapocline.core.profile.profile import Limit, Profile
from vapocline.core.puck import columns
from vapocline.core.puck.binding import LIMITS, bindings_of, bound_in
from vapocline.core.puck.figures import figures_of, meeting_s
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.predict import predict, run
from vapocline.core.puck.program import program_of


def samples(count: int = 101, **traces: object) -> Floats:
    """Rows every 0.1 s; traces by their column's name, as a list or one value."""
    made = np.zeros((count, columns.SAMPLE_COLUMNS))
    made[:, columns.S_TIME] = np.arange(count) * 0.1
    for name, values in traces.items():
        made[:, getattr(columns, name)] = values
    return made


class Meeting(unittest.TestCase):
    def test_it_is_when_cup_out_first_comes_up_to_water_in(self) -> None:
        cup = np.linspace(0, 4, 101)
        self.assertAlmostEqual(meeting_s(samples(S_Q_IN=2.0, S_Q_CUP=cup), 1.0, 9.0), 4.8, places=6)

    def test_before_the_first_drip_and_after_the_stop_nothing_meets(self) -> None:
        together = samples(S_Q_IN=2.0, S_Q_CUP=2.0)
        self.assertAlmostEqual(meeting_s(together, 3.0, 9.0), 3.1, places=6)
        self.assertTrue(math.isnan(meeting_s(together, 9.5, 9.0)))

    def test_next_to_no_flow_is_no_meeting(self) -> None:
        self.assertTrue(math.isnan(meeting_s(samples(S_Q_IN=0.1, S_Q_CUP=0.1), 1.0, 9.0)))

    def test_flows_that_stay_apart_never_meet(self) -> None:
        self.assertTrue(math.isnan(meeting_s(samples(S_Q_IN=2.0, S_Q_CUP=1.0), 1.0, 9.0)))


def figures(one: Profile) -> object:
    setup = plan(pressure(9)).setup
    p, program = parameters_for(setup), program_of(one, setup.machine)
    state, rows = run(p, program)
    return figures_of(one, p, state, rows)


class PreInfusion(unittest.TestCase):
    def test_it_ends_where_the_first_phase_that_presses_begins(self) -> None:
        found = figures(
            profile(
                flow(4, None, seconds(3), kind="fill"),
                off(seconds(4), kind="bloom"),
                pressure(2, 9, seconds(2), kind="ramp", over=2),
                pressure(9),
            )
        )
        self.assertAlmostEqual(found.pre_infusion_end_s, 7.0, places=3)

    def test_a_shot_that_presses_from_the_start_has_none(self) -> None:
        self.assertTrue(math.isnan(figures(profile(pressure(9))).pre_infusion_end_s))

    def test_nor_one_that_never_presses(self) -> None:
        soak = profile(pressure(2, None, seconds(20), kind="pre-infusion"), cup_g=None)
        self.assertTrue(math.isnan(figures(soak).pre_infusion_end_s))


class NothingHappens(unittest.TestCase):
    def test_a_shot_that_never_drips_has_no_strength_and_no_first_drip(self) -> None:
        answer = predict(plan(flow(1, None, seconds(3)), cup_g=None))
        for name in ("first_drip_s", "tds_pct", "meet_s", "shot_time_from_first_drip_s"):
            self.assertIsNone(getattr(answer, name).value, name)
        self.assertIsNone(answer.classes.bright.value)
        self.assertEqual(answer.extraction_yield_pct.value, 0)
        self.assertEqual(answer.yield_g.value, 0)

    def test_a_pump_that_stays_off_moves_nothing(self) -> None:
        answer = predict(plan(off(seconds(5)), cup_g=None))
        self.assertEqual(max(answer.series.pressure_bar), 0)
        self.assertEqual(answer.water_in_ml.value, 0)


HELD = profile(pressure(9, limit=Limit(flow_ml_s=2)), flow(4, limit=Limit(pressure_bar=6)), flow(3))


class Bindings(unittest.TestCase):
    def rows(
        self, bit: int, *, phase: int = 0, seconds_long: float = 1.0, **traces: object
    ) -> Floats:
        made = samples(S_PHASE=phase, **traces)
        made[20 : 20 + round(seconds_long * 10) + 1, columns.S_BINDING] = bit
        return made

    def test_each_limit_is_reported_from_when_to_when_and_in_words(self) -> None:
        words = {
            "flow limit": "flow limit 2 mL/s holds it up to 1.5 bar under",
            "pump curve": "the pump gives all it can, up to 1.5 bar under",
            "relief valve": "the relief valve opens",
            "plumbed feed": "the plumbed feed pushes harder than commanded",
            "stroke": "the lever is up and presses no more",
            "soft start": "the pump is still coming up, up to 1.5 bar under",
        }
        for bit, what in LIMITS:
            if what == "pressure limit":
                continue
            with self.subTest(what):
                [found] = bindings_of(HELD, self.rows(bit, S_TARGET=9.0, S_P=7.5))
                self.assertEqual((found.what, found.from_s, found.to_s), (what, 2.0, 3.0))
                self.assertEqual(found.words, words[what])

    def test_a_pressure_limit_is_reported_in_the_flow_it_costs(self) -> None:
        rows = self.rows(columns.BINDS_PRESSURE_LIMIT, phase=1, S_TARGET=4.0, S_Q_IN=1.8)
        [found] = bindings_of(HELD, rows)
        self.assertEqual(found.words, "pressure limit 6 bar holds it up to 2.2 mL/s under")
        self.assertEqual(found.phase, 1)

    def test_a_limit_that_costs_nothing_is_as_commanded(self) -> None:
        rows = self.rows(columns.BINDS_FLOW_LIMIT, S_TARGET=9.0, S_P=8.99)
        self.assertEqual(
            bindings_of(HELD, rows)[0].words, "flow limit 2 mL/s holds it as commanded"
        )

    def test_short_touches_are_not_worth_a_word_but_count_among_the_tries(self) -> None:
        rows = self.rows(columns.BINDS_PUMP, seconds_long=0.2, phase=2)
        self.assertEqual(bindings_of(HELD, rows), [])
        self.assertEqual(bound_in(rows), {("pump curve", 2)})

    def test_two_limits_at_once_are_both_told_in_order_of_time(self) -> None:
        rows = self.rows(columns.BINDS_PUMP | columns.BINDS_FLOW_LIMIT, S_TARGET=9.0, S_P=8.0)
        rows[10:20, columns.S_BINDING] = columns.BINDS_FLOW_LIMIT
        self.assertEqual(
            [(one.what, one.from_s) for one in bindings_of(HELD, rows)],
            [("flow limit", 1.0), ("pump curve", 2.0)],
        )
