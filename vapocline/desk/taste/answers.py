"""A session's stored scores and choices as the core takes them, without those that do not count."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import cast

from vapocline.core.taste.choices import Choice
from vapocline.core.taste.panel import TasterScore
from vapocline.core.taste.tasting import Warmth
from vapocline.store.tables import ChoiceRow, ServingRow, ShotRow, TastingSessionRow


def scores_in(row: TastingSessionRow, on_table: Sequence[ShotRow]) -> list[TasterScore]:
    """A session's scores that count; shots by their place on the table."""
    names = {seat.taster_id: seat.taster.name for seat in row.seats}
    place = {shot.id: at for at, shot in enumerate(on_table)}
    return [
        TasterScore(
            names[one.taster_id],
            place[cup.shot_id],
            cast("Warmth", one.warmth),
            one.line,
            one.points,
            one.since_stop_s,
            one.stirred,
        )
        for cup in row.cups
        if cup.withdrawn is None
        for one in cup.scores
    ]


def choices_in(
    row: TastingSessionRow,
    stored: Sequence[ChoiceRow],
    servings: Sequence[ServingRow],
    on_table: Sequence[ShotRow],
) -> list[Choice]:
    """A session's answers that count, by shots' places on the table. An odd one is right where its
    shot stands alone in its round; a round with a cup withdrawn counts only in a ranking."""
    names = {seat.taster_id: seat.taster.name for seat in row.seats}
    place = {shot.id: at for at, shot in enumerate(on_table)}
    shot_of = {cup.id: place[cup.shot_id] for cup in row.cups}
    gone = {cup.id for cup in row.cups if cup.withdrawn is not None}
    trays: dict[tuple[int, int], list[int]] = {}
    for one in servings:
        trays.setdefault((one.taster_id, one.round), []).append(one.cup_id)
    answers: dict[tuple[int, int, str], dict[int, int]] = {}
    for choice in stored:
        key = (choice.taster_id, choice.round, choice.question)
        answers.setdefault(key, {})[choice.cup_id] = choice.place
    found = []
    for (taster_id, number, question), places in answers.items():
        tray = trays[taster_id, number]
        if gone & set(tray) and question != "rank":
            continue
        right = {_odd_of(tray, shot_of)} == set(places) if question == "odd" else None
        placed = _mean_places({c: p for c, p in places.items() if c not in gone}, shot_of)
        found.append(Choice(names[taster_id], number, question, placed, right))
    return found


def _odd_of(tray: Sequence[int], shot_of: Mapping[int, int]) -> int | None:
    """The cup whose shot stands alone."""
    counts = Counter(shot_of[cup] for cup in tray)
    return next((cup for cup in tray if counts[shot_of[cup]] == 1), None)


def _mean_places(places: Mapping[int, int], shot_of: Mapping[int, int]) -> dict[int, float]:
    """Places by shot: the mean of a shot that was served twice."""
    each: dict[int, list[int]] = {}
    for cup, place in places.items():
        each.setdefault(shot_of[cup], []).append(place)
    return {shot: sum(own) / len(own) for shot, own in each.items()}
