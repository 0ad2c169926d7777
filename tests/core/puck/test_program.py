"""A profile as the kernel's arrays: every choice in its place, every number of one type."""

from __future__ import annotations

import unittest
from typing import get_args

import numpy as np

from tests.core.puck.test_levers import HAND, LEVER, TWO
from tests.factories import STRONG, flow, off, phase, pressure, profile, seconds, valve
from vapocline.core.machine.machine import Machine, ValveAhead
from vapocline.core.profile.profile import (
    CupExit,
    Exit,
    FirstDripExit,
    FlowAboveExit,
    FlowBelowExit,
    ForceCommand,
    HandExit,
    Limit,
    PressureAboveExit,
    PressureBelowExit,
    SpringCommand,
    WaterExit,
)
from vapocline.core.puck.program import (
    ALONGS,
    CONTROLS,
    EXITS,
    SHAPES,
    STOP_CUP,
    STOP_HAND,
    STOP_PLAN,
    STOP_TIME,
    STOP_WATER,
    ended_on,
    program_of,
)

EVERY_EXIT: tuple[Exit, ...] = (
    PressureAboveExit(value=4),
    PressureBelowExit(value=3),
    FlowAboveExit(value=2),
    FlowBelowExit(value=1),
    WaterExit(value=30),
    seconds(20),
)


class Encoding(unittest.TestCase):
    def test_commands_moves_and_limits_stand_in_their_columns(self) -> None:
        found = program_of(
            profile(
                flow(4, limit=Limit(pressure_bar=6)),
                off(seconds(5)),
                pressure(3, 9, over=8, shape="smooth", along="cup", limit=Limit(flow_ml_s=2)),
            ),
            STRONG,
        )
        self.assertEqual([CONTROLS[code] for code in found.control], ["flow", "off", "pressure"])
        self.assertEqual(found.start.tolist(), [4, 0, 3])
        self.assertEqual(found.end.tolist(), [4, 0, 9])
        self.assertEqual(found.limit.tolist(), [6, np.inf, 2])
        self.assertEqual(found.over.tolist(), [0, 0, 8])
        self.assertEqual(SHAPES[found.shape[2]], "smooth")
        self.assertEqual(ALONGS[found.along[2]], "cup")

    def test_exits_stand_in_order_and_the_rest_of_the_row_is_empty(self) -> None:
        found = program_of(
            profile(
                pressure(9, None, *EVERY_EXIT),
                pressure(8, None, FirstDripExit(), HandExit(), CupExit(value=18), seconds(9)),
            ),
            STRONG,
        )
        names = [[EXITS[code] for code in row if code >= 0] for row in found.exit_when]
        self.assertEqual(names[0], [rule.when for rule in EVERY_EXIT])
        self.assertEqual(names[1], ["first_drip", "hand", "cup_g", "seconds"])
        self.assertEqual(found.exit_when[1, 4:].tolist(), [-1, -1])
        self.assertEqual(found.exit_value[1, :4].tolist(), [0, 0, 18, 9])

    def test_every_exit_a_profile_may_have_is_known_to_the_kernel(self) -> None:
        members = get_args(get_args(Exit)[0])
        whens = {member.model_fields["when"].default for member in members}
        self.assertEqual(whens, set(EXITS))

    def test_a_stop_that_is_not_given_never_comes(self) -> None:
        found = program_of(profile(pressure(9), cup_g=None), STRONG)
        self.assertEqual((found.stop_cup_g, found.stop_water_ml), (np.inf, np.inf))
        self.assertEqual(found.stop_time_s, 110)

    def test_a_springs_phase_is_a_move_along_the_water_of_its_stroke(self) -> None:
        found = program_of(profile(phase(SpringCommand(springs=2), seconds(60))), TWO)
        self.assertEqual((found.start[0], found.end[0]), (10.5, 5.0))
        self.assertEqual((found.over[0], found.stroke_ml[0]), (55, 55))
        self.assertEqual(ALONGS[found.along[0]], "water")
        alone = program_of(profile(phase(SpringCommand(), seconds(60))), LEVER)
        self.assertEqual((alone.start[0], alone.end[0]), (8.5, 4.0))

    def test_a_hands_force_becomes_bar(self) -> None:
        found = program_of(profile(phase(ForceCommand(from_=10, to=16), seconds(60), over=4)), HAND)
        self.assertEqual((found.start[0], found.end[0]), (5.0, 8.0))
        self.assertEqual((found.over[0], found.stroke_ml[0]), (4, 70))

    def test_a_valves_table_comes_from_the_machine(self) -> None:
        table = ValveAhead(pump_bar=9, turns=(0, 1, 2), free_flow_ml_s=(0, 2, 5))
        found = program_of(profile(valve(1.5)), Machine(name="V", control=table))
        self.assertEqual(found.valve_turns.tolist(), [0, 1, 2])
        self.assertEqual(found.valve_flow_ml_s.tolist(), [0, 2, 5])

    def test_all_columns_are_of_two_types_only(self) -> None:
        found = program_of(profile(pressure(9), off(seconds(3)), flow(2)), STRONG)
        for name, column in found._asdict().items():
            if isinstance(column, np.ndarray):
                self.assertIn(column.dtype, (np.float64, np.int64), name)
            else:
                self.assertIs(type(column), float, name)


class Endings(unittest.TestCase):
    def test_every_ending_has_its_written_name(self) -> None:
        self.assertEqual([ended_on(code) for code in range(len(EXITS))], list(EXITS))
        stops = (STOP_CUP, STOP_WATER, STOP_TIME, STOP_PLAN, STOP_HAND)
        names = ["cup_g", "water_ml", "time_s", "plan_end", "hand"]
        self.assertEqual([ended_on(code) for code in stops], names)
