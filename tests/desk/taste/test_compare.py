"""Two shots side by side."""

from __future__ import annotations

from tests.desk.pull.test_recording import AtBench
from vapocline.core.coffee.basket import Basket
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.pull.start import pull
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.taste.compare import compare_shots
from vapocline.desk.taste.tasting import score


class Comparing(AtBench):
    def test_two_shots_are_set_side_by_side_with_what_differs_named(self) -> None:
        request = self.request()
        first = pull(self.context, request)
        change_bench(self.context, BenchChange(water_c=90))
        second = pull(self.context, request)
        score(self.context, first, Tasting(liking=5))
        score(self.context, second, Tasting(liking=4))
        compared = compare_shots(self.context, first, second)
        self.assertEqual([one.words for one in compared.comparison.done], ["water -3.0 °C"])
        self.assertIn("The first was liked more", compared.comparison.verdict)
        self.assertGreater(len(compared.second.traces.time_s), 100)

    def test_another_basket_with_the_same_profile_is_named(self) -> None:
        request = self.request()
        baskets = [
            add_basket(self.context, Basket(name=name, diameter_mm=mm))
            for name, mm in (("Wide", 58.5), ("Narrow", 54))
        ]
        numbers = []
        for basket in baskets:
            change_bench(self.context, BenchChange(basket_id=basket.id))
            numbers.append(pull(self.context, request))
        compared = compare_shots(self.context, *numbers)
        self.assertEqual(
            [one.words for one in compared.comparison.done], ["basket Wide, then Narrow"]
        )

    def test_a_repeat_differs_only_by_spread(self) -> None:
        request = self.request()
        compared = compare_shots(
            self.context, pull(self.context, request), pull(self.context, request)
        )
        self.assertEqual(compared.comparison.done, [])
        self.assertNotEqual(compared.first.traces.cup_g, compared.second.traces.cup_g)
