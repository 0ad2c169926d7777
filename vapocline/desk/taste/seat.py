"""A taster's place at a session, as a phone shows it: cups by their codes, and what they say."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer, Note
from vapocline.core.base.problems import ConflictError, NotFoundError, Problem, Refused
from vapocline.core.taste.ages import PROMPTS
from vapocline.core.taste.sessions import Question, SessionKind
from vapocline.core.taste.tasting import Line, Score, Warmth, Words
from vapocline.desk.context import Context
from vapocline.desk.read.shots import ShotTraces, whole_of
from vapocline.desk.taste.table import SessionFacts, asked_in, names_of, shots_on
from vapocline.desk.taste.tasting import age_of
from vapocline.store import shots, taste
from vapocline.store.database import transaction
from vapocline.store.tables import ServingRow, ShotRow, TastingSessionRow

LONGEST_AGO_S = 3600.0


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
    """A cup in the order in which it is to be tasted. Its shot is named only where nothing is
    blind or all is revealed."""

    cup_id: int
    round: int
    position: int
    code: str | None
    shot_id: int | None
    name: str | None
    withdrawn: bool


class SeatScore(Answer):
    """A score given."""

    cup_id: int
    warmth: Warmth
    line: Line
    points: int
    stirred: bool


class SeatRemark(Answer):
    """Words and notes on a cup at a warmth."""

    cup_id: int
    warmth: Warmth
    words: list[str]
    notes: str


class SeatChoice(Answer):
    """An answer given: each cup's place, 1 for what was chosen or found odd."""

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


class ScoreSaid(BaseModel):
    """A score, or None to take it back; given `ago_s` seconds ago by the phone's own count."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    cup_id: int
    warmth: Warmth
    line: Line
    points: Score | None
    stirred: bool = False
    ago_s: Annotated[float, Field(ge=0, le=LONGEST_AGO_S)] = 0.0


class RemarkSaid(BaseModel):
    """Words and notes on a cup, over what was there."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    cup_id: int
    warmth: Warmth
    words: Words = ()
    notes: Note = ""


class ChoiceSaid(BaseModel):
    """An answer: the odd one alone, or a place for every cup of the round; none takes it back."""

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


def read_seat(context: Context, join_code: str, taster_id: int) -> Seat:
    """A taster's place. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return _seat(context, session, taste.read_table(session, join_code), taster_id)


def read_curve(context: Context, join_code: str, cup_id: int) -> ShotTraces:
    """The curve of a cup's shot, where it is not blind or all is revealed.

    Raises NotFoundError, ConflictError while it is blind.
    """
    with transaction(context.sessions) as session:
        row = taste.read_table(session, join_code)
        cup = next((one for one in row.cups if one.id == cup_id), None)
        if cup is None:
            raise NotFoundError(f"There is no cup {cup_id} on this table.")
        if row.blind and row.state == "open":
            raise ConflictError("Nothing is revealed before the tasting is closed.")
        return whole_of(session, shots.read_shot(session, cup.shot_id)).traces


def _seat(context: Context, session: Session, row: TastingSessionRow, taster_id: int) -> Seat:
    name = _name_at(row, taster_id)
    own = [s for s in taste.read_servings(session, row.id) if s.taster_id == taster_id]
    on_table = shots_on(session, row)
    choices: dict[tuple[int, str], dict[int, int]] = {}
    for choice in taste.read_choices(session, row.id):
        if choice.taster_id == taster_id:
            choices.setdefault((choice.round, choice.question), {})[choice.cup_id] = choice.place
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
            SeatScore(**{n: getattr(one, n) for n in SeatScore.model_fields})
            for cup in row.cups
            for one in cup.scores
            if one.taster_id == taster_id
        ],
        remarks=[
            SeatRemark(**{n: getattr(one, n) for n in SeatRemark.model_fields})
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


def _name_at(row: TastingSessionRow, taster_id: int) -> str:
    name = next((s.taster.name for s in row.seats if s.taster_id == taster_id), None)
    if name is None:
        raise NotFoundError(f"Nobody of that number sits at this tasting: {taster_id}.")
    return name


def _cups(row: TastingSessionRow, own: list[ServingRow], on_table: list[ShotRow]) -> list[SeatCup]:
    cups = {cup.id: cup for cup in row.cups}
    names = names_of(on_table)
    open_to_see = row.state == "closed" or not row.blind
    return [
        SeatCup(
            cup_id=one.cup_id,
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


def say_score(context: Context, join_code: str, taster_id: int, said: ScoreSaid) -> None:
    """Write one score down. Raises NotFoundError, Refused, ConflictError once it is closed."""
    with transaction(context.sessions) as session:
        row, serving = _served(session, join_code, taster_id, said.cup_id)
        if said.line not in row.lines:
            raise Refused([Problem("line", f"'{said.line}'", f"one of {', '.join(row.lines)}")])
        key = _key(row, serving, said.warmth) | {"line": said.line}
        if said.points is None:
            taste.forget_scores(session, key)
        else:
            cup = next(one for one in row.cups if one.id == said.cup_id)
            shot = shots.read_standing(session, cup.shot_id)
            values = {
                "points": said.points,
                "since_stop_s": age_of(context, shot, said.ago_s),
                "stirred": said.stirred,
            }
            taste.write_score(session, key, values)
        taste.tell(session, row.id)


def say_remark(context: Context, join_code: str, taster_id: int, said: RemarkSaid) -> None:
    """Write words and notes down. Raises NotFoundError, Refused, ConflictError once closed."""
    with transaction(context.sessions) as session:
        row, serving = _served(session, join_code, taster_id, said.cup_id)
        key = _key(row, serving, said.warmth)
        if said.words or said.notes.strip():
            values = {"words": list(said.words), "notes": said.notes}
            taste.write_remark(session, key, values)
        else:
            taste.forget_remark(session, key)
        taste.tell(session, row.id)


def say_choice(context: Context, join_code: str, taster_id: int, said: ChoiceSaid) -> None:
    """Write an answer down. Raises NotFoundError, Refused, ConflictError once closed."""
    with transaction(context.sessions) as session:
        row = _open_table(session, join_code)
        _name_at(row, taster_id)
        if said.question not in asked_in(row):
            asked = ", ".join(asked_in(row)) or "nothing: its cups are scored"
            raise Refused([Problem("question", f"'{said.question}'", asked)])
        _check_places(session, row, taster_id, said)
        key = {
            "session_id": row.id,
            "taster_id": taster_id,
            "round": said.round,
            "question": said.question,
        }
        taste.write_choice(session, key, said.places)
        taste.tell(session, row.id)


def _check_places(
    session: Session, row: TastingSessionRow, taster_id: int, said: ChoiceSaid
) -> None:
    gone = {cup.id for cup in row.cups if cup.withdrawn is not None}
    served = {
        one.cup_id
        for one in taste.read_servings(session, row.id)
        if (one.taster_id, one.round) == (taster_id, said.round)
    }
    if not served:
        raise Refused([Problem("round", str(said.round), "a round that is served to this taster")])
    if not said.places:
        return
    cups = set(said.places)
    got = f"{len(cups)} cups"
    if said.question == "odd" and (len(cups) != 1 or not cups <= served - gone):
        raise Refused([Problem("places", got, "one cup of this round, the odd one")])
    if said.question != "odd" and cups != served - gone:
        raise Refused([Problem("places", got, "a place for each cup of this round")])


def _served(
    session: Session, join_code: str, taster_id: int, cup_id: int
) -> tuple[TastingSessionRow, ServingRow]:
    """An open session and the serving of a cup to a taster."""
    row = _open_table(session, join_code)
    _name_at(row, taster_id)
    if row.kind != "describe":
        raise Refused([Problem("cup_id", "a score", "a choice: these cups are not scored")])
    servings = taste.read_servings(session, row.id)
    found = next((s for s in servings if (s.taster_id, s.cup_id) == (taster_id, cup_id)), None)
    if found is None:
        raise Refused([Problem("cup_id", str(cup_id), "a cup that is served to this taster")])
    if next(cup for cup in row.cups if cup.id == cup_id).withdrawn is not None:
        raise ConflictError("This cup was withdrawn: leave it out.")
    return row, found


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
