"""Tastings by several: drawn, served, said, withdrawn, closed and revealed; nothing before that."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from datetime import timedelta
from typing import Any

from sqlalchemy import select

from tests.marks import exhaustive
from tests.parts import context_on_fresh_database, sample_world
from tests.tastings import repeat_a_drink
from vapocline.core.base.problems import ConflictError, NotFoundError, Refused
from vapocline.core.taste.observations import Observation
from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.target import Target
from vapocline.core.taste.tasting import Tasting
from vapocline.desk.context import Context
from vapocline.desk.read.shots import read_shot
from vapocline.desk.read.strength import Strength, measure
from vapocline.desk.taste.form import HouseLines, choose_house_lines
from vapocline.desk.taste.observations import observe
from vapocline.desk.taste.results import SessionResults, read_results
from vapocline.desk.taste.seat import (
    ChoiceSaid,
    OwnSeat,
    RemarkSaid,
    ScoreSaid,
    Seat,
    read_seat,
    read_table,
    say_choice,
    say_remark,
    say_score,
)
from vapocline.desk.taste.serving import read_serving_sheet
from vapocline.desk.taste.sessions import (
    Closing,
    Withdrawal,
    close_session,
    list_sessions,
    read_session,
    remove_session,
    start_session,
    withdraw_cup,
)
from vapocline.desk.taste.table import TastingSession
from vapocline.desk.taste.target import read_off_target, read_target, set_target
from vapocline.desk.taste.tasting import score
from vapocline.store.database import transaction
from vapocline.store.tables import ShotRow

FIRST, SECOND, THIRD = 1, 3, 5  # shots of the sample world
TWO = ("Anna", "Bo")


def place_at(table: TastingSession, taster_id: int) -> OwnSeat:
    """The place of a taster, with its secret."""
    return OwnSeat(taster_id, next(s.secret for s in table.seats if s.taster_id == taster_id))


class AtTable(unittest.TestCase):
    context: Context

    def setUp(self) -> None:
        self.context = self.enterContext(context_on_fresh_database(template=sample_world()))

    def start(self, **said: Any) -> TastingSession:
        known = {"shot_ids": (FIRST, SECOND), "tasters": TWO, "lines": ("sweetness", "liking")}
        return start_session(self.context, SessionSetup.model_validate(known | said))

    def seats(self, table: TastingSession) -> list[Seat]:
        return [self.seat(table, at) for at in range(len(table.seats))]

    def seat(self, table: TastingSession, at: int) -> Seat:
        return read_seat(self.context, table.join_code, place_at(table, table.seats[at].taster_id))

    def give(self, table: TastingSession, seat: Seat, number: int, **said: Any) -> None:
        known = {"cup": number, "warmth": "hot", "line": "liking"}
        score_said = ScoreSaid.model_validate(known | said)
        say_score(self.context, table.join_code, place_at(table, seat.taster_id), score_said)

    def choose(self, table: TastingSession, seat: Seat, **said: Any) -> None:
        choice = ChoiceSaid.model_validate(said)
        say_choice(self.context, table.join_code, place_at(table, seat.taster_id), choice)

    def shot_of(self, table: TastingSession) -> dict[int, int]:
        """What only the serving sheet says."""
        sheet = read_serving_sheet(self.context, table.id)
        return {cup.number: cup.shot_id for cup in sheet.cups}

    def score_all(
        self, table: TastingSession, points: dict[int, dict[str, int]], who: Sequence[int] = (0, 1)
    ) -> None:
        shot_of = self.shot_of(table)
        for at in who:
            seat = self.seat(table, at)
            for cup in seat.cups:
                for line, given in points[shot_of[cup.number]].items():
                    self.give(table, seat, cup.number, line=line, points=given)

    def repeat(self) -> None:
        """Everybody scores the same drink alike four times over: then they are known."""
        repeat_a_drink(self.context, TWO, FIRST, ("sweetness", "liking"))

    def close(self, table: TastingSession, *, incomplete: bool = False) -> SessionResults:
        close_session(self.context, table.id, Closing(incomplete=incomplete))
        return read_results(self.context, table.id)


class Blind(AtTable):
    def test_nothing_tells_which_cup_is_which_before_it_is_closed(self) -> None:
        table = self.start()
        self.score_all(table, {FIRST: {"liking": 3}, SECOND: {"liking": 9}})
        for seat in self.seats(table):
            self.assertEqual({cup.shot_id for cup in seat.cups}, {None})
            self.assertEqual({cup.name for cup in seat.cups}, {None})
            self.assertEqual(len({cup.code for cup in seat.cups}), 2)
        host = read_session(self.context, table.id).model_dump_json()
        for cup in read_serving_sheet(self.context, table.id).cups:
            self.assertNotIn(f'"{cup.code}"', host)
        found = read_shot(self.context, SECOND).tastings
        self.assertNotIn(table.id, [tasted.session_id for tasted in found])
        with self.assertRaisesRegex(ConflictError, "before the tasting is closed"):
            read_results(self.context, table.id)

    @exhaustive
    def test_no_order_of_numbers_or_rows_tells_which_cup_is_which(self) -> None:
        """Of forty tastings with a hidden repeat: by row or by number, each shot is first about as
        often, and the repeat is not always last."""
        firsts = {"row": 0, "number": 0}
        repeat_last = 0
        for _ in range(40):
            table = self.start(duplicate=True, kind="describe", tasters=("Anna",))
            cups = read_serving_sheet(self.context, table.id).cups
            [twice] = [s for s in (FIRST, SECOND) if sum(c.shot_id == s for c in cups) == 2]
            repeat_last += cups[-1].shot_id == twice
            firsts["row"] += cups[0].shot_id == twice
            firsts["number"] += min(cups, key=lambda cup: cup.number).shot_id == twice
            self.assertEqual({cup.code for cup in cups}, {str(cup.number) for cup in cups})
        for how, count_first in firsts.items():
            self.assertTrue(14 <= count_first <= 38, f"{how}: {count_first} of 40, 27 by chance")
        self.assertTrue(14 <= repeat_last <= 38, f"{repeat_last} of 40, 27 by chance")

    def test_closing_reveals_cups_scores_and_sentences(self) -> None:
        self.repeat()
        table = self.start()
        self.score_all(
            table, {FIRST: {"sweetness": 3, "liking": 4}, SECOND: {"sweetness": 8, "liking": 8}}
        )
        found = self.close(table)
        words = " ".join([*found.says, *found.notes])
        self.assertIn("Long soak v1 is liked more and sweeter than Steady nine v1", words)
        self.assertIn("for the recipes there are only odds", words)
        revealed = next(shot for shot in found.shots if shot.id == SECOND)
        self.assertTrue(revealed.liked_most)
        self.assertEqual(len(revealed.codes), 1)
        self.assertEqual({cup.shot_id for cup in self.seat(table, 0).cups}, {FIRST, SECOND})
        tasted = [t for t in read_shot(self.context, SECOND).tastings if t.session_id == table.id]
        self.assertEqual(sorted(one.taster for one in tasted), ["Anna", "Bo"])
        self.assertEqual({one.liking for one in tasted}, {8})

    def test_a_split_verdict_is_said_as_a_split(self) -> None:
        self.repeat()
        table = self.start(lines=("liking",))
        self.score_all(table, {FIRST: {"liking": 2}, SECOND: {"liking": 9}}, who=(0,))
        self.score_all(table, {FIRST: {"liking": 9}, SECOND: {"liking": 2}}, who=(1,))
        found = self.close(table)
        said = next(one for one in found.says if "split" in one)
        self.assertIn("Long soak v1 is liked more by Anna", said)
        self.assertIn("Steady nine v1 is liked more by Bo", said)
        together = next(view for view in found.views if view.taster is None)
        [contrast] = together.lines[0].contrasts
        self.assertEqual((contrast.split, contrast.significant), (True, False))
        anna = next(view for view in found.views if view.taster == "Anna")
        self.assertTrue(anna.lines[0].contrasts[0].significant)

    def test_a_hidden_duplicate_is_one_drink_and_teaches_the_tasters_spread(self) -> None:
        table = self.start(duplicate=True, lines=("liking",))
        self.assertEqual(len(self.seat(table, 0).cups), 3)
        self.score_all(table, {FIRST: {"liking": 5}, SECOND: {"liking": 6}})
        found = self.close(table)
        self.assertIn("Anna (1 of 4)", " ".join(found.notes))
        self.assertIn("Nothing is claimed", found.rests_on or "")
        self.assertEqual(len(found.views[0].lines[0].means), 2)
        [contrast] = found.views[0].lines[0].contrasts
        self.assertEqual((contrast.low, contrast.significant), (None, False))


class Choosing(AtTable):
    def answer(self, table: TastingSession, right: int) -> None:
        """The odd ones as they are, for that number of answers; another cup for the others."""
        shot_of, given = self.shot_of(table), 0
        for seat in self.seats(table):
            for number in range(1, table.rounds + 1):
                tray = [cup.number for cup in seat.cups if cup.round == number]
                shots = [shot_of[cup] for cup in tray]
                odd = next(c for c in tray if shots.count(shot_of[c]) == 1)
                other = next(c for c in tray if c != odd)
                named = odd if given < right else other
                self.choose(table, seat, round=number, question="odd", places={named: 1})
                given += 1

    def test_five_of_six_triangles_are_believed(self) -> None:
        table = self.start(kind="triangle", rounds=3)
        self.answer(table, 5)
        found = self.close(table)
        self.assertIn("can be told apart", found.says[0])
        self.assertIn("5 of 6 times; guessing does as well 1 time in 56", found.says[1])

    def test_every_triad_has_its_own_codes_and_two_cups_alike(self) -> None:
        table = self.start(kind="triangle", rounds=3)
        sheet = read_serving_sheet(self.context, table.id)
        self.assertEqual(len({cup.code for cup in sheet.cups}), 18)
        for taster in sheet.tasters:
            for one in taster.rounds:
                shots = [cup.shot_id for cup in one.cups]
                self.assertEqual(sorted(shots.count(s) for s in set(shots)), [1, 2])
        self.assertIn("Each cup gets only", " ".join(table.warnings))

    def test_shots_of_a_coffee_that_was_not_at_its_best_are_served_with_a_word_on_it(self) -> None:
        self.assertNotIn("another day", " ".join(self.start(kind="pair").warnings))
        with transaction(self.context.sessions) as session:
            for row in session.scalars(select(ShotRow)):
                row.rest_days = 1
        said = " ".join(self.start(kind="pair").warnings)
        self.assertIn("Pulled on day 1, 9 days early: on another day it may taste different.", said)

    def test_a_preference_over_rounds_and_an_answer_taken_back(self) -> None:
        table = self.start(kind="pair", rounds=4, tasters=("Anna",))
        seat, shot_of = self.seat(table, 0), self.shot_of(table)
        for number in range(1, 5):
            places = {
                cup.number: 1 if shot_of[cup.number] == SECOND else 2
                for cup in seat.cups
                if cup.round == number
            }
            self.choose(table, seat, round=number, question="preferred", places=places)
        self.choose(table, seat, round=4, question="preferred", places={})
        self.assertEqual(read_session(self.context, table.id).seats[0].given, 3)
        found = self.close(table, incomplete=True)
        self.assertIn("Long soak v1 is preferred to Steady nine v1 3 of 3 times", found.says[0])

    def test_a_ranking_with_ties(self) -> None:
        table = self.start(kind="rank", shot_ids=(FIRST, SECOND, THIRD))
        shot_of, order = self.shot_of(table), {FIRST: 2, SECOND: 2, THIRD: 1}
        for seat in self.seats(table):
            places = {cup.number: order[shot_of[cup.number]] for cup in seat.cups}
            self.choose(table, seat, round=1, question="rank", places=places)
        self.assertIn("agree", self.close(table).says[0])

    def test_an_answer_that_is_none_is_refused_by_its_field(self) -> None:
        table = self.start(kind="triangle")
        seat = self.seat(table, 0)
        tray = [cup.number for cup in seat.cups]
        stranger = self.seat(table, 1).cups[0].number
        for said, field in (
            ({"round": 1, "question": "rank", "places": {tray[0]: 1}}, "question"),
            ({"round": 2, "question": "odd", "places": {tray[0]: 1}}, "round"),
            ({"round": 1, "question": "odd", "places": {tray[0]: 1, tray[1]: 1}}, "places"),
            ({"round": 1, "question": "odd", "places": {stranger: 1}}, "places"),
        ):
            with self.subTest(field=field), self.assertRaises(Refused) as caught:
                self.choose(table, seat, **said)
            self.assertEqual(caught.exception.problems[0].field, field)


class Meanwhile(AtTable):
    def test_two_phones_of_one_taster_answer_at_once_and_one_answer_stands(self) -> None:
        table = self.start(kind="triangle", tasters=("Anna",))
        seat = self.seat(table, 0)

        def name_odd(number: int) -> None:
            self.choose(table, seat, round=1, question="odd", places={number: 1})

        with ThreadPoolExecutor(6) as phones:
            list(phones.map(name_odd, [cup.number for cup in seat.cups] * 4))
        [choice] = self.seat(table, 0).choices
        self.assertEqual(len(choice.places), 1)

    def test_a_cup_withdrawn_does_not_count_and_comes_back(self) -> None:
        table = self.start(lines=("liking",))
        self.score_all(table, {FIRST: {"liking": 2}, SECOND: {"liking": 9}}, who=(0,))
        spilt = next(c for c, shot in self.shot_of(table).items() if shot == SECOND)
        gone = withdraw_cup(self.context, table.id, spilt, Withdrawal(reason="spilt"))
        self.assertEqual([one.reason for one in gone.withdrawn], ["spilt"])
        self.assertEqual((gone.seats[0].given, gone.seats[0].asked), (1, 1))
        with self.assertRaisesRegex(ConflictError, "withdrawn"):
            self.give(table, self.seat(table, 1), spilt, points=5)
        back = withdraw_cup(self.context, table.id, spilt, Withdrawal(reason=None))
        self.assertEqual((back.seats[0].given, back.withdrawn), (2, []))
        withdraw_cup(self.context, table.id, spilt, Withdrawal(reason="spilt"))
        self.assertIn("tasted alone", " ".join(self.close(table, incomplete=True).says))
        with self.assertRaisesRegex(ConflictError, "closed"):
            withdraw_cup(self.context, table.id, spilt, Withdrawal(reason=None))

    def test_closing_with_answers_missing_is_said_and_nothing_is_lost(self) -> None:
        table = self.start(lines=("liking",))
        self.score_all(table, {FIRST: {"liking": 2}, SECOND: {"liking": 9}}, who=(0,))
        with self.assertRaisesRegex(ConflictError, "Bo has given 0 of 2"):
            close_session(self.context, table.id, Closing())
        self.assertEqual(read_session(self.context, table.id).state, "open")
        self.assertEqual(len(self.seat(table, 0).scores), 2)
        closed = close_session(self.context, table.id, Closing(incomplete=True))
        self.assertEqual(closed.state, "closed")
        self.assertEqual(close_session(self.context, table.id, Closing()), closed)
        with self.assertRaisesRegex(ConflictError, "closed"):
            self.give(table, self.seat(table, 0), self.seat(table, 0).cups[0].number, points=1)

    def test_two_phones_write_at_once_and_both_are_kept(self) -> None:
        table = self.start(lines=("sweetness", "liking"))
        seats = self.seats(table)
        said = [
            (seat, cup.number, line, points)
            for seat in seats
            for cup in seat.cups
            for line in ("sweetness", "liking")
            for points in (3, 6)
        ]
        with ThreadPoolExecutor(8) as phones:
            list(phones.map(lambda s: self.give(table, s[0], s[1], line=s[2], points=s[3]), said))
        after = read_session(self.context, table.id)
        self.assertEqual([(one.given, one.asked) for one in after.seats], [(4, 4), (4, 4)])

    def test_ages_are_kept_with_each_score_and_cups_unlike_in_age_are_warned_of(self) -> None:
        table = self.start(lines=("liking",))
        self.assertIn("differ in age by", " ".join(table.warnings))
        self.score_all(table, {FIRST: {"liking": 4}, SECOND: {"liking": 6}})
        self.assertIn("too different in age", " ".join(self.close(table).warnings))

    def test_warmths_are_due_by_the_youngest_cup(self) -> None:
        newest = max(FIRST, THIRD)
        shot = read_shot(self.context, newest)
        stopped = shot.started_at + timedelta(seconds=shot.shot_time_s or 0)
        then = replace(
            self.context,
            resources=replace(self.context.resources, now=lambda: stopped + timedelta(seconds=40)),
        )
        table = self.start(shot_ids=(FIRST, THIRD), warmths=("hot", "warm", "cool"))
        seat = read_seat(then, table.join_code, place_at(table, table.seats[0].taster_id))
        self.assertAlmostEqual(seat.due_in_s["hot"], 20, delta=0.2)
        self.assertAlmostEqual(seat.due_in_s["cool"], 680, delta=0.2)

    def test_words_notes_and_their_taking_back(self) -> None:
        table = self.start(lines=("liking",))
        seat = self.seat(table, 0)
        remark = {"cup": seat.cups[0].number, "warmth": "hot"}
        for words, notes, kept in ((["plum", "tar"], "loud", 1), ([], "", 0), (["plum"], "", 1)):
            said = RemarkSaid.model_validate(remark | {"words": words, "notes": notes})
            say_remark(self.context, table.join_code, place_at(table, seat.taster_id), said)
            self.assertEqual(len(self.seat(table, 0).remarks), kept)
        found = self.close(table, incomplete=True)
        self.assertEqual([shot.words for shot in found.shots if shot.words], [{"plum": 1}])


class SettingUp(AtTable):
    def test_what_cannot_be_served_is_refused_by_its_field(self) -> None:
        before = len(list_sessions(self.context))
        for said, field in (
            ({"tasters": ("Anna", "aNNA")}, "tasters"),
            ({"shot_ids": (FIRST, FIRST)}, "shot_ids"),
            ({"kind": "rank"}, "shot_ids"),
            ({"kind": "triangle", "shot_ids": (FIRST, SECOND, THIRD)}, "shot_ids"),
            ({"kind": "triangle", "blind": False}, "blind"),
            ({"kind": "pair", "questions": ()}, "questions"),
            ({"kind": "pair", "questions": ("odd",)}, "questions"),
            ({"kind": "pair", "duplicate": True}, "duplicate"),
            ({"lines": ()}, "lines"),
            ({"milk_g": 100}, "milk_g"),
            (
                {
                    "kind": "pair",
                    "shot_ids": (1, 3, 4, 5),
                    "rounds": 12,
                    "tasters": tuple("ABCDEFGH"),
                },
                "rounds",
            ),
        ):
            with self.subTest(said), self.assertRaises(Refused) as caught:
                self.start(**said)
            self.assertEqual(caught.exception.problems[0].field, field)
        self.assertEqual(len(list_sessions(self.context)), before)
        with self.assertRaises(NotFoundError):
            self.start(shot_ids=(FIRST, 999))

    def test_it_is_joined_by_a_code_and_only_by_who_sits_at_it(self) -> None:
        table = self.start()
        self.assertEqual(
            [seat.name for seat in read_table(self.context, table.join_code).seats], list(TWO)
        )
        with self.assertRaises(NotFoundError):
            read_table(self.context, "nobody")
        with self.assertRaises(NotFoundError):
            read_seat(self.context, table.join_code, OwnSeat(999, ""))

    def test_the_house_chooses_its_lines_and_a_session_keeps_those_it_began_with(self) -> None:
        chosen = HouseLines(lines=("liking", "cleanness"))
        self.assertEqual(choose_house_lines(self.context, chosen).lines, ("cleanness", "liking"))
        table = self.start(lines=None)
        self.assertEqual(table.lines, ["cleanness", "liking"])
        choose_house_lines(self.context, HouseLines(lines=("body",)))
        self.assertEqual(read_session(self.context, table.id).lines, ["cleanness", "liking"])
        with self.assertRaises(Refused):
            choose_house_lines(self.context, HouseLines(lines=("body", "body")))
        with self.assertRaises(Refused) as caught:
            seat = self.seat(table, 0)
            self.give(table, seat, seat.cups[0].number, line="body", points=5)
        self.assertEqual(caught.exception.problems[0].field, "line")

    def test_a_removed_session_is_gone_with_its_scores_and_the_shots_stay(self) -> None:
        table = self.start()
        self.score_all(table, {FIRST: {"liking": 3}, SECOND: {"liking": 9}})
        remove_session(self.context, table.id)
        self.assertNotIn(table.id, [one.id for one in list_sessions(self.context)])
        with self.assertRaises(NotFoundError):
            read_table(self.context, table.join_code)
        self.assertTrue([one for one in read_shot(self.context, FIRST).tastings if one.quick])

    def test_caffeine_is_tallied_for_each_taster(self) -> None:
        alone = self.start(tasters=("Anna",)).seats[0].caffeine
        shared = self.start().seats[0].caffeine
        self.assertEqual(alone.caffeine_mg, 360)
        self.assertIn("pause", alone.advice or "")
        self.assertEqual(shared.caffeine_mg, 180)
        self.assertIsNone(shared.advice)


class TargetsAndMeasurements(AtTable):
    def test_a_coffees_target_is_kept_and_cups_tell_how_far_they_are(self) -> None:
        coffee = 1
        self.assertEqual(read_target(self.context, coffee), Target())
        aim = Target(scores={"sweetness": 8}, words=("plum",))
        set_target(self.context, coffee, aim)
        self.assertEqual(set_target(self.context, coffee, aim), read_target(self.context, coffee))
        table = self.start()
        self.score_all(table, {FIRST: {"sweetness": 2}, SECOND: {"sweetness": 8}}, who=(0,))
        found = {shot.id: shot.off_target for shot in self.close(table, incomplete=True).shots}
        self.assertRegex(
            found[FIRST][0],
            r"^Anna, hot: less sweet than wanted by 6 \([23]\.\d noticeable steps\)",
        )
        self.assertEqual(found[SECOND], [])
        said = read_off_target(self.context, FIRST).said
        self.assertEqual(len(said), 2)
        self.assertRegex(
            said[0],
            r"^Barista, Ines, Teodor and Anna, hot: less sweet than wanted by 4 to 6 "
            r"\(2\.0 to [23]\.\d noticeable steps\)$",
        )
        self.assertEqual(said[1], "Ines, hot: no plum")
        with self.assertRaises(NotFoundError):
            set_target(self.context, 999, aim)

    def test_what_crema_and_puck_looked_like_is_kept_with_the_shot(self) -> None:
        observe(self.context, FIRST, Observation(crema_mm=4, puck_holes=True))
        line = observe(self.context, FIRST, Observation(crema_mm=3.5, crema_colour="hazel"))
        self.assertEqual(line.observation, Observation(crema_mm=3.5, crema_colour="hazel"))
        self.assertIsNone(read_shot(self.context, SECOND).observation)

    def test_strength_read_twice_gives_the_extraction_with_a_smaller_error(self) -> None:
        once = measure(self.context, FIRST, Strength(tds_pct=9.0))
        twice = measure(self.context, FIRST, Strength(tds_pct=9.2, again=True))
        self.assertEqual((twice.tds_pct, twice.readings_pct), (9.1, [9.0, 9.2]))
        self.assertLess(twice.extraction_error_pct or 9, once.extraction_error_pct or 0)
        gone = measure(self.context, FIRST, Strength(tds_pct=None))
        self.assertEqual((gone.readings_pct, gone.extraction_error_pct), ([], None))

    def test_extraction_alike_and_taste_not_is_said_with_its_error(self) -> None:
        for shot in (FIRST, SECOND):
            wanted = 20 * 18 / (read_shot(self.context, shot).yield_g or 36)
            measure(self.context, shot, Strength(tds_pct=round(wanted, 2)))
        self.repeat()
        table = self.start()
        self.score_all(
            table, {FIRST: {"sweetness": 2, "liking": 3}, SECOND: {"sweetness": 8, "liking": 8}}
        )
        self.assertIn("the number does not explain this", " ".join(self.close(table).says))

    def test_the_quick_form_keeps_words_and_the_two_further_lines(self) -> None:
        said = Tasting(liking=6, cleanness=7, complexity=4, words=("plum", "tea"))
        line = score(self.context, 2, said)
        [tasted] = line.tastings
        self.assertEqual((tasted.cleanness, tasted.words, tasted.quick), (7, ("plum", "tea"), True))
        self.assertEqual(tasted.taster, "Barista")
