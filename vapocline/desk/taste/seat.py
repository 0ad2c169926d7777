"""A taster's place at a session, as a phone shows it: cups by their codes, and what they say."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Note
from vapocline.core.base.problems import (
    ConflictError,
    NotAllowedError,
    NotFoundError,
    Problem,
    Refused,
)
from vapocline.core.taste.ages import PROMPTS
from vapocline.core.taste.sessions import Question, SessionKind
from vapocline.core.taste.tasting import Line, Score, Warmth, Words
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotTraces, whole_of
from vapocline.desk.taste.table import SessionFacts, asked_in, names_of, shots_on
from vapocline.desk.taste.tasting import age_of
from vapocline.store import shots, taste
from vapocline.store.database import transaction
from vapocline.store.tables import CupRow, ServingRow, ShotRow, TastingSessionRow

LONGEST_AGO_S = 3600.0
OTHERS_SEAT = (
    "This place is another taster's: open your own link, or type the code beside your name on the "
    "host's page."
)


class TableSeat(Answer):
    """Somebody at the table."""

    taster_id: int
    name: str


class Table(Answer):
    """What a phone sees before it says whose it is."""

    session_id: int
    kind: SessionKind
    state: Literal["open", "closed"]
    blind: bool
    seats: list[TableSeat]


class SeatCup(Answer):
    """A cup in the order in which it is to be tasted, by its number. Its shot is named only where
    nothing is blind or all is revealed."""

    number: int
    round: int
    position: int
    code: str | None
    shot_id: int | None
    name: str | None
    withdrawn: bool


class SeatScore(Answer):
    """A score given."""

    cup: int
    warmth: Warmth
    line: Line
    points: int
    stirred: bool


class SeatRemark(Answer):
    """Words and notes on a cup at a warmth."""

    cup: int
    warmth: Warmth
    words: list[str]
    notes: str


class SeatChoice(Answer):
    """An answer given: the place of each cup by its number, 1 for what was chosen or found odd."""

    round: int
    question: Question
    places: dict[int, int]


class Seat(SessionFacts):
    """Everything a taster's phone shows. `due_in_s` is when each warmth is to be tasted, by the
    youngest cup; negative once it is due, empty where the cups' age is not known."""

    session_id: int
    taster_id: int
    name: str
    cups: list[SeatCup]
    scores: list[SeatScore]
    remarks: list[SeatRemark]
    choices: list[SeatChoice]
    due_in_s: dict[Warmth, float]


class OwnSeat(NamedTuple):
    """Whose seat is meant, and the secret that shows it is theirs who ask."""

    taster_id: int
    secret: str


class ScoreSaid(BaseModel):
    """A score, or None to take it back; given `ago_s` seconds ago by the phone's own count."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    cup: int
    warmth: Warmth
    line: Line
    points: Score | None
    stirred: bool = False
    ago_s: Annotated[float, Field(ge=0, le=LONGEST_AGO_S)] = 0.0


class RemarkSaid(BaseModel):
    """Words and notes on a cup, over what was there."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    cup: int
    warmth: Warmth
    words: Words = ()
    notes: Note = ""


class ChoiceSaid(BaseModel):
    """An answer, by cups' numbers: the odd one alone, or a place for every cup of the round; none
    takes it back."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    round: int
    question: Question
    places: Annotated[dict[int, Annotated[int, Field(ge=1, le=6)]], Field(max_length=6)]


def read_table(context: Context, join_code: str) -> Table:
    """A session by the code it is joined with. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = taste.read_table(session, join_code)
        return Table(
            session_id=row.id,
            kind=row.kind,
            state=row.state,
            blind=row.blind,
            seats=[TableSeat(taster_id=s.taster_id, name=s.taster.name) for s in row.seats],
        )


def read_seat(context: Context, join_code: str, place: OwnSeat) -> Seat:
    """A taster's place. Raises NotFoundError, NotAllowedError for another's."""
    with transaction(context.sessions) as session:
        row = taste.read_table(session, join_code)
        _refuse_other(row, place)
        return _seat(context, session, row, place.taster_id)


def read_curve(context: Context, join_code: str, number: int) -> ShotTraces:
    """The curve of a cup's shot, where it is not blind or all is revealed.

    Raises NotFoundError, ConflictError while it is blind.
    """
    with transaction(context.sessions) as session:
        row = taste.read_table(session, join_code)
        cup = next((one for one in row.cups if one.number == number), None)
        if cup is None:
            raise NotFoundError(f"There is no cup {number} on this table.")
        if row.blind and row.state == "open":
            raise ConflictError("Nothing is revealed before the tasting is closed.")
        return whole_of(session, shots.read_shot(session, cup.shot_id)).traces


def _seat(context: Context, session: Session, row: TastingSessionRow, taster_id: int) -> Seat:
    name = next(seat.taster.name for seat in row.seats if seat.taster_id == taster_id)
    number_of = {cup.id: cup.number for cup in row.cups}
    own = [s for s in taste.read_servings(session, row.id) if s.taster_id == taster_id]
    on_table = shots_on(session, row)
    choices: dict[tuple[int, str], dict[int, int]] = {}
    for choice in taste.read_choices(session, row.id):
        if choice.taster_id == taster_id:
            places = choices.setdefault((choice.round, choice.question), {})
            places[number_of[choice.cup_id]] = choice.place
    plain = {n: getattr(row, n) for n in ("kind", "state", "blind", "served", "milk_g", "lines")}
    return Seat(
        **plain,
        session_id=row.id,
        warmths=list(row.warmths),
        questions=asked_in(row),
        taster_id=taster_id,
        name=name,
        cups=_cups(row, own, on_table),
        scores=[
            SeatScore(cup=cup.number, **_fields_of(one, SeatScore))
            for cup in row.cups
            for one in cup.scores
            if one.taster_id == taster_id
        ],
        remarks=[
            SeatRemark(cup=cup.number, **_fields_of(one, SeatRemark))
            for cup in row.cups
            for one in cup.remarks
            if one.taster_id == taster_id
        ],
        choices=[
            SeatChoice(round=number, question=question, places=places)
            for (number, question), places in choices.items()
        ],
        due_in_s=_due(context, row, on_table),
    )


def _fields_of(row: object, kind: type[BaseModel]) -> dict[str, Any]:
    """What a row holds of an answer's fields, but for the cup, which rows know otherwise."""
    return {name: getattr(row, name) for name in kind.model_fields if name != "cup"}


def _refuse_other(row: TastingSessionRow, place: OwnSeat) -> None:
    """Raises NotFoundError where nobody sits, NotAllowedError without the seat's secret."""
    secret = next((s.secret for s in row.seats if s.taster_id == place.taster_id), None)
    if secret is None:
        raise NotFoundError(f"Nobody of that number sits at this tasting: {place.taster_id}.")
    if not secrets.compare_digest(secret.encode(), place.secret.encode()):
        raise NotAllowedError(OTHERS_SEAT)


def _cups(row: TastingSessionRow, own: list[ServingRow], on_table: list[ShotRow]) -> list[SeatCup]:
    cups = {cup.id: cup for cup in row.cups}
    names = names_of(on_table)
    open_to_see = row.state == "closed" or not row.blind
    return [
        SeatCup(
            number=cups[one.cup_id].number,
            round=one.round,
            position=one.position,
            code=cups[one.cup_id].code,
            shot_id=cups[one.cup_id].shot_id if open_to_see else None,
            name=names[cups[one.cup_id].shot_id] if open_to_see else None,
            withdrawn=cups[one.cup_id].withdrawn is not None,
        )
        for one in own
    ]


def _due(context: Context, row: TastingSessionRow, on_table: list[ShotRow]) -> dict[Warmth, float]:
    """By the youngest cup, so that nobody learns from a cup's age which one it is."""
    ages = [age_of(context, shot) for shot in on_table]
    known = [age for age in ages if age is not None]
    if len(known) < len(ages):
        return {}
    return {
        one.warmth: round(one.due_s - min(known), 1) for one in PROMPTS if one.warmth in row.warmths
    }


def say_score(context: Context, join_code: str, place: OwnSeat, said: ScoreSaid) -> None:
    """Write one score down. Raises NotFoundError, NotAllowedError, Refused, ConflictError once it
    is closed."""
    with transaction(context.sessions) as session:
        row, serving, cup = _served(session, join_code, place, said.cup)
        if said.line not in row.lines:
            raise Refused([Problem("line", f"'{said.line}'", f"one of {', '.join(row.lines)}")])
        key = _key(row, serving, said.warmth) | {"line": said.line}
        if said.points is None:
            taste.forget_scores(session, key)
        else:
            shot = shots.read_standing(session, cup.shot_id)
            values = {
                "points": said.points,
                "since_stop_s": age_of(context, shot, said.ago_s),
                "stirred": said.stirred,
            }
            taste.write_score(session, key, values)
        taste.tell(session, row.id)


def say_remark(context: Context, join_code: str, place: OwnSeat, said: RemarkSaid) -> None:
    """Write words and notes down. Raises as `say_score`."""
    with transaction(context.sessions) as session:
        row, serving, _cup = _served(session, join_code, place, said.cup)
        key = _key(row, serving, said.warmth)
        if said.words or said.notes.strip():
            values = {"words": list(said.words), "notes": said.notes}
            taste.write_remark(session, key, values)
        else:
            taste.forget_remark(session, key)
        taste.tell(session, row.id)


def say_choice(context: Context, join_code: str, place: OwnSeat, said: ChoiceSaid) -> None:
    """Write an answer down. Raises as `say_score`."""
    with transaction(context.sessions) as session:
        row = _open_table(session, join_code)
        _refuse_other(row, place)
        if said.question not in asked_in(row):
            asked = ", ".join(asked_in(row)) or "nothing: its cups are scored"
            raise Refused([Problem("question", f"'{said.question}'", asked)])
        places = _places_by_row(session, row, place.taster_id, said)
        key = {
            "session_id": row.id,
            "taster_id": place.taster_id,
            "round": said.round,
            "question": said.question,
        }
        taste.write_choice(session, key, places)
        taste.tell(session, row.id)


def _places_by_row(
    session: Session, row: TastingSessionRow, taster_id: int, said: ChoiceSaid
) -> Mapping[int, int]:
    """The answer by cups' row ids. Raises Refused for cups that are not those of the round."""
    row_of = {cup.number: cup.id for cup in row.cups if cup.withdrawn is None}
    served = {
        one.cup_id
        for one in taste.read_servings(session, row.id)
        if (one.taster_id, one.round) == (taster_id, said.round)
    }
    if not served:
        raise Refused([Problem("round", str(said.round), "a round that is served to this taster")])
    cups = {row_of.get(number) for number in said.places}
    asked = served & set(row_of.values())
    got = f"{len(cups)} cups"
    if cups and said.question == "odd" and (len(cups) != 1 or not cups <= asked):
        raise Refused([Problem("places", got, "one cup of this round, the odd one")])
    if cups and said.question != "odd" and cups != asked:
        raise Refused([Problem("places", got, "a place for each cup of this round")])
    return {row_of[number]: place for number, place in said.places.items()}


def _served(
    session: Session, join_code: str, place: OwnSeat, number: int
) -> tuple[TastingSessionRow, ServingRow, CupRow]:
    """An open session, and a cup with its serving to a taster."""
    row = _open_table(session, join_code)
    _refuse_other(row, place)
    if row.kind != "describe":
        raise Refused([Problem("cup", "a score", "a choice: these cups are not scored")])
    cup = next((one for one in row.cups if one.number == number), None)
    served = {
        s.cup_id: s for s in taste.read_servings(session, row.id) if s.taster_id == place.taster_id
    }
    if cup is None or cup.id not in served:
        raise Refused([Problem("cup", str(number), "a cup that is served to this taster")])
    if cup.withdrawn is not None:
        raise ConflictError("This cup was withdrawn: leave it out.")
    return row, served[cup.id], cup


def _open_table(session: Session, join_code: str) -> TastingSessionRow:
    row = taste.read_table(session, join_code, share=True)
    if row.state == "closed":
        raise ConflictError("This tasting is closed.")
    return row


def _key(row: TastingSessionRow, serving: ServingRow, warmth: Warmth) -> dict[str, Any]:
    if warmth not in row.warmths:
        raise Refused([Problem("warmth", f"'{warmth}'", f"one of {', '.join(row.warmths)}")])
    return {
        "session_id": row.id,
        "cup_id": serving.cup_id,
        "taster_id": serving.taster_id,
        "warmth": warmth,
        "served": row.served,
    }
