"""Tastings of the sample world: two people, who are known by now to repeat well; three cups
described blind, and two told apart."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from vapocline.core.taste.sessions import SessionSetup
from vapocline.desk.context import Context
from vapocline.desk.read.shots import read_shot
from vapocline.desk.taste.seat import (
    ChoiceSaid,
    OwnSeat,
    RemarkSaid,
    ScoreSaid,
    read_seat,
    say_choice,
    say_remark,
    say_score,
)
from vapocline.desk.taste.serving import read_serving_sheet
from vapocline.desk.taste.sessions import (
    Closing,
    close_session,
    list_tasters,
    start_session,
)
from vapocline.desk.taste.table import TastingSession

INES, TEODOR = "Ines", "Teodor"
STEADY, SOAK, FALL = 1, 3, 5  # shots of the sample world
LINES = (
    "acidity", "sweetness", "bitterness", "dryness", "body", "texture", "cleanness", "complexity",
    "balance", "finish", "liking",
)  # fmt: skip
# By taster and shot, in the order of the lines; made up by us.
SCORES = {
    (INES, STEADY): (7, 4, 6, 4, 6, 4, 5, 4, 4, 5, 4),
    (INES, FALL): (5, 8, 3, 3, 6, 7, 6, 7, 7, 6, 9),
    (INES, SOAK): (6, 6, 5, 4, 6, 6, 5, 5, 6, 5, 5),
    (TEODOR, STEADY): (6, 4, 5, 5, 5, 5, 5, 5, 5, 5, 5),
    (TEODOR, FALL): (5, 7, 3, 3, 6, 6, 5, 6, 7, 6, 6),
    (TEODOR, SOAK): (6, 6, 4, 3, 6, 6, 6, 5, 6, 6, 9),
}
WORDS = {
    (INES, FALL): ("plum", "cocoa", "honey"),
    (TEODOR, FALL): ("plum", "raisin"),
    (TEODOR, SOAK): ("honey", "tea"),
    (INES, STEADY): ("toast",),
}
# How the second cup of a drink was scored apart: the hidden duplicate's, and before that evening's.
AGAIN = (0, 1, 0, -1, 0, 1, 0, 0, -1, 0, 0)
EARLIER = (
    (1, 0, 0, 0, -1, 0, 0, 1, 0, 0, -1),
    (0, -1, 1, 0, 0, 0, 1, 0, 0, -1, 0),
    (0, 0, 0, 1, 0, -1, 0, 0, 1, 0, 1),
)
RIGHT = 5  # of six odd ones


def taste_together(context: Context) -> None:
    """Make the tastings, once: one that was removed stays removed."""
    if INES not in list_tasters(context):
        for at, apart in enumerate(EARLIER):
            _described(_ago(context, minutes=1200 - 10 * at), (SOAK,), apart)
        _odd_one_out(_ago(context, minutes=95))
        _described(_ago(context, minutes=80), (STEADY, SOAK, FALL), AGAIN)


def _ago(context: Context, *, minutes: float) -> Context:
    then = context.now() - timedelta(minutes=minutes)
    return replace(context, resources=replace(context.resources, now=lambda: then))


def _just_after(context: Context, shot_id: int) -> Context:
    """When a shot's cup was a minute or so old: each was tasted fresh."""
    shot = read_shot(context, shot_id)
    then = shot.started_at + timedelta(seconds=(shot.shot_time_s or 0) + 60 + 9 * shot_id)
    return replace(context, resources=replace(context.resources, now=lambda: then))


def _described(context: Context, shot_ids: tuple[int, ...], again: tuple[int, ...]) -> None:
    setup = SessionSetup(shot_ids=shot_ids, tasters=(INES, TEODOR), lines=LINES, duplicate=True)
    table = start_session(context, setup)
    shot_of = _shots_by_cup(context, table)
    fresh = {shot: _just_after(context, shot) for shot in setup.shot_ids}
    for seat_line in table.seats:
        place = OwnSeat(seat_line.taster_id, seat_line.secret)
        seat = read_seat(context, table.join_code, place)
        tasted: set[int] = set()
        for cup in seat.cups:
            key = (seat.name, shot_of[cup.number])
            apart = again if shot_of[cup.number] in tasted else (0,) * len(LINES)
            tasted.add(shot_of[cup.number])
            for line, points, off in zip(LINES, SCORES[key], apart, strict=True):
                said = ScoreSaid(
                    cup=cup.number, warmth="hot", line=line, points=min(10, points + off)
                )
                say_score(fresh[shot_of[cup.number]], table.join_code, place, said)
            if key in WORDS and again is AGAIN:
                remark = RemarkSaid(cup=cup.number, warmth="hot", words=WORDS[key])
                say_remark(context, table.join_code, place, remark)
    close_session(context, table.id, Closing())


def _odd_one_out(context: Context) -> None:
    setup = SessionSetup(kind="triangle", shot_ids=(STEADY, FALL), tasters=(INES, TEODOR), rounds=3)
    table = start_session(context, setup)
    shot_of, given = _shots_by_cup(context, table), 0
    for seat_line in table.seats:
        place = OwnSeat(seat_line.taster_id, seat_line.secret)
        seat = read_seat(context, table.join_code, place)
        for number in range(1, setup.rounds + 1):
            tray = [cup.number for cup in seat.cups if cup.round == number]
            shots = [shot_of[cup] for cup in tray]
            odd = next(cup for cup in tray if shots.count(shot_of[cup]) == 1)
            named = odd if given < RIGHT else next(cup for cup in tray if cup != odd)
            said = ChoiceSaid(round=number, question="odd", places={named: 1})
            say_choice(context, table.join_code, place, said)
            given += 1
    close_session(context, table.id, Closing())


def _shots_by_cup(context: Context, table: TastingSession) -> dict[int, int]:
    sheet = read_serving_sheet(context, table.id)
    return {cup.number: cup.shot_id for cup in sheet.cups}
