"""Reading stored shots through the desk: beside earlier ones, laid over, set aside."""

from __future__ import annotations

from itertools import count

from pydantic import ValidationError

from tests.desk.pull.test_pull import LONG, AtBench
from tests.factories import pressure, profile
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.coffee.grinder import Grinder
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.bench.pictures import grinder_curve
from vapocline.desk.pull.start import pull
from vapocline.desk.read.reading import read_overlays, read_reading
from vapocline.desk.read.series import NewSeries, read_series, start_series
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.coffees import add_coffee
from vapocline.desk.shelf.grinders import add_grinder
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

NUMBERS = count()
PRESSED = profile(pressure(8, name="Press"), cup_g=25)


class ReadingShots(AtBench):
    speed = 8.0
    instruments = True

    def setUp(self) -> None:
        super().setUp()
        coffee = add_coffee(self.context, Coffee(name=f"Coffee {next(NUMBERS)}"))
        self.grinder = add_grinder(
            self.context,
            Grinder(name=f"Grinder {next(NUMBERS)}", settings=(0, 10), grind_um=(200, 400)),
        )
        change = BenchChange(coffee_id=coffee.id, grinder_id=self.grinder.id)
        change_bench(self.context, change)

    def test_a_pull_is_read_beside_the_earlier_ones_and_set_aside_they_count_nowhere(self) -> None:
        request = self.request(PRESSED)
        first, second, third = (pull(self.context, request) for _ in range(3))
        found = read_reading(self.context, third)
        self.assertEqual(found.against, [second, first])
        self.assertEqual([one.id for one in found.of_version], [second, first])
        self.assertRegex(found.reading.verdict, r"2\d\.\d g in \d+ s")
        self.assertGreater(found.within_forecast_pct or 0, 20)
        time = next(row for row in found.repeats if row.figure == "shot_time_s")
        self.assertEqual(time.pulls, 3)
        self.assertEqual(len(found.pumped_ml), len(found.cup_risen_g))
        band = read_overlays(self.context, third, "pump_on", [first]).band
        assert band
        self.assertEqual(band.pulls, 2)
        self.assertTrue(read_bench(self.context).dialled_in)

        line = set_aside(self.context, first, SetAside(reason=" the puck was spoiled "))
        self.assertEqual(line.set_aside, "the puck was spoiled")
        after = read_reading(self.context, third)
        self.assertEqual(after.against, [second])
        self.assertIsNone(read_overlays(self.context, third, "pump_on", []).band)
        self.assertFalse(read_bench(self.context).dialled_in)
        used = grinder_curve(self.context, self.grinder.id).used
        self.assertEqual(sum(one.shots for one in used), 2)
        self.assertEqual(read_shot(self.context, first).id, first)  # it stays

        set_aside(self.context, first, SetAside(reason=None))
        self.assertEqual(read_reading(self.context, third).against, [second, first])
        self.assertTrue(read_bench(self.context).dialled_in)

    def test_a_shot_of_a_series_that_is_set_aside_leaves_its_spread(self) -> None:
        request = self.request(PRESSED)
        series = start_series(
            self.context, NewSeries(profile_id=request.profile_id, number=1, wanted=3)
        )
        request = request.model_copy(update={"series_id": series.id})
        first, _second = (pull(self.context, request) for _ in range(2))
        rows = read_series(self.context, series.id).rows
        self.assertEqual(len(rows[0].values), 2)
        since_drip = read_series(self.context, series.id, "drip").rows[0]
        self.assertLess(since_drip.mean or 99, rows[0].mean or 0)
        set_aside(self.context, first, SetAside(reason="a test"))
        self.assertEqual(len(read_series(self.context, series.id).rows[0].values), 1)

    def test_overlays_are_moved_onto_the_moment_that_is_asked_for(self) -> None:
        request = self.request(PRESSED)
        first, second = (pull(self.context, request) for _ in range(2))
        drips = [read_shot(self.context, one).first_drip_s or 0 for one in (first, second)]
        laid = read_overlays(self.context, second, "first_drip", [first])
        self.assertAlmostEqual(laid.over[0].shift_s or 0, drips[1] - drips[0], delta=0.11)
        self.assertEqual(read_overlays(self.context, second, "pump_on", [first]).over[0].shift_s, 0)
        with self.assertRaises(NotFoundError):
            read_overlays(self.context, second, "weight", [999])

    def test_what_the_stored_plan_does_not_explain_is_found_with_its_setting(self) -> None:
        shot = pull(self.context, self.request(PRESSED))
        with transaction(self.context.sessions) as session:
            row = session.get(ShotRow, shot)
            assert row
            setup = row.plan["setup"] | {"grind_um": row.plan["setup"]["grind_um"] * 1.4}
            row.plan = row.plan | {"setup": setup | {"dialled_in": True}}
        findings = read_reading(self.context, shot).reading.findings
        change = next(one for one in findings if one.kind == "ran_like").change
        assert change
        self.assertEqual(change.number, "grind_um")
        self.assertGreater(change.setting or 0, 5)

    def test_a_running_shot_is_neither_read_nor_set_aside(self) -> None:
        number = self.running(self.request(LONG))
        for act in (
            lambda: read_reading(self.context, number),
            lambda: set_aside(self.context, number, SetAside(reason="no")),
            lambda: read_overlays(self.context, number, "pump_on", []),
        ):
            with self.assertRaisesRegex(ConflictError, "still runs"):
                act()
        self.order(number, do="stop")
        self.over(number)
        for reason in ("", "  ", "x" * 201):
            with self.assertRaises(ValidationError):
                SetAside(reason=reason)
