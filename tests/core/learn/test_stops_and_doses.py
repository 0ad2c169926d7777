"""What a machine's stops, a grinder's doses and the last forecasts say of the next ones."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from vapocline.core.learn.doses import doses_of
from vapocline.core.learn.drift import drift_of
from vapocline.core.learn.overshoot import SeenStop, overshoot_of


def stops(
    *, base_g: float, per_s: float, hand_s: float | None = None, count: int = 12
) -> list[SeenStop]:
    rng = np.random.default_rng(3)
    flows = np.linspace(0.8, 3.2, count)
    return [
        SeenStop(float(flow), base_g + per_s * float(flow) + float(rng.normal(0, 0.1)), hand_s)
        for flow in flows
    ]


class Overshoots(unittest.TestCase):
    def test_the_line_through_a_machines_stops_is_found(self) -> None:
        found = overshoot_of(stops(base_g=0.6, per_s=0.9))
        assert found
        for flow in (1.0, 2.0, 3.0):
            self.assertAlmostEqual(found.at(flow), 0.6 + 0.9 * flow, delta=0.2)
        self.assertLess(found.spread_g, 0.2)

    def test_a_knock_counts_for_nothing(self) -> None:
        sound = stops(base_g=0.6, per_s=0.9)
        knocked = overshoot_of([*sound, SeenStop(2.0, 8.0)])
        assert knocked
        self.assertEqual(knocked.stops, len(sound))
        self.assertAlmostEqual(knocked.at(2.0), 2.4, delta=0.2)

    def test_fewer_than_three_stops_say_nothing(self) -> None:
        self.assertIsNone(overshoot_of(stops(base_g=0.6, per_s=0.9, count=2)))

    def test_few_stops_lean_on_what_was_calibrated(self) -> None:
        few = stops(base_g=0.3, per_s=0.5, count=3)
        plain, calibrated = overshoot_of(few), overshoot_of(few, 2.5)
        assert plain
        assert calibrated
        self.assertGreater(calibrated.at(2.0), plain.at(2.0))

    def test_a_hands_delay_is_told_apart_from_the_drips(self) -> None:
        found = overshoot_of(stops(base_g=0.6, per_s=0.9, hand_s=0.7))
        assert found
        self.assertAlmostEqual(found.hand_s or 0, 0.7, delta=0.1)
        self.assertAlmostEqual(found.at(2.0, by_hand=True) - found.at(2.0), 1.4, delta=0.2)

    @settings(derandomize=True, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(
        st.lists(st.builds(SeenStop, st.floats(-1, 8), st.floats(-50, 50), st.none()), max_size=9)
    )
    def test_whatever_the_stops_nothing_flows_back_out_of_the_cup(
        self, seen: list[SeenStop]
    ) -> None:
        found = overshoot_of(seen)
        if found is not None:
            self.assertGreaterEqual(found.at(0.0), 0.0)
            self.assertLess(found.at(3.0), 60)


class DosesWeighed(unittest.TestCase):
    def test_mean_and_spread_are_those_of_the_doses_without_a_botched_one(self) -> None:
        offs = [0.1, 0.0, 0.2, 0.1, 0.15, 0.05, 0.1, 3.0]
        found = doses_of(offs)
        assert found
        self.assertAlmostEqual(found.off_g, 0.1, delta=0.02)
        self.assertLess(found.sd_g, 0.12)
        self.assertTrue(found.far(3.0))
        self.assertFalse(found.far(0.2))
        self.assertIsNone(found.drift_g)

    def test_a_drift_is_told_and_chance_is_not(self) -> None:
        rng = np.random.default_rng(5)
        steady = [float(one) for one in rng.normal(0, 0.1, 20)]
        drifting = [off + 0.03 * at for at, off in enumerate(steady)]
        found, none = doses_of(drifting), doses_of(steady)
        assert found
        assert none
        self.assertAlmostEqual(found.drift_g or 0, 0.3, delta=0.12)
        self.assertIsNone(none.drift_g)

    def test_four_doses_say_nothing(self) -> None:
        self.assertIsNone(doses_of([0.0, 0.1, 0.0, 0.1]))


class Drifts(unittest.TestCase):
    def test_three_slow_shots_in_a_row_are_told(self) -> None:
        shots = [(30.0, 27.0, 33.0, 29.8), *((30.0, 27.0, 33.0, 34.0),) * 3]
        found = drift_of(shots)
        assert found
        self.assertEqual((found.shots, found.slower), (3, True))
        self.assertAlmostEqual(found.time_pct, 13.3, delta=0.1)

    def test_two_or_small_or_mixed_ones_are_not(self) -> None:
        far, near, fast = (
            (30.0, 27.0, 33.0, 34.0),
            (30.0, 27.0, 33.0, 30.5),
            (30.0, 27.0, 33.0, 25.0),
        )
        for shots in ([], [far, far], [near] * 5, [far, fast, far, far]):
            with self.subTest(shots=len(shots)):
                self.assertIsNone(drift_of(shots))
