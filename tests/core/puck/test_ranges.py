"""Ranges one may rely on."""

from __future__ import annotations

import unittest

import numpy as np
from pydantic import ValidationError

from tests.core.plan.test_goal import with_tries
from tests.factories import STRONG, bloomed, flat, plan, pressure, soaked
from vapocline.core.puck import columns
from vapocline.core.puck.parameters import Parameters, parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict, run
from vapocline.core.puck.priors import PRIORS, draws, members_of
from vapocline.core.puck.program import program_of


class Ranges(unittest.TestCase):
    def test_figures_lie_in_order_around_the_nominal_shot(self) -> None:
        answer = with_tries(plan(*soaked(2.5)))
        for name in (
            "shot_time_s",
            "first_drip_s",
            "extraction_yield_pct",
            "tds_pct",
            "water_in_ml",
        ):
            figure = getattr(answer, name)
            self.assertTrue(figure.p10 < figure.p50 < figure.p90, name)
            self.assertTrue(figure.p10 <= figure.value <= figure.p90, name)

    def test_the_same_seed_gives_the_same_ranges_and_another_nearly_the_same(self) -> None:
        one = plan(pressure(9))
        first, again, other = with_tries(one), with_tries(one), with_tries(one, seed=2)
        self.assertEqual(first, again)
        self.assertNotEqual(first.shot_time_s, other.shot_time_s)
        self.assertAlmostEqual(first.shot_time_s.p90, other.shot_time_s.p90, delta=0.8)

    def test_a_size_or_a_dose_that_is_not_known_widens_what_rests_on_it(self) -> None:
        def spread(field: str, known: bool, **setup: float) -> float:
            p = parameters_for(plan(pressure(9)).setup)
            drawn = members_of(p, 512, 1, known=known, **setup)
            return float(np.std([np.log(getattr(one, field)) for one in drawn]))

        self.assertAlmostEqual(spread("dose_g", True, dose_spread=0.04), 0.04, delta=0.005)
        self.assertLess(spread("dose_g", True), 0.01)
        wide, wider = (spread("permeability", False, grind_spread=by) for by in (0.0, 0.2))
        self.assertAlmostEqual(wider, float(np.hypot(wide, 0.4)), delta=0.03)
        self.assertEqual(
            spread("permeability", True), spread("permeability", True, grind_spread=0.2)
        )

    def test_one_member_has_no_range(self) -> None:
        answer = with_tries(plan(pressure(9)), members=1)
        self.assertEqual(answer.extraction_yield_pct.p10, answer.extraction_yield_pct.p90)

    def test_eight_in_ten_of_other_pucks_fall_within(self) -> None:
        one = plan(pressure(9))
        figure = with_tries(one, members=256).shot_time_s
        program = program_of(one.profile, one.setup.machine)
        times = [
            run(p, program)[0].now[columns.STOP_T]
            for p in members_of(parameters_for(one.setup), 128, seed=99)
        ]
        inside = np.mean([figure.p10 <= t <= figure.p90 for t in times])
        self.assertTrue(0.7 <= inside <= 0.9, inside)

    def test_bands_enclose_the_curve_and_end_where_too_few_tries_still_run(self) -> None:
        answer = with_tries(plan(pressure(9)))
        series = answer.series
        middle = [i for i, t in enumerate(series.time_s) if 10 < t < answer.shot_time_s.p10]
        for i in middle:
            self.assertLessEqual(series.cup_g_p10[i], series.cup_g[i] + 1e-6)
            self.assertGreaterEqual(series.cup_g_p90[i], series.cup_g[i] - 1e-6)
        self.assertIsNone(series.pressure_bar_p90[-1])

    def test_what_binds_tells_in_how_many_tries(self) -> None:
        sure = with_tries(plan(*soaked(5), machine=STRONG.model_copy(update={"relief_bar": 8.0})))
        shares = [one.share for one in sure.binding if one.what == "relief valve"]
        self.assertEqual(shares[0], 1.0)

    def test_draws_are_spread_evenly_and_every_prior_says_why(self) -> None:
        normal = draws(256, 1)
        self.assertEqual(normal.shape, (256, len(PRIORS)))
        np.testing.assert_allclose(normal.mean(axis=0), 0, atol=0.03)
        np.testing.assert_allclose(normal.std(axis=0), 1, atol=0.05)
        for prior in PRIORS:
            self.assertTrue(prior.reason)
            self.assertLessEqual(set(prior.fields), set(Parameters._fields))

    def test_too_many_members_are_refused_with_the_limit(self) -> None:
        document = plan(pressure(9)).written() | {"members": 5000}
        with self.assertRaisesRegex(ValidationError, "less than or equal to 1000"):
            Plan.model_validate(document)


class Clocks(unittest.TestCase):
    def test_three_clocks_tell_one_shot(self) -> None:
        answer = predict(plan(*bloomed()))
        stop = answer.shot_time_s.value
        drip, full = answer.first_drip_s.value, answer.full_pressure_s.value
        self.assertAlmostEqual(answer.shot_time_from_first_drip_s.value, stop - drip, delta=0.02)
        self.assertAlmostEqual(answer.shot_time_from_full_pressure_s.value, stop - full, delta=0.02)
        self.assertTrue(drip < full < stop)

    def test_fresher_coffee_makes_a_marked_glass_read_more(self) -> None:
        fresh, stale = (flat(9, rest_days=days) for days in (2, 60))
        self.assertGreater(fresh.crema_ml.value, 3 * stale.crema_ml.value)
        self.assertAlmostEqual(
            fresh.glass_ml.value, fresh.yield_g.value + fresh.crema_ml.value, delta=0.02
        )


class Coffees(unittest.TestCase):
    def time(self, **setup: object) -> float:
        return flat(9, **setup).shot_time_s.value

    def test_decaf_has_less_gas_left_and_naturals_give_a_little_more_off(self) -> None:
        plain, decaf = flat(9), flat(9, decaf=True)
        self.assertLess(decaf.crema_ml.value, plain.crema_ml.value)
        self.assertGreater(
            flat(9, process="natural").extraction_yield_pct.value, plain.extraction_yield_pct.value
        )

    def test_a_wider_basket_runs_faster_and_a_tapered_one_slower(self) -> None:
        self.assertLess(self.time(basket_diameter_mm=60), self.time(basket_diameter_mm=56))
        self.assertGreater(self.time(basket_shape="tapered"), self.time())

    def test_dark_coffee_runs_slower_and_gives_less_off(self) -> None:
        light, medium, dark = (flat(9, roast=roast) for roast in ("light", "medium", "dark"))
        times = [one.shot_time_s.value for one in (light, medium, dark)]
        self.assertEqual(times, sorted(times))
        self.assertLess(dark.extraction_yield_pct.value, medium.extraction_yield_pct.value - 0.5)

    def test_a_cold_puck_gives_less_off(self) -> None:
        self.assertLess(
            flat(9, puck_start_c=20).extraction_yield_pct.value,
            flat(9, puck_start_c=70).extraction_yield_pct.value,
        )
