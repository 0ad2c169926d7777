"""Two shots side by side."""

from __future__ import annotations

from tests.desk.pull.test_recording import AtBench
from vapocline.core.base.problems import Refused
from vapocline.core.coffee.basket import Basket
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.bench.bench import BenchChange, change_bench
from vapocline.desk.pull.start import pull
from vapocline.desk.shelf.baskets import add_basket
from vapocline.desk.taste.compare import compare_several_shots, compare_shots
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
        self.assertIn("Which is liked more cannot be told", compared.comparison.verdict)
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

    def test_several_are_compared_as_run_and_sorted_by_liking(self) -> None:
        request = self.request()
        numbers = [pull(self.context, request) for _ in range(3)]
        for number, liking in zip(numbers, (3, 9, 5), strict=True):
            score(self.context, number, Tasting(liking=liking))
        found = compare_several_shots(self.context, numbers)
        self.assertEqual([place.index for place in found.comparison.places], [1, 2, 0])
        [spread] = found.comparison.spreads
        self.assertEqual(spread.shots, (0, 1, 2))
        self.assertGreater(spread.deviations["shot_time_s"], 0)
        self.assertEqual([line.id for line in found.shots], numbers)
        cool = compare_several_shots(self.context, numbers, warmth="cool").comparison
        self.assertIn("unknown", cool.says[0])
        for wrong in ([numbers[0]], [numbers[0]] * 2, [*range(1, 14)]):
            with self.subTest(wrong), self.assertRaises(Refused) as caught:
                compare_several_shots(self.context, wrong)
            self.assertEqual(caught.exception.problems[0].field, "shots")
