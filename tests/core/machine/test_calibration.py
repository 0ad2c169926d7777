"""Calibrations: known truths recovered within the error told, slips named, nonsense refused."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError

from vapocline.core.base.problems import Refused
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.core.machine.calibration import apply
from vapocline.core.machine.calibration.drift import drift
from vapocline.core.machine.calibration.fit import CalibrationFit, fitted
from vapocline.core.machine.calibration.measured import SUBJECT_OF, Calibration, MeasurementKind
from vapocline.core.machine.machine import HandLever, Machine, ValveAhead

MEASURED: TypeAdapter[Calibration] = TypeAdapter(Calibration)
TURNS = [0, 0.5, 1, 1.5, 2, 2.5, 3, 3.5]
VALVED = Machine(name="Valved", control=ValveAhead(pump_bar=9, turns=(0, 3), free_flow_ml_s=(0, 8)))


def free_flow(turns: float) -> float:
    """A needle's truth: slow to open, level in the end."""
    return 8 / (1 + np.exp(-2.6 * (turns - 1.5))) - 8 / (1 + np.exp(2.6 * 1.5))


def fit(what: str, rows: list[Any]) -> CalibrationFit:
    return fitted(MEASURED.validate_python({"what": what, "rows": rows}))


def valve_rows(seed: int, noise_g: float = 1.0, drift_by: float = 1.0) -> list[dict[str, float]]:
    dice = np.random.default_rng(seed)
    noise = [0 if turns == 0 else dice.normal(0, noise_g) for turns in TURNS]
    return [
        {"turns": turns, "seconds": 20, "water_g": max(0, 20 * drift_by * free_flow(turns) + off)}
        for turns, off in zip(TURNS, noise, strict=True)
    ]


class Valve(unittest.TestCase):
    def test_a_known_needle_is_recovered_within_the_error_told(self) -> None:
        for seed in range(8):
            found = fit("valve", valve_rows(seed))
            at = np.linspace(0.2, 3.3, 40)
            off = np.interp(at, found.curve_x, found.curve_y) - [free_flow(t) for t in at]
            self.assertLess(np.sqrt(np.mean(off**2)), found.error, f"seed {seed}")
            self.assertLess(found.error, 0.6)
            self.assertTrue((np.diff(found.curve_y) >= 0).all())

    def test_the_inverse_leads_back(self) -> None:
        found = fit("valve", valve_rows(1, noise_g=0))
        machine = apply.on_machine(VALVED, "valve", found)
        assert isinstance(machine.control, ValveAhead)
        turns = np.interp(3.0, machine.control.free_flow_ml_s, machine.control.turns)
        self.assertAlmostEqual(free_flow(float(turns)), 3.0, delta=0.15)
        self.assertTrue(any("2.0 mL/s at" in words for words in found.words))

    def test_a_slip_is_named_and_left_out(self) -> None:
        rows = valve_rows(2, noise_g=0.3)
        sound = fit("valve", rows)
        rows[5]["water_g"] = 45.0  # the cup was moved away too soon
        found = fit("valve", rows)
        self.assertEqual([i for i, point in enumerate(found.points) if point.outlier], [5])
        self.assertTrue(any("row 6" in words for words in found.words))
        away = np.abs(np.array(found.curve_y) - np.array(sound.curve_y))
        self.assertLess(away.max(), 0.5)

    def test_a_slip_among_six_is_distinguished_from_its_neighbours(self) -> None:
        grams = {0.5: 18, 1: 47, 1.5: 85, 2: 123, 2.5: 96, 3: 158}
        rows = [{"turns": t, "seconds": 20, "water_g": g} for t, g in grams.items()]
        found = fit("valve", rows)
        self.assertEqual([point.x for point in found.points if point.outlier], [2.5])

    def test_a_sound_run_has_no_slips(self) -> None:
        for seed in range(30):
            found = fit("valve", valve_rows(seed))
            self.assertFalse([p for p in found.points if p.outlier], f"seed {seed}")

    def test_repeats_at_one_position_are_averaged(self) -> None:
        rows = valve_rows(3, noise_g=0) + valve_rows(4, noise_g=0)
        turns = fit("valve", rows).gives["turns"]
        self.assertEqual(len(turns), len(set(turns)))

    def test_too_few_positions_and_falling_flow_are_refused_with_the_reason(self) -> None:
        for rows, words in (
            (valve_rows(1)[:1], "1 different position"),
            (valve_rows(1)[:2], "at least 3 positions"),
            (
                [
                    {"turns": turns, "seconds": 10, "water_g": grams}
                    for turns, grams in ((0.5, 10), (1, 40), (1.5, 22))
                ],
                "2.20 mL/s at 1.5 turns, less than 4.00 at 1",
            ),
            ([{"turns": t, "seconds": 10, "water_g": 0} for t in (0, 1, 2)], "no water at 1 turns"),
        ):
            with self.subTest(words), self.assertRaises(Refused) as caught:
                fit("valve", rows)
            self.assertIn(words, str(caught.exception))

    def test_it_belongs_to_a_machine_with_a_valve(self) -> None:
        with self.assertRaises(Refused):
            apply.on_machine(Machine(name="Plain"), "valve", fit("valve", valve_rows(1)))


class Gauges(unittest.TestCase):
    def test_a_dial_ahead_of_a_nozzle_is_turned_to_puck_pressure(self) -> None:
        dice = np.random.default_rng(5)
        rows = [
            {
                "dial_bar": puck + 0.3 + 0.12 * q**2 + dice.normal(0, 0.05),
                "puck_bar": puck,
                "flow_ml_s": q,
            }
            for puck, q in ((9, 0.5), (8, 1), (6, 2), (4, 3), (7, 1.5), (5, 2.5))
        ]
        found = fit("dial", rows)
        self.assertAlmostEqual(found.gives["dial_drop"][0], 0.12, delta=0.02)
        self.assertAlmostEqual(found.gives["dial_zero_bar"][0], 0.3, delta=0.15)
        self.assertLess(found.error, 0.15)
        machine = apply.on_machine(Machine(name="Dialled"), "dial", found)
        self.assertAlmostEqual(machine.dial_drop, 0.12, delta=0.02)

    def test_a_dial_at_one_flow_cannot_be_told_apart(self) -> None:
        with self.assertRaises(Refused):
            fit("dial", [{"dial_bar": 9, "puck_bar": 8, "flow_ml_s": 2}] * 4)

    def test_boiler_to_group_and_back(self) -> None:
        rows = [{"boiler_c": t, "group_c": 0.8 * t + 15 + off} for t, off in
                ((92, 0.2), (94, -0.2), (96, 0.1), (98, -0.1))]  # fmt: skip
        found = fit("group-temperature", rows)
        machine = apply.on_machine(Machine(name="Warm"), "group-temperature", found)
        self.assertAlmostEqual(apply.boiler_c(machine, 93) or 0, 97.5, delta=0.5)
        self.assertIsNone(apply.boiler_c(Machine(name="Unknown"), 93))
        with self.assertRaisesRegex(Refused, "warms with its boiler"):
            fit("group-temperature", [{"boiler_c": t, "group_c": 180 - t} for t in (90, 95, 100)])

    def test_a_reading_counts_by_how_well_its_probe_and_place_tell_the_water(self) -> None:
        good: dict[str, object] = {"probe": "thermocouple", "place": "in the stream"}
        bad: dict[str, object] = {"probe": "infrared", "place": "on the group"}
        line = [{"boiler_c": t, "group_c": 0.8 * t + 15} for t in (92, 94, 96, 98)]
        hot = [{"boiler_c": t, "group_c": 0.8 * t + 19} for t in (92, 94, 96, 98)]
        told = fit("group-temperature", [one | good for one in line] + [one | bad for one in hot])
        alike = fit("group-temperature", line + hot)
        at_95 = [found.gives["group_offset_c"][0] + 95 * found.gives["group_per_boiler"][0]
                 for found in (told, alike)]  # fmt: skip
        self.assertAlmostEqual(at_95[0], 0.8 * 95 + 15, delta=0.3)
        self.assertAlmostEqual(at_95[1], 0.8 * 95 + 17, delta=0.3)
        self.assertIn(
            "Infrared on the group: a reading counts 5 % of the best", " ".join(told.words)
        )
        self.assertNotIn("counts", " ".join(alike.words))
        with self.assertRaises(ValidationError):
            fit("group-temperature", [one | {"probe": "finger"} for one in line])


class Repeats(unittest.TestCase):
    def test_means_tell_their_spread_and_name_slips(self) -> None:
        found = fit("fill", [9.8, 10.4, 10.1, 9.9, 18.0])
        self.assertAlmostEqual(found.gives["head_free_ml"][0], 10.05, delta=0.1)
        self.assertTrue(found.points[4].outlier)
        self.assertTrue(any("18.00 mL" in words for words in found.words))

    def test_drips_crema_and_lag_set_their_numbers(self) -> None:
        drips = fit("after-drip", [{"at_stop_g": 34, "settled_g": s} for s in (35.4, 35.6, 35.5)])
        self.assertEqual(drips.gives, {"after_drip_g": [1.5]})
        crema = fit("crema", [{"glass_ml": 54, "yield_g": 36}, {"glass_ml": 51, "yield_g": 34}])
        self.assertEqual(apply.on_coffee(Coffee(name="Any"), crema).crema_ml_per_g, 0.5)
        lag = fit("scale-lag", [0.3, 0.35, 0.4])
        self.assertAlmostEqual(
            apply.on_machine(Machine(name="Any"), "scale-lag", lag).scale_lag_s, 0.35
        )

    def test_what_cannot_be_is_refused_by_row(self) -> None:
        for what, rows, field in (
            ("after-drip", [{"at_stop_g": 34, "settled_g": 33}] * 2, "rows.0.settled_g"),
            ("crema", [{"glass_ml": 30, "yield_g": 36}] * 2, "rows.0.glass_ml"),
            ("fill", [10.0], "rows"),
            ("dry-run", [], "rows"),
        ):
            with self.subTest(what), self.assertRaises(Refused) as caught:
                fit(what, rows)
            self.assertEqual(caught.exception.problems[0].field, field)


class GrindAndDryRun(unittest.TestCase):
    def test_grinder_points_give_sizes_and_relative_fineness(self) -> None:
        rows = [{"setting": s, "grind_um": 150 + 12 * s} for s in (8, 12, 20)]
        found = fit("grind", rows[::-1])
        grinder = Grinder(name="Any", settings=(0, 1), grind_um=(200, 300))
        self.assertEqual(apply.on_grinder(grinder, found).settings, (8, 12, 20))
        self.assertTrue(any("12.0 µm a number" in words for words in found.words))
        with self.assertRaises(Refused):
            fit("grind", [{"setting": s, "grind_um": g} for s, g in ((1, 300), (2, 250), (3, 320))])

    def test_a_late_stage_is_named(self) -> None:
        rows = [{"stage": "Fill", "planned_s": 0, "began_s": 0},
                {"stage": "Press", "planned_s": 6, "began_s": 7.4}]  # fmt: skip
        self.assertIn("Press +1.4 s", fit("dry-run", rows).words[0])
        rows[1]["began_s"] = 6.1
        self.assertIn("within 0.1 s", fit("dry-run", rows).words[0])


class Drifting(unittest.TestCase):
    def test_a_repeat_within_the_errors_is_no_drift_and_a_worn_needle_is(self) -> None:
        before = fit("valve", valve_rows(10))
        self.assertFalse(drift(before, fit("valve", valve_rows(11))).drifted)
        worn = drift(before, fit("valve", valve_rows(12, drift_by=1.35)))
        self.assertTrue(worn.drifted)
        self.assertGreater(worn.changed, 1)
        self.assertIn("It has drifted", worn.words)

    def test_means_drift_too(self) -> None:
        self.assertTrue(drift(fit("fill", [10, 10.2, 10.1]), fit("fill", [12, 12.1, 12.2])).drifted)
        self.assertFalse(drift(fit("fill", [10, 10.2]), fit("fill", [10.1, 10.3])).drifted)

    def test_every_kind_belongs_to_something(self) -> None:
        self.assertEqual(set(SUBJECT_OF), set(MeasurementKind.__args__))


class Impossible(unittest.TestCase):
    def test_machines_that_cannot_be_are_refused_by_field(self) -> None:
        lever = {"kind": "spring-lever", "springs": [{"top_bar": 14, "end_bar": 6}]}
        shut = {"kind": "valve", "pump_bar": 9, "turns": [0, 1], "free_flow_ml_s": [0, 0]}
        for changes, field in (
            ({"floor_bar": 4, "relief_bar": 3}, "floor_bar"),
            ({"pump_max_bar": 2, "floor_bar": 3}, "pump_max_bar"),
            ({"control": {"kind": "soft-start", "pump_bar": 12}}, "control.pump_bar"),
            ({"control": lever}, "control.springs"),
            ({"control": shut}, "control.free_flow_ml_s"),
            ({"control": None}, "control"),
            ({"control": {}}, "control"),
            ({"steps": {"pressure_bar": 0}}, "steps.pressure_bar"),
            ({"program": {"stages": 0}}, "program.stages"),
            ({"program": {"exits": ["hand"]}}, "program.exits"),
            ({"program": {"along": []}}, "program.along"),
        ):
            with self.subTest(field):
                problems = refusals({"name": "No"} | changes)
                self.assertIn(field, [problem.field for problem in problems])
                self.assertTrue(all(problem.accepted and problem.got for problem in problems))

    def test_a_hand_lever_needs_nothing_but_its_arm(self) -> None:
        self.assertEqual(refusals({"name": "Oar", "control": HandLever().written()}), [])


def refusals(document: dict[str, Any]) -> list[Any]:
    from pydantic import ValidationError

    from vapocline.core.base.problems import refused_by_pydantic

    try:
        Machine.model_validate(document)
    except ValidationError as error:
        return list(refused_by_pydantic(error).problems)
    return []


if __name__ == "__main__":
    unittest.main()
