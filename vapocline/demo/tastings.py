"""Tastings of the sample world: two people, who are known by now to repeat well, describe three
cups blind and tell two apart; four describe, rank, and differ over two drinks."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import numpy as np

from vapocline.core.taste.sessions import SessionSetup
from vapocline.core.taste.tasting import Line
from vapocline.demo.palates import EVERYBODY
from vapocline.demo.pulls import ago
from vapocline.desk.context import Context
from vapocline.desk.plan.profiles import read_version
from vapocline.desk.read.shots import read_shot
from vapocline.desk.shelf.coffees import list_coffees
from vapocline.desk.taste.seat import (
    ChoiceSaid,
    OwnSeat,
    RemarkSaid,
    ScoreSaid,
    Seat,
    read_seat,
    say_choice,
    say_remark,
    say_score,
)
from vapocline.desk.taste.serving import read_serving_sheet
from vapocline.desk.taste.sessions import Closing, close_session, list_tasters, start_session
from vapocline.desk.taste.table import TastingSession

INES, TEODOR, ODILE, BRAM = (palate.name for palate in EVERYBODY)
STEADY, SOAK, FALL = 0, 2, 4  # of the last days' shots, by their place
LINES: tuple[Line, ...] = (
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

# Of the fortnight's shots, by their place, with how many hours ago they were tasted.
DESCRIBED, DESCRIBED_H = (12, 25, 28), 24 * 3.8
RANKED, RANKED_H = (8, 21, 23), 24 * 4.1
PREFERRED, PREFERRED_H = (17, 15), 24 * 4.7
DESCRIBED_BY_FOUR: tuple[Line, ...] = (
    "acidity", "sweetness", "bitterness", "dryness", "body", "clarity", "balance", "liking",
)  # fmt: skip
LIKE_THE_SECOND = (TEODOR, BRAM)  # of the preferred two, every time; the others the first
ROUNDS = 4


def taste_all(context: Context, fortnight: Sequence[int], last_days: Sequence[int]) -> None:
    """Make the tastings, once: one that was removed stays removed. Shots by their numbers."""
    if INES in list_tasters(context):
        return
    if fortnight:
        _prefer(ago(context, hours=PREFERRED_H), [fortnight[at] for at in PREFERRED])
        _rank(ago(context, hours=RANKED_H), [fortnight[at] for at in RANKED])
        _describe_by_four(ago(context, hours=DESCRIBED_H), [fortnight[at] for at in DESCRIBED])
    for at, apart in enumerate(EARLIER):
        _described(ago(context, hours=20 - at / 6), last_days, (SOAK,), apart)
    _odd_one_out(ago(context, hours=1.6), last_days[STEADY], last_days[FALL])
    _described(ago(context, hours=1.3), last_days, (STEADY, SOAK, FALL), AGAIN)


def _just_after(context: Context, shot_id: int, place: int) -> Context:
    """When a shot's cup was a minute or so old: each was tasted fresh."""
    shot = read_shot(context, shot_id)
    after_s = (shot.shot_time_s or 0) + 60 + 9 * (place + 1)
    return ago(context, hours=-after_s / 3600, of=shot.started_at)


class _Table:
    """A session that was started, and who sits where with what."""

    def __init__(self, context: Context, setup: SessionSetup, seed: int) -> None:
        self._context = context
        self.table: TastingSession = start_session(context, setup, seed)
        sheet = read_serving_sheet(context, self.table.id)
        self.shot_of = {cup.number: cup.shot_id for cup in sheet.cups}
        self.seats: list[tuple[OwnSeat, Seat]] = []
        for line in self.table.seats:
            place = OwnSeat(line.taster_id, line.secret)
            self.seats.append((place, read_seat(context, self.table.join_code, place)))

    def choose(self, place: OwnSeat, said: ChoiceSaid) -> None:
        """One answer of somebody."""
        say_choice(self._context, self.table.join_code, place, said)

    def score(self, fresh: Context, place: OwnSeat, cup: int, points: Mapping[Line, int]) -> None:
        """One cup scored by somebody."""
        for line, given in points.items():
            said = ScoreSaid(cup=cup, warmth="hot", line=line, points=min(10, max(0, given)))
            say_score(fresh, self.table.join_code, place, said)

    def remark(self, place: OwnSeat, cup: int, words: tuple[str, ...]) -> None:
        """Flavour words of somebody on a cup."""
        said = RemarkSaid(cup=cup, warmth="hot", words=words)
        say_remark(self._context, self.table.join_code, place, said)

    def close(self) -> None:
        """All was said."""
        close_session(self._context, self.table.id, Closing())


def _described(
    context: Context, last_days: Sequence[int], places: tuple[int, ...], again: tuple[int, ...]
) -> None:
    setup = SessionSetup(
        shot_ids=tuple(last_days[at] for at in places),
        tasters=(INES, TEODOR),
        lines=LINES,
        duplicate=True,
    )
    table = _Table(context, setup, seed=sum(again) + 2)
    place_of = {last_days[at]: at for at in places}
    fresh = {shot: _just_after(context, shot, at) for shot, at in place_of.items()}
    for place, seat in table.seats:
        tasted: set[int] = set()
        for cup in seat.cups:
            shot = table.shot_of[cup.number]
            key = (seat.name, place_of[shot])
            apart = again if shot in tasted else (0,) * len(LINES)
            tasted.add(shot)
            points = [now + off for now, off in zip(SCORES[key], apart, strict=True)]
            table.score(fresh[shot], place, cup.number, dict(zip(LINES, points, strict=True)))
            if key in WORDS and again is AGAIN:
                table.remark(place, cup.number, WORDS[key])
    table.close()


def _odd_one_out(context: Context, steady: int, fall: int) -> None:
    setup = SessionSetup(kind="triangle", shot_ids=(steady, fall), tasters=(INES, TEODOR), rounds=3)
    table, given = _Table(context, setup, seed=11), 0
    for place, seat in table.seats:
        for number, tray in _trays(seat, setup.rounds):
            shots = [table.shot_of[cup] for cup in tray]
            odd = next(cup for cup in tray if shots.count(table.shot_of[cup]) == 1)
            named = odd if given < RIGHT else next(cup for cup in tray if cup != odd)
            table.choose(place, ChoiceSaid(round=number, question="odd", places={named: 1}))
            given += 1
    table.close()


def _trays(seat: Seat, rounds: int) -> list[tuple[int, list[int]]]:
    """The cups of each round, by their numbers."""
    return [
        (number, [cup.number for cup in seat.cups if cup.round == number])
        for number in range(1, rounds + 1)
    ]


def _prefer(context: Context, shots: Sequence[int]) -> None:
    """Two drinks, four people: two like the one more, two the other."""
    everybody = tuple(palate.name for palate in EVERYBODY)
    setup = SessionSetup(kind="pair", shot_ids=tuple(shots), tasters=everybody, rounds=ROUNDS)
    table = _Table(context, setup, seed=21)
    for place, seat in table.seats:
        liked = shots[1 if seat.name in LIKE_THE_SECOND else 0]
        for number, tray in _trays(seat, ROUNDS):
            places = {cup: 1 if table.shot_of[cup] == liked else 2 for cup in tray}
            table.choose(place, ChoiceSaid(round=number, question="preferred", places=places))
    table.close()


def _rank(context: Context, shots: Sequence[int]) -> None:
    """Three drinks in order, by four people who score them to themselves."""
    everybody = tuple(palate.name for palate in EVERYBODY)
    table = _Table(
        context, SessionSetup(kind="rank", shot_ids=tuple(shots), tasters=everybody), seed=31
    )
    scored = _scores_of(context, shots)
    for place, seat in table.seats:
        cups = [cup.number for cup in seat.cups]
        cups.sort(key=lambda cup: -scored(seat.name, table.shot_of[cup], 0)["liking"])
        places = {cup: at for at, cup in enumerate(cups, 1)}
        table.choose(place, ChoiceSaid(round=1, question="rank", places=places))
    table.close()


def _describe_by_four(context: Context, shots: Sequence[int]) -> None:
    setup = SessionSetup(
        shot_ids=tuple(shots),
        tasters=tuple(palate.name for palate in EVERYBODY),
        lines=DESCRIBED_BY_FOUR,
        duplicate=True,
    )
    table, scored = _Table(context, setup, seed=41), _scores_of(context, shots)
    fresh = {shot: _just_after(context, shot, at) for at, shot in enumerate(shots)}
    for place, seat in table.seats:
        for cup in seat.cups:
            shot = table.shot_of[cup.number]
            points = scored(seat.name, shot, cup.number)
            asked: dict[Line, int] = {line: points[line] for line in DESCRIBED_BY_FOUR}
            table.score(fresh[shot], place, cup.number, asked)
    table.close()


def _scores_of(
    context: Context, shots: Sequence[int]
) -> Callable[[str, int, int], dict[Line, int]]:
    """How somebody scores a cup of a shot: as they repeat it, the same each time."""
    read = {shot: read_shot(context, shot) for shot in shots}
    roasts = {coffee.name: coffee.roast for coffee in list_coffees(context)}
    palates = {palate.name: palate for palate in EVERYBODY}

    def scores(name: str, shot_id: int, cup: int) -> dict[Line, int]:
        shot = read[shot_id]
        profile = read_version(context, shot.profile_id, shot.number).profile
        dice = np.random.default_rng([list(palates).index(name), shot_id, cup])
        return palates[name].scores(shot, profile, roasts[shot.coffee or ""], dice)

    return scores
