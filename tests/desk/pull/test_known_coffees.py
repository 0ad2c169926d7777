"""A coffee becomes known with a grinder once it was pulled a few times, and its ranges close."""

from __future__ import annotations

from tests.desk.pull.test_pull import SHORT, AtBench
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.desk.bench.bench import LEAST_TOGETHER, BenchChange, change_bench, read_bench
from vapocline.desk.plan.forecast import forecast
from vapocline.desk.pull.start import pull
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import add_grinder


class KnownCoffees(AtBench):
    def test_three_shots_of_a_coffee_on_a_grinder_close_its_ranges_there_only(self) -> None:
        coffee = add_coffee(self.context, Coffee(name="Ferrow Hill"))
        ratline, windlass = (
            add_grinder(self.context, Grinder(name=name, settings=(0, 10), grind_um=(200, 400)))
            for name in ("Ratline", "Windlass")
        )
        change_bench(self.context, BenchChange(coffee_id=coffee.id, grinder_id=ratline.id))
        new = self.width()
        self.assertFalse(read_bench(self.context).dialled_in)
        request = self.request()
        for _ in range(LEAST_TOGETHER):
            self.assertFalse(read_bench(self.context).dialled_in)
            pull(self.context, request)
        self.assertTrue(read_bench(self.context).dialled_in)
        self.assertLess(self.width(), new / 2)
        self.assertNotIn("wide", " ".join(forecast(self.context, SHORT, 1).assumed))
        self.assertFalse(change_bench(self.context, BenchChange(grinder_id=windlass.id)).dialled_in)
        self.assertIn("wide ranges", " ".join(forecast(self.context, SHORT, 1).assumed))

    def width(self) -> float:
        time = forecast(self.context, SHORT, 40).prediction.shot_time_s
        return (time.p90 or 0) - (time.p10 or 0)

    def test_a_cold_portafilter_is_a_word_of_the_bench_and_costs_extraction(self) -> None:
        taken = []
        for degrees in (65.0, 25.0):
            bench = change_bench(self.context, BenchChange(puck_start_c=degrees))
            self.assertEqual(bench.puck_start_c, degrees)
            taken.append(forecast(self.context, SHORT).prediction.extraction_yield_pct.value or 0)
        self.assertGreater(taken[0], taken[1] + 0.3)
