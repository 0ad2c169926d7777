"""What own cups say of a move: only where it was the one change."""

from __future__ import annotations

import unittest

from tests.core.advise.test_candidates import KEYS, before
from vapocline.core.advise.between import move_between
from vapocline.core.advise.evidence import TastedShot, tried
from vapocline.core.advise.moves import MOVE, MOVES
from vapocline.core.advise.settling import settled
from vapocline.core.profile.profile import Phase
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.spreads import DEFAULT_STEP, HouseSpreads, RepeatedPulls, house_spreads
from vapocline.core.taste.tasting import Line

NOTHING = HouseSpreads()
# Pulls of one recipe, of which Ines finds every other a point more bitter.
PULLED_AGAIN = house_spreads(
    [], [RepeatedPulls(tuple({("Ines", "bitterness"): points} for points in (5.0, 6.0)))] * 12
)
# Recognized by their effect.
LIKE = {"much_longer_drink": "longer_drink", "flow_for_pressure": "less_flow"}


def with_phases(plan: Plan, phases: list[Phase]) -> Plan:
    profile = plan.profile.model_copy(update={"phases": tuple(phases)})
    return plan.model_copy(update={"profile": profile})


class Between(unittest.TestCase):
    def test_every_move_is_recognized_between_the_plans_it_makes(self) -> None:
        for move in MOVES:
            for key in KEYS:
                plan = move.change(before(key))
                if plan is None or plan == before(key).plan:
                    continue
                with self.subTest(move=move.key, style=key):
                    found = move_between(before(key).plan, plan)
                    self.assertIn(found, {LIKE.get(move.key, move.key), *self.alike(move.key)})

    def alike(self, key: str) -> set[str]:
        """Moves that may come to the same change of a plan."""
        return {"shorter_soak": {"soak_until_drip"}, "soak_until_drip": {"shorter_soak"}}.get(
            key, set()
        )

    def test_two_changes_at_once_are_none_of_them(self) -> None:
        here = before("soak-then-press")
        finer = MOVE["finer"].change(here)
        assert finer
        both = MOVE["warmer"].change(here._replace(plan=finer))
        assert both
        self.assertIsNone(move_between(here.plan, both))
        self.assertIsNone(move_between(here.plan, here.plan))

    def test_a_phase_that_changed_twice_and_another_profile_are_no_move(self) -> None:
        here = before("soak-then-press").plan
        lower = MOVE["lower_peak"].change(before("soak-then-press"))
        assert lower
        slower = [one.model_copy(update={"over": one.over + 2}) for one in lower.profile.phases]
        self.assertIsNone(move_between(here, with_phases(here, slower)))
        phases = [*lower.profile.phases]
        soaked = [phases[1].model_copy(update={"kind": "pre-infusion"}), *phases]
        self.assertIsNone(move_between(here, with_phases(here, soaked)))
        renamed = [one.model_copy(update={"name": "Another"}) for one in here.profile.phases]
        self.assertIsNone(move_between(here, with_phases(here, renamed)))


class Cups(unittest.TestCase):
    def cup(self, plan: Plan, **scores: float) -> TastedShot:
        return TastedShot(plan, {("Ines", "hot"): scores})  # type: ignore[dict-item]

    def test_what_a_move_did_is_told_in_steps_that_one_can_tell(self) -> None:
        here = before("soak-then-press")
        cooler = MOVE["cooler"].change(here)
        assert cooler
        [found] = tried(
            [(self.cup(here.plan, bitterness=8, body=5), self.cup(cooler, bitterness=4))], NOTHING
        )
        self.assertEqual((found.move, list(found.lines)), ("cooler", ["bitterness"]))
        self.assertEqual(found.lines["bitterness"].steps, -4 / DEFAULT_STEP)
        self.assertIsNone(found.lines["bitterness"].pulls)

    def test_a_pair_of_pulls_is_one_observation_however_many_tasted_it_hot_and_cool(self) -> None:
        here = before("soak-then-press")
        cooler = MOVE["cooler"].change(here)
        assert cooler
        ways = [(who, warmth) for who in ("Ines", "Teodor") for warmth in ("hot", "cool")]
        first = TastedShot(here.plan, {way: {"body": 4.0} for way in ways}, 1, blind=True)
        points = zip(ways, (6.0, 8.0, 5.0, 5.0), strict=True)
        second = TastedShot(cooler, {way: {"body": one} for way, one in points}, 2, blind=True)
        [found] = tried([(first, second)], NOTHING)
        self.assertEqual((found.pulls, found.blind), ((1, 2), True))
        self.assertEqual(found.lines["body"].points, 2.0)

    def test_a_change_is_settled_by_the_next_cup_and_only_where_it_was_made(self) -> None:
        here = before("soak-then-press")
        cooler = MOVE["cooler"].change(here)
        assert cooler
        first = self.cup(here.plan, bitterness=8)
        expected: dict[Line, float] = {"bitterness": -0.9, "body": -0.1}
        for after, outcome in (
            (self.cup(cooler, bitterness=4), "as expected"),
            (self.cup(cooler, bitterness=9), "too small to tell"),
            (self.cup(cooler, bitterness=7), "too small to tell"),
            (self.cup(cooler, body=7), "not tasted alike"),
            (self.cup(here.plan, bitterness=2), "not made"),
        ):
            with self.subTest(outcome):
                found = settled("cooler", expected, (first, after), PULLED_AGAIN)
                self.assertEqual((found.outcome, found.line), (outcome, "bitterness"))
        low = self.cup(here.plan, bitterness=3)
        worse = settled("cooler", expected, (low, self.cup(cooler, bitterness=9)), PULLED_AGAIN)
        self.assertEqual(worse.outcome, "against it")
        self.assertLess(worse.chance or 1, 0.1)
        unknown = settled("cooler", expected, (low, self.cup(cooler, bitterness=9)), NOTHING)
        self.assertEqual(unknown.outcome, "too small to tell", "nobody pulled a recipe twice")

    def test_confounded_changes_speak_of_no_move_and_other_tasters_say_nothing(self) -> None:
        here = before("soak-then-press")
        finer = MOVE["finer"].change(here)
        assert finer
        both = MOVE["warmer"].change(here._replace(plan=finer))
        assert both
        first = self.cup(here.plan, bitterness=8)
        [found] = tried([(first, self.cup(both, bitterness=4))], NOTHING)
        self.assertEqual((found.move, found.plan), (None, both))
        self.assertEqual(tried([(first, first)], NOTHING), [])
        another = TastedShot(finer, {("Teodor", "hot"): {"bitterness": 2}})
        self.assertEqual(tried([(first, another)], NOTHING), [])
