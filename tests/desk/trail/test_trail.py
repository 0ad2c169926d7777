"""A coffee's trail: what each shot changed as run, filters over all of it, what worked."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import update

from tests.desk.learn.at_bench import add
from tests.desk.next.own_coffee import PRESSED, WithOwnCoffee
from tests.factories import pressure, profile, seconds
from tests.parts import at_time
from vapocline.core.base.problems import ConflictError, NotFoundError
from vapocline.core.coffee.coffee import Coffee
from vapocline.core.taste.spreads import HouseSpreads, ScoreSpread
from vapocline.desk.bench.bench import BenchChange, change_bench, read_bench
from vapocline.desk.next.next import Taken, take_change
from vapocline.desk.plan.profiles import NewProfile, start_profile
from vapocline.desk.read.set_aside import SetAside, set_aside
from vapocline.desk.read.unread import read_what_is_unread
from vapocline.desk.shelf.coffees import change_coffee
from vapocline.desk.taste.spread import effect_sd_here, spreads_here
from vapocline.desk.trail.summary import BaselineSaid, pin_baseline, read_summary
from vapocline.desk.trail.trail import TrailNode, TrailQuery, read_trail
from vapocline.store.database import transaction
from vapocline.store.tables import EventRow, ShotRow

LONGER = profile(
    pressure(3, name="Soak", kind="pre-infusion", exits=[seconds(9)]),
    pressure(8, name="Press"),
    cup_g=30,
)


class OfACoffee(WithOwnCoffee):
    starts = NewProfile(name="Pressed", profile=PRESSED, style="soak-then-press")

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        new = NewProfile(name="Longer", profile=LONGER)
        cls.longer = start_profile(cls.context, new).profile_id

    def nodes(self, **asked: Any) -> list[TrailNode]:
        return read_trail(self.context, self.coffee, TrailQuery.model_validate(asked)).nodes

    def numbers(self, **asked: Any) -> list[int]:
        return [node.shot.id for node in self.nodes(**asked)]

    def test_each_shot_says_what_was_changed_as_run_from_the_one_it_came_from(self) -> None:
        first = self.pulled()
        change_bench(self.context, BenchChange(water_c=92))
        cooler = self.pulled()
        change_bench(self.context, BenchChange(water_c=93))
        longer = self.pulled(self.longer)
        again = self.pulled(self.longer)
        newest, third, second, oldest = self.nodes()
        self.assertEqual((newest.shot.id, newest.came_from, newest.changed), (again, longer, []))
        self.assertEqual((third.came_from, third.move), (first, "Longer soak"))
        self.assertEqual(third.changed, ["soak leaves at 9 s, was 6 s"])
        self.assertEqual((second.shot.id, second.lane, second.move), (cooler, 1, "Cooler water"))
        self.assertEqual(second.changed, ["water 93 to 92 °C"])
        self.assertEqual((oldest.came_from, oldest.joining), (None, [1]))
        self.assertGreater(len(newest.curve.time_s), 20)

    def test_pages_go_on_where_one_ended_to_the_first_shot(self) -> None:
        numbers = [self.pulled() for _ in range(5)][::-1]
        page = read_trail(self.context, self.coffee, TrailQuery(limit=2))
        self.assertEqual([node.shot.id for node in page.nodes], numbers[:2])
        self.assertEqual(page.next, numbers[1])
        self.assertEqual(self.numbers(limit=3, before=page.next), numbers[2:])
        self.assertIsNone(read_trail(self.context, self.coffee, TrailQuery(limit=5)).next)

    def test_filters_take_any_shot_that_has_it(self) -> None:
        plain = self.pulled()
        sweet = self.pulled(liking=8, words=["plum"])
        dull = self.pulled(self.longer, liking=4)
        self.assertEqual(self.numbers(liked_from=5), [sweet])
        self.assertEqual(self.numbers(word="plum"), [sweet])
        self.assertEqual(self.numbers(style="soak-then-press"), [sweet, plain])
        taster = self.nodes()[0].shot.tastings[0].taster
        self.assertEqual(self.numbers(taster=taster.upper()), [dull, sweet])
        self.assertEqual(self.numbers(taster="Nobody"), [])
        machine = read_bench(self.context).machine.id
        self.assertEqual(self.numbers(machine_id=machine), [dull, sweet, plain])
        self.assertEqual(self.numbers(machine_id=machine + 1), [])
        choices = read_summary(self.context, self.coffee).choices
        self.assertEqual((choices.words, choices.styles), (["plum"], ["soak-then-press"]))
        self.assertEqual(choices.tasters, [taster])

    def test_shots_are_found_by_findings_once_they_are_read(self) -> None:
        number = self.pulled()
        self.assertIsNone(self.nodes()[0].findings)
        while read_what_is_unread(self.context.resources):
            pass
        self.assertIsNotNone(self.nodes()[0].findings)
        with transaction(self.context.sessions) as session:
            session.execute(
                update(ShotRow).where(ShotRow.id == number).values(findings=["opened", "choked"])
            )
        self.pulled()
        self.assertEqual(self.numbers(finding="opened"), [number])
        self.assertEqual(read_summary(self.context, self.coffee).choices.findings,
                         ["choked", "opened"])  # fmt: skip

    def test_what_was_expected_of_a_change_is_settled_on_the_shot_that_made_it(self) -> None:
        number = self.pulled(bitterness=8)
        take_change(self.context, number, Taken(move="cooler", expected={"bitterness": -1}))
        change_bench(self.context, BenchChange(water_c=92))
        self.pulled(bitterness=3)
        node = self.nodes()[0]
        assert node.settled
        self.assertEqual((node.settled.move, node.settled.outcome), ("cooler", "too small to tell"))
        self.assertGreater(node.settled.chance or 0, 0.4, "one cup each: only odds")

    def test_that_a_change_was_not_made_is_said_by_the_next_shot_tasted_alone(self) -> None:
        number = self.pulled(bitterness=8)
        take_change(self.context, number, Taken(move="cooler", expected={"bitterness": -1}))
        self.pulled(bitterness=7)
        self.pulled(bitterness=6)
        change_bench(self.context, BenchChange(water_c=92))
        self.pulled(bitterness=3)
        later = [node.settled and node.settled.outcome for node in self.nodes()[:3]]
        self.assertEqual(later[1:], [None, "not made"])

    def test_what_worked_sums_up_changes_made_alone(self) -> None:
        for water_c, liking in ((93, 5), (92, 8), (93, 5), (92, 8), (93, 4)):
            change_bench(self.context, BenchChange(water_c=water_c))
            self.pulled(liking=liking)
        [worked] = read_summary(self.context, self.coffee).worked
        self.assertEqual((worked.move, worked.pulls, worked.pulls_for), ("cooler", 4, 4))
        change_bench(self.context, BenchChange(water_c=92))
        self.pulled(liking=8)
        [worked] = read_summary(self.context, self.coffee).worked
        self.assertEqual((worked.pulls, worked.verdict), (5, "helps"))
        self.assertGreater(worked.low or 0, 0)

    def test_how_far_changes_move_liking_is_known_from_the_houses_own(self) -> None:
        def size() -> float:
            with transaction(self.context.sessions) as session:
                return effect_sd_here(session, spreads_here(session))

        before = size()
        for water_c, liking in ((93, 1), (92, 9), (93, 1), (92, 9), (93, 1)):
            change_bench(self.context, BenchChange(water_c=water_c))
            self.pulled(liking=liking)
        self.assertGreater(size(), before + 0.5)

    def test_a_pull_that_a_hand_steered_is_no_repeat(self) -> None:
        numbers = [self.pulled(liking=liking) for liking in (5, 6, 5, 6, 5)]
        spreads = self.spreads()
        self.assertEqual((spreads.of_pulls(["Barista"], "liking") or ScoreSpread(0, 0)).df, 4)
        with transaction(self.context.sessions) as session:
            session.add(
                EventRow(shot_id=numbers[0], time_s=9.0, kind="nudged", phase=0, document={})
            )
        self.assertIsNone(self.spreads().of_pulls(["Barista"], "liking"))

    def spreads(self) -> HouseSpreads:
        with transaction(self.context.sessions) as session:
            return spreads_here(session)

    def test_the_best_so_far_is_a_recipe_over_all_its_cups(self) -> None:
        self.pulled(liking=5)
        self.pulled(self.longer, liking=7)
        newest = self.pulled(self.longer, liking=9)
        summary = read_summary(self.context, self.coffee)
        assert summary.best
        self.assertEqual((summary.best.shot.id, summary.best.shots), (newest, 2))
        self.assertEqual((summary.best.liking.points, summary.best.liking.pulls), (8, 2))

    def test_what_is_set_aside_stays_on_the_trail_and_counts_for_nothing(self) -> None:
        number = self.pulled(liking=9)
        set_aside(self.context, number, SetAside(reason="spilt"))
        self.assertEqual(self.numbers(), [number])
        self.assertIsNone(read_summary(self.context, self.coffee).best)

    def test_a_baseline_asks_to_be_pulled_again_after_three_days(self) -> None:
        number = self.pulled()
        now = datetime.now(UTC)
        pinned = pin_baseline(self.context, self.coffee, BaselineSaid(shot_id=number)).baseline
        assert pinned
        self.assertEqual((pinned.shot.id, pinned.pull_again), (number, None))
        later = at_time(self.context, lambda: now + timedelta(days=4))
        stale = read_summary(later, self.coffee).baseline
        assert stale
        assert stale.pull_again
        self.assertIn("last pulled 4 days ago", stale.pull_again)
        none = pin_baseline(self.context, self.coffee, BaselineSaid(shot_id=None))
        self.assertIsNone(none.baseline)

    def test_a_baseline_is_a_shot_of_the_coffee(self) -> None:
        number = self.pulled()
        pin_baseline(self.context, self.coffee, BaselineSaid(shot_id=number))
        other, _grinder = add(self.context, "Another coffee")
        with self.assertRaises(ConflictError):
            pin_baseline(self.context, other, BaselineSaid(shot_id=number))
        with self.assertRaises(NotFoundError):
            pin_baseline(self.context, self.coffee, BaselineSaid(shot_id=10**6))
        kept = read_summary(self.context, self.coffee).baseline
        assert kept
        self.assertEqual(kept.shot.id, number)

    def test_coffees_of_which_roasters_say_the_same_are_named_once_they_were_pulled(self) -> None:
        self.pulled()
        other, _grinder = add(self.context, "Much like it")
        for number, name in ((self.coffee, self._testMethodName[5:60]), (other, "Much like it")):
            facts = {"name": name, "variety": "Heron", "altitude_m": 1800}
            change_coffee(self.context, number, Coffee.model_validate(facts))
        self.assertEqual(read_summary(self.context, self.coffee).alike, [])
        change_bench(self.context, BenchChange(coffee_id=other))
        self.pulled()
        [alike] = read_summary(self.context, self.coffee).alike
        self.assertEqual((alike.id, alike.shots), (other, 1))
        self.assertEqual(alike.shares, ["Heron", "about 1800 m"])

    def test_there_is_no_trail_of_no_coffee(self) -> None:
        for read in (
            lambda: read_summary(self.context, 10**6),
            lambda: read_trail(self.context, 10**6, TrailQuery()),
        ):
            with self.assertRaises(NotFoundError):
                read()
        self.assertEqual(self.nodes(), [])
