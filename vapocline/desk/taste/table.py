"""What stands on a tasting's table: its shots, who sits there, how far they are, what to mind."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import Literal, cast

from sqlalchemy.orm import Session

from vapocline.core.base.amounts import grams
from vapocline.core.base.document import Answer
from vapocline.core.formats.registry import CONDITIONS
from vapocline.core.puck.freshness import freshness_of
from vapocline.core.taste.ages import MOST_APART_S, clock
from vapocline.core.taste.caffeine import Tally, tally_of
from vapocline.core.taste.sessions import SMALLEST_CUP_G, Question, SessionKind, shares_cups
from vapocline.core.taste.tasting import Line, Served, Warmth
from vapocline.core.taste.wording import listed
from vapocline.desk.context import Context
from vapocline.desk.taste.tasting import age_of
from vapocline.store import shots, taste
from vapocline.store.tables import ServingRow, ShotRow, TastingSessionRow


class SessionShot(Answer):
    """A shot on the table, as a list names it."""

    id: int
    name: str
    profile_id: int
    profile_name: str
    number: int
    started_at: datetime


class SessionLine(Answer):
    """A session in a list: when, how, which shots, by whom."""

    id: int
    kind: SessionKind
    state: Literal["open", "closed"]
    created_at: datetime
    shots: list[str]
    tasters: list[str]


class SeatProgress(Answer):
    """Someone at the session, and how many of their answers they have given. Whoever knows the
    `secret` sits there."""

    taster_id: int
    name: str
    secret: str
    given: int
    asked: int
    caffeine: Tally


class Withdrawn(Answer):
    """A cup that does not count, and why."""

    number: int
    code: str | None
    reason: str


class SessionFacts(Answer):
    """What both the host and the tasters see of a session."""

    kind: SessionKind
    state: Literal["open", "closed"]
    blind: bool
    served: Served
    milk_g: float | None
    warmths: list[Warmth]
    lines: list[Line]
    questions: list[Question]


class TastingSession(SessionFacts):
    """A session as its host sees it: how much each taster has answered, but not what.

    `warnings` are about the cups as they stand there; a phone joins with the `join_code`.
    """

    id: int
    rounds: int
    duplicate: bool
    join_code: str
    created_at: datetime
    closed_at: datetime | None
    shots: list[SessionShot]
    seats: list[SeatProgress]
    withdrawn: list[Withdrawn]
    warnings: list[str]


def lines_of(session: Session, rows: Sequence[TastingSessionRow]) -> list[SessionLine]:
    """Stored sessions as a list shows them; their shots are read at once."""
    found = shots.read_numbered(session, {cup.shot_id for row in rows for cup in row.cups})
    lines = []
    for row in rows:
        on_table = _in_order(found, (cup.shot_id for cup in row.cups))
        lines.append(
            SessionLine(
                id=row.id,
                kind=row.kind,
                state=row.state,
                created_at=row.created_at,
                shots=list(names_of(on_table).values()),
                tasters=[seat.taster.name for seat in row.seats],
            )
        )
    return lines


def session_of(context: Context, session: Session, row: TastingSessionRow) -> TastingSession:
    """A stored session as its host sees it."""
    on_table = shots_on(session, row)
    names = names_of(on_table)
    servings = taste.read_servings(session, row.id)
    progress = progress_of(session, row, servings)
    return TastingSession(
        **{name: getattr(row, name) for name in _PLAIN},
        join_code=row.join_code or "",
        shots=[
            SessionShot(
                id=one.id,
                name=names[one.id],
                profile_id=one.version.profile_id,
                profile_name=one.version.document["name"],
                number=one.version.number,
                started_at=one.started_at,
            )
            for one in on_table
        ],
        seats=[
            SeatProgress(
                taster_id=seat.taster_id,
                name=seat.taster.name,
                secret=seat.secret,
                given=progress[seat.taster_id][0],
                asked=progress[seat.taster_id][1],
                caffeine=_caffeine(
                    row, on_table, [s for s in servings if s.taster_id == seat.taster_id]
                ),
            )
            for seat in row.seats
        ],
        withdrawn=[
            Withdrawn(number=cup.number, code=cup.code, reason=cup.withdrawn)
            for cup in row.cups
            if cup.withdrawn is not None
        ],
        warnings=warnings_of(context, on_table, cups_poured(row)),
    )


_PLAIN = (
    "id", "kind", "state", "blind", "served", "milk_g", "warmths", "lines", "questions", "rounds",
    "duplicate", "created_at", "closed_at",
)  # fmt: skip


def shots_on(session: Session, row: TastingSessionRow) -> list[ShotRow]:
    """A session's shots, the oldest first."""
    numbers = {cup.shot_id for cup in row.cups}
    return _in_order(shots.read_numbered(session, numbers), numbers)


def _in_order(found: Mapping[int, ShotRow], numbers: Iterable[int]) -> list[ShotRow]:
    return [found[number] for number in sorted(set(numbers))]


def names_of(rows: Sequence[ShotRow]) -> dict[int, str]:
    """What sentences call each shot: by version; several of one version by their numbers too."""
    short = {row.id: f"{row.version.document['name']} v{row.version.number}" for row in rows}
    several = {name for name in short.values() if list(short.values()).count(name) > 1}
    return {
        number: f"{name}, shot {number}" if name in several else name
        for number, name in short.items()
    }


def progress_of(
    session: Session, row: TastingSessionRow, servings: Sequence[ServingRow]
) -> dict[int, tuple[int, int]]:
    """For each taster, how many answers are given and how many are asked for."""
    counted = {cup.id for cup in row.cups if cup.withdrawn is None}
    choices = taste.read_choices(session, row.id)
    progress = {}
    for seat in row.seats:
        own = [one for one in servings if one.taster_id == seat.taster_id and one.cup_id in counted]
        if row.kind == "describe":
            asked = len(own) * len(row.lines) * len(row.warmths)
            given = sum(
                one.taster_id == seat.taster_id and one.line in row.lines
                for cup in row.cups
                if cup.withdrawn is None
                for one in cup.scores
            )
        else:
            questions = asked_in(row)
            asked = len({one.round for one in own}) * len(questions)
            mine = {(c.round, c.question) for c in choices if c.taster_id == seat.taster_id}
            given = sum(question in questions for _, question in mine)
        progress[seat.taster_id] = (min(given, asked), asked)
    return progress


def asked_in(row: TastingSessionRow) -> list[str]:
    """The questions asked in each round, where cups are chosen rather than scored."""
    return {"triangle": ["odd"], "rank": ["rank"], "describe": []}.get(
        row.kind, list(row.questions)
    )


def _caffeine(
    row: TastingSessionRow, on_table: Sequence[ShotRow], servings: Sequence[ServingRow]
) -> Tally:
    """The caffeine of a taster who swallows everything they are served."""
    shot_by_id = {shot.id: shot for shot in on_table}
    shot_by_cup = {cup.id: shot_by_id[cup.shot_id] for cup in row.cups}
    sharers = len(row.seats) if shares_cups(cast("SessionKind", row.kind)) else 1
    return caffeine_of([shot_by_cup[one.cup_id] for one in servings], cups_poured(row), sharers)


def caffeine_of(served: Sequence[ShotRow], poured: Mapping[int, int], sharers: int) -> Tally:
    """Caffeine of cups of these shots, each shared by `sharers`."""
    return tally_of(
        (
            shot.dose_g,
            1 / (poured[shot.id] * sharers),
            shot.coffee is not None and shot.coffee.decaf,
        )
        for shot in served
    )


def cups_poured(row: TastingSessionRow) -> Counter[int]:
    """How many cups are poured from each shot."""
    return Counter(cup.shot_id for cup in row.cups)


def warnings_of(
    context: Context, on_table: Sequence[ShotRow], poured: Mapping[int, int]
) -> list[str]:
    """What makes the cups hard to compare: age, coffee, a shot set aside, too little in each."""
    warned = []
    ages = {shot.id: age for shot in on_table if (age := age_of(context, shot)) is not None}
    if len(ages) > 1 and max(ages.values()) - min(ages.values()) > MOST_APART_S:
        apart = clock(max(ages.values()) - min(ages.values()))
        warned.append(f"The cups differ in age by {apart}: the older ones will be cooler.")
    if aside := [shot.id for shot in on_table if shot.set_aside is not None]:
        warned.append(f"Shot {listed([str(one) for one in aside])} was set aside in Read.")
    if len({shot.coffee_id for shot in on_table}) > 1:
        warned.append("The cups are of different coffees.")
    if (stale := next(_not_at_best(on_table), None)) is not None:
        warned.append(f"Pulled on {stale}: on another day it may taste different.")
    pours = pours_of(on_table, poured)
    small = [pour for pour in pours.values() if pour is not None and pour < SMALLEST_CUP_G]
    if small:
        warned.append(
            f"Each cup gets only {grams(min(small), 1)}: pull more shots, or choose fewer rounds."
        )
    return warned


def _not_at_best(on_table: Sequence[ShotRow]) -> Iterator[str]:
    """How far from its best the coffee was, of each shot where it was."""
    for row in on_table:
        if row.rest_days is None or row.coffee_id is None:
            continue
        setup = CONDITIONS.read(row.conditions).tamped
        found = freshness_of(setup.roast, row.rest_days, decaf=setup.decaf, blend=setup.blend)
        if found.state != "best":
            yield found.words


def pours_of(on_table: Sequence[ShotRow], poured: Mapping[int, int]) -> dict[int, float | None]:
    """How much of its shot goes into each cup, g, by shot."""
    return {
        one.id: None if one.yield_g is None else round(one.yield_g / poured[one.id], 1)
        for one in on_table
    }
