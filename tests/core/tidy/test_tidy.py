"""A noisy recording becomes the profile it came from: how many phases, at which levels, when."""

from __future__ import annotations

import unittest

import numpy as np

from tests.factories import bloomed, flow, plan, pressure, seconds, until_cup, valve
from vapocline.core.base.problems import Refused
from vapocline.core.machine.check import machine_problems
from vapocline.core.machine.machine import (
    HandLever,
    Machine,
    Spring,
    SpringLever,
    StagedProgram,
    ValveAhead,
)
from vapocline.core.profile.check import profile_problems
from vapocline.core.profile.profile import FirstDripExit, Phase, PressureAboveExit
from vapocline.core.puck.predict import predict
from vapocline.core.shot.traces import Traces, cup_flow_ml_s
from vapocline.core.tidy.tidy import Tidied, TidyAsk, tidy

MACHINE = Machine(name="Sluice", relief_bar=10, top_flow_ml_s=8.5)


def recorded(
    *phases: Phase, seed: int = 1, machine: Machine = MACHINE
) -> tuple[Traces, float, float]:
    """A shot as gauges would have it: noise on pressure and flow, a scale in tenths."""
    shot = predict(plan(*phases, machine=machine))
    series, dice = shot.series, np.random.default_rng(seed)
    n = len(series.time_s)
    t, cup = np.array(series.time_s), np.round(np.array(series.cup_g), 1)
    water = np.array(series.water_in_ml_s)
    noisy = np.where(water > 0.02, water + 0.06 * dice.normal(size=n), 0.0)
    traces = Traces(
        time_s=t,
        pressure_bar=np.maximum(0.0, np.array(series.pressure_bar) + 0.05 * dice.normal(size=n)),
        water_in_ml_s=np.maximum(0.0, noisy),
        cup_out_ml_s=cup_flow_ml_s(t, cup),
        cup_g=cup,
        group_c=np.full(n, 93.0),
        commanded=np.full(n, np.nan),
        phase=np.array(series.phase, dtype=float),
        by_hand=np.full(n, np.nan),
    )
    return traces, shot.shot_time_s.value or 0.0, shot.cup_at_stop_g.value or 0.0


def tidied(*phases: Phase, machine: Machine = MACHINE, seed: int = 1, **ask: object) -> Tidied:
    traces, stop_s, cup_g = recorded(*phases, seed=seed, machine=machine)
    made = tidy(
        traces, machine, TidyAsk.model_validate(ask), name="Tidy", stop_s=stop_s, cup_g=cup_g
    )
    assert profile_problems(made.profile) == []
    assert machine_problems(made.profile, machine) == []
    return made


def spelled(made: Tidied) -> list[tuple[str, float, float]]:
    """Control and levels of each phase; nan for a rest."""
    found = []
    for phase in made.profile.phases:
        command = phase.command
        levels = (getattr(command, "from_", np.nan), getattr(command, "to", np.nan))
        found.append((command.control, *levels))
    return found


class Recovered(unittest.TestCase):
    """Within 0.3 bar and 0.6 s of the profile that made it, whatever the noise."""

    def ends(self, made: Tidied) -> list[float]:
        return [ending.at_s for ending in made.endings]

    def assert_levels(
        self, made: Tidied, wanted: list[tuple[str, float, float]], within: float = 0.3
    ) -> None:
        found = spelled(made)
        self.assertEqual([f[0] for f in found], [w[0] for w in wanted], made.profile)
        for (_c, *got), (_w, *want) in zip(found, wanted, strict=True):
            np.testing.assert_allclose(got, want, atol=within)

    def test_one_pressure_from_the_first_second_is_one_phase(self) -> None:
        for seed in (1, 2, 3):
            self.assert_levels(tidied(pressure(9), seed=seed), [("pressure", 9, 9)])

    def test_a_soak_until_the_first_drip_and_a_press(self) -> None:
        for seed in (1, 2, 3):
            made = tidied(pressure(3, None, FirstDripExit(), seconds(30)), pressure(9), seed=seed)
            self.assert_levels(made, [("pressure", 3, 3), ("pressure", 9, 9)])
            self.assertEqual(made.profile.phases[0].exits[0].when, "first_drip")
            self.assertIn("at the first drip", made.endings[0].words)

    def test_a_fill_a_ramp_a_hold_and_a_decline(self) -> None:
        for seed in (1, 2, 3):
            made = tidied(
                flow(4, None, PressureAboveExit(value=4), seconds(20)),
                pressure(4, 8.5, seconds(3), over=3),
                pressure(8.5, None, seconds(10)),
                pressure(8.5, 5, seconds(60), over=12),
                seed=seed,
            )
            self.assert_levels(
                made,
                [
                    ("flow", 4, 4),
                    ("pressure", 4, 8.5),
                    ("pressure", 8.5, 8.5),
                    ("pressure", 8.5, 8.5 - 3.5 * (made.time_s[-1] - 17.0) / 12),
                ],
            )
            self.assertEqual(made.profile.phases[0].exits[0].when, "pressure_above")
            np.testing.assert_allclose(self.ends(made), [4.0, 7.0, 17.0], atol=0.6)

    def test_a_rest_with_the_pump_off_becomes_one(self) -> None:
        made = tidied(*bloomed())
        controls = [phase.command.control for phase in made.profile.phases]
        self.assertEqual(controls.count("off"), 1)
        rest = next(p for p in made.profile.phases if p.command.control == "off")
        self.assertEqual(rest.kind, "bloom")
        self.assertAlmostEqual(rest.exits[0].value, 30, delta=0.7)  # type: ignore[union-attr]

    def test_a_change_at_a_round_weight_is_taken_as_one_by_weight(self) -> None:
        made = tidied(
            pressure(2, None, seconds(8)),
            pressure(6, None, until_cup(15), seconds(60)),
            pressure(9),
        )
        self.assert_levels(made, [("pressure", 2, 2), ("pressure", 6, 6), ("pressure", 9, 9)], 0.4)
        middle = made.profile.phases[1].exits[0]
        self.assertEqual((middle.when, getattr(middle, "value", None)), ("cup_g", 15))
        self.assertAlmostEqual(made.profile.phases[0].exits[0].value, 8, delta=0.6)  # type: ignore[union-attr]

    def test_told_in_flow_the_same_recording_is_flows(self) -> None:
        made = tidied(
            flow(4, None, PressureAboveExit(value=4), seconds(20)), flow(2.6), control="flow"
        )
        self.assert_levels(made, [("flow", 4, 4), ("flow", 2.6, 2.6)], 0.2)
        self.assertEqual(made.profile.phases[0].exits[0].when, "pressure_above")

    def test_a_valve_is_given_turns_and_a_lever_kilograms(self) -> None:
        needle = Machine(
            name="Needle",
            control=ValveAhead(pump_bar=9, turns=(0, 1, 2, 3), free_flow_ml_s=(0, 2.4, 6, 8)),
        )
        made = tidied(valve(0.6, seconds(9)), valve(1.6), machine=needle)
        self.assertEqual({p.command.control for p in made.profile.phases}, {"valve"})
        oar = Machine(name="Oar", control=HandLever(bar_per_kg=0.5))
        traces, stop_s, cup_g = recorded(pressure(6))
        made = tidy(traces, oar, TidyAsk(), name="T", stop_s=stop_s, cup_g=cup_g)
        self.assertEqual(made.unit, "kg")
        self.assertAlmostEqual(spelled(made)[-1][1], 12, delta=0.7)

    def test_what_a_hand_held_is_taken_as_it_was_held(self) -> None:
        traces, stop_s, cup_g = recorded(pressure(6))
        held = np.where(traces.time_s < 10, 8.0, 14.0)
        traces = Traces(**{**vars(traces), "by_hand": held})
        oar = Machine(name="Oar", control=HandLever(bar_per_kg=0.5))
        made = tidy(traces, oar, TidyAsk(), name="T", stop_s=stop_s, cup_g=cup_g)
        self.assertEqual([level for _c, level, _e in spelled(made)], [8, 14])

    def test_the_stop_is_the_weight_it_came_at(self) -> None:
        self.assertAlmostEqual(tidied(pressure(9)).profile.stop.cup_g or 0, 36, delta=0.6)


class Asked(unittest.TestCase):
    OVERSHOT = (
        flow(6, None, seconds(6)),
        pressure(6, None, seconds(12)),
        pressure(6, 4, seconds(40), over=10),
    )

    def test_a_wider_tolerance_never_takes_more_phases(self) -> None:
        counts = [
            len(tidied(*self.OVERSHOT, tolerance=t).profile.phases) for t in (0.15, 0.4, 1.0, 2.0)
        ]
        self.assertEqual(counts, sorted(counts, reverse=True))
        self.assertLess(counts[-1], counts[0])

    def test_the_tolerance_is_kept_for_nine_tenths_of_the_time(self) -> None:
        for tolerance in (0.3, 0.6):
            made = tidied(*self.OVERSHOT, tolerance=tolerance, flatten=False)
            self.assertLessEqual(made.within, 2.5 * tolerance)

    def test_an_overshoot_is_flattened_only_when_asked(self) -> None:
        choking = (flow(4, None, seconds(9)), pressure(5))
        kept = max(np.nanmax([a, b]) for _c, a, b in spelled(tidied(*choking, flatten=False)))
        flat = max(np.nanmax([a, b]) for _c, a, b in spelled(tidied(*choking, flatten=True)))
        self.assertLessEqual(flat, kept)

    def test_shifting_moves_levels_and_cuts_the_beginning(self) -> None:
        as_read, raised = tidied(pressure(6)), tidied(pressure(6), shift_level=0.5)
        self.assertAlmostEqual(spelled(raised)[0][1] - spelled(as_read)[0][1], 0.5, delta=0.11)
        two = (pressure(2, None, seconds(12)), pressure(8))
        whole, cut = tidied(*two, exits="seconds"), tidied(*two, exits="seconds", shift_s=2)
        first = [m.profile.phases[0].exits[0].value for m in (whole, cut)]  # type: ignore[union-attr]
        self.assertAlmostEqual(first[0] - first[1], 2, delta=0.4)

    def test_by_the_clock_every_phase_ends_in_seconds(self) -> None:
        made = tidied(pressure(3, None, FirstDripExit(), seconds(30)), pressure(9), exits="seconds")
        self.assertEqual({e.when for p in made.profile.phases for e in p.exits}, {"seconds"})

    def test_numbers_come_on_the_machines_steps(self) -> None:
        coarse = MACHINE.model_copy(
            update={"steps": MACHINE.steps.model_copy(update={"pressure_bar": 0.5, "seconds": 0.5})}
        )
        made = tidied(
            pressure(3.2, None, seconds(9)), pressure(8.3), machine=coarse, exits="seconds"
        )
        for _control, start, end in spelled(made):
            self.assertAlmostEqual((start * 2) % 1, 0)
            self.assertAlmostEqual((end * 2) % 1, 0)


class Refusing(unittest.TestCase):
    def test_too_short_a_recording(self) -> None:
        traces, _stop, _cup = recorded(pressure(9))
        with self.assertRaisesRegex(Refused, "a recording of 2 s or more"):
            tidy(traces, MACHINE, TidyAsk(), name="T", stop_s=1.0)

    def test_a_control_the_machine_has_not(self) -> None:
        with self.assertRaisesRegex(Refused, "control: got 'valve'; takes pressure, flow"):
            tidied(pressure(9), control="valve")

    def test_a_machine_that_is_given_no_level(self) -> None:
        traces, stop_s, _cup = recorded(pressure(9))
        sprung = Machine(name="S", control=SpringLever(springs=(Spring(top_bar=8, end_bar=4),)))
        with self.assertRaisesRegex(Refused, "whose level can be set"):
            tidy(traces, sprung, TidyAsk(), name="T", stop_s=stop_s)

    def test_more_stages_than_the_machine_has(self) -> None:
        few = Machine(name="Few", relief_bar=10, control=StagedProgram())
        few = few.model_copy(update={"program": few.program.model_copy(update={"stages": 2})})
        traces, stop_s, cup_g = recorded(
            pressure(2, None, seconds(8)), pressure(5, None, seconds(8)), pressure(9)
        )
        with self.assertRaisesRegex(Refused, "at most 2 on Few: a wider tolerance"):
            tidy(traces, few, TidyAsk(), name="T", stop_s=stop_s, cup_g=cup_g)
