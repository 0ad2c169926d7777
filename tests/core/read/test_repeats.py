"""A shot among its repeats: aligned, banded, and how far they spread."""

from __future__ import annotations

import unittest

from tests.core.read.recordings import recording, styled
from vapocline.core.puck.predict import predict
from vapocline.core.read.repeats import (
    Pull,
    band_of,
    moment_s,
    repeatability,
    within_forecast_pct,
)
from vapocline.core.shot.result import result_of

PLAN = styled("steady-nine")


def pull(seed: int, tds_pct: float | None = None) -> Pull:
    one = recording(PLAN, seed)
    result = result_of(one.traces, stop_s=one.stop_s, dose_g=18)
    extracted = None if tds_pct is None else tds_pct * (result.yield_g or 0) / 18
    return Pull(
        traces=one.traces,
        shot_time_s=one.stop_s,
        first_drip_s=result.first_drip_s,
        full_pressure_s=result.full_pressure_s,
        yield_g=result.yield_g,
        peak_pressure_bar=result.peak_pressure_bar,
        tds_pct=tds_pct,
        extraction_yield_pct=extracted,
    )


class Repeats(unittest.TestCase):
    def test_a_band_holds_its_middle_and_needs_two_pulls(self) -> None:
        this, others = pull(1), [pull(seed) for seed in range(2, 7)]
        band = band_of(this, others, "pump_on")
        assert band
        self.assertEqual(band.pulls, 5)
        at = band.time_s.index(15.0)
        low, high = band.low["pressure_bar"][at], band.high["pressure_bar"][at]
        assert low is not None
        assert high is not None
        self.assertLess(low, 9)
        self.assertGreater(high, 9)
        self.assertIsNone(band_of(this, others[:1], "pump_on"))

    def test_aligned_on_the_first_drip_the_cups_lie_closer(self) -> None:
        this, others = pull(1), [pull(seed) for seed in range(2, 9)]

        def spread(alignment: str) -> float:
            band = band_of(this, others, alignment)  # type: ignore[arg-type]
            assert band
            at = min(range(len(band.time_s)), key=lambda i: abs(band.time_s[i] - 13))
            return (band.high["cup_g"][at] or 0) - (band.low["cup_g"][at] or 0)

        self.assertLess(spread("first_drip"), spread("pump_on"))

    def test_a_moment_that_never_came_aligns_nothing(self) -> None:
        lost = pull(1)._replace(first_drip_s=None)
        self.assertIsNone(moment_s(lost, "first_drip"))
        self.assertIsNone(band_of(lost, [pull(2), pull(3)], "first_drip"))
        self.assertAlmostEqual(moment_s(pull(1), "weight") or 0, 16, delta=4)

    def test_reading_errors_are_carried_into_extraction(self) -> None:
        rows = {row.figure: row for row in repeatability(pull(1, 9.5), [pull(2, 9.7)])}
        self.assertEqual(rows["shot_time_s"].pulls, 2)
        self.assertGreater(rows["shot_time_s"].deviation or 0, 0)
        self.assertEqual(rows["tds_pct"].error, 0.05)
        self.assertAlmostEqual(rows["extraction_yield_pct"].error or 0, 0.12, delta=0.04)
        self.assertAlmostEqual(rows["resistance"].this or 0, 4, delta=2.5)
        alone = {row.figure: row for row in repeatability(pull(1), [])}
        self.assertIsNone(alone["shot_time_s"].deviation)

    def test_a_good_shot_lies_within_its_forecast_and_a_bare_one_cannot_tell(self) -> None:
        prediction = predict(PLAN.model_copy(update={"members": 60}))
        self.assertGreater(within_forecast_pct(pull(1), prediction) or 0, 50)
        self.assertIsNone(within_forecast_pct(pull(1), predict(PLAN)))
