"""Tastings of several cups by several people: set up, listed, closed, removed."""

from __future__ import annotations

import secrets
from collections import Counter
from collections.abc import Sequence
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import ConflictError, Problem, Refused
from vapocline.core.taste.caffeine import Tally
from vapocline.core.taste.designs import numbers_for
from vapocline.core.taste.prospects import prospects
from vapocline.core.taste.sessions import (
    Design,
    SessionSetup,
    check_setup,
    design,
    shares_cups,
)
from vapocline.core.taste.tasting import LINES
from vapocline.core.taste.wording import listed
from vapocline.desk.context import Context
from vapocline.desk.taste.spread import spreads_here
from vapocline.desk.taste.table import (
    SessionLine,
    TastingSession,
    caffeine_of,
    lines_of,
    progress_of,
    session_of,
    warnings_of,
)
from vapocline.store import house, shots, taste
from vapocline.store.database import transaction
from vapocline.store.tables import CupRow, SeatRow, ServingRow, ShotRow, TastingSessionRow

JOIN_LETTERS = "bcdfghjkmnpqrstvwxz"  # no vowels: no words; none that reads as a digit
JOIN_LENGTH, SECRET_LENGTH = 6, 10


class Withdrawal(BaseModel):
    """Why a cup does not count; None brings it back."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    reason: Annotated[str, Field(min_length=1, max_length=200)] | None


class Closing(BaseModel):
    """Close a session; `incomplete` also with answers missing."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    incomplete: bool = False


class SessionPreview(Answer):
    """What a tasting would serve and could tell, before it is drawn."""

    cups: int
    prospects: list[str]
    warnings: list[str]
    caffeine: Tally


def preview_session(context: Context, setup: SessionSetup) -> SessionPreview:
    """What a tasting would serve and could tell; nothing is stored. Raises as start_session."""
    check_setup(setup)
    drawn = design(setup, 1)
    with transaction(context.sessions) as session:
        rows = shots.read_numbered(session, setup.shot_ids)
        on_table = [rows[number] for number in setup.shot_ids]
        _refuse_unfinished(on_table)
        poured = Counter(setup.shot_ids[cup.shot] for cup in drawn.cups)
        sharers = len(setup.tasters) if shares_cups(setup.kind) else 1
        served = [
            rows[setup.shot_ids[drawn.cups[cup].shot]]
            for serving in drawn.servings
            if serving.taster == 0
            for cup in serving.cups
        ]
        return SessionPreview(
            cups=len(drawn.cups),
            prospects=prospects(setup, spreads_here(session)),
            warnings=warnings_of(context, on_table, poured),
            caffeine=caffeine_of(served, poured, sharers),
        )


def start_session(context: Context, setup: SessionSetup, seed: int | None = None) -> TastingSession:
    """Draw a session's orders and codes, by a `seed` where they are to be the same again, and store
    it. Raises Refused, NotFoundError."""
    check_setup(setup)
    seed = secrets.randbelow(2**31) if seed is None else seed
    drawn = design(setup, seed)
    with transaction(context.sessions) as session:
        rows = shots.read_numbered(session, setup.shot_ids)
        _refuse_unfinished([rows[number] for number in setup.shot_ids])
        row = TastingSessionRow(
            kind=setup.kind,
            blind=setup.blind,
            served=setup.served,
            milk_g=setup.milk_g,
            warmths=list(setup.warmths),
            lines=_lines_of(session, setup),
            questions=list(setup.questions) if setup.kind == "pair" else [],
            rounds=setup.rounds,
            duplicate=setup.duplicate,
            seed=seed,
            join_code=_letters(JOIN_LENGTH),
            created_at=context.now(),
        )
        session.add(row)
        session.flush()
        _seat(session, row, drawn, setup)
        session.flush()
        session.expire_all()
        return session_of(context, session, taste.read_session(session, row.id))


def _refuse_unfinished(rows: Sequence[ShotRow]) -> None:
    for row in rows:
        if row.state == "running":
            raise ConflictError(f"Shot {row.id} still runs.")
        if row.dry:
            got = f"shot {row.id}, a dry run"
            raise Refused([Problem("shot_ids", got, "shots with coffee")])


def _lines_of(session: Session, setup: SessionSetup) -> list[str]:
    """What is scored: as asked for, or what the house scores; nothing where cups are chosen."""
    if setup.kind != "describe":
        return []
    asked = setup.lines or house.lines_of_house(session)
    return [line for line in LINES if line in asked]


def _letters(length: int) -> str:
    return "".join(secrets.choice(JOIN_LETTERS) for _ in range(length))


def _seat(session: Session, row: TastingSessionRow, drawn: Design, setup: SessionSetup) -> None:
    tasters = [taste.taster_named(session, name) for name in setup.tasters]
    numbers = numbers_for(len(drawn.cups), row.seed)
    cups = [
        CupRow(
            session_id=row.id,
            shot_id=setup.shot_ids[cup.shot],
            code=cup.code,
            number=number if cup.code is None else int(cup.code),
        )
        for cup, number in zip(drawn.cups, numbers, strict=True)
    ]
    seats = [
        SeatRow(session_id=row.id, taster_id=one.id, place=place, secret=_letters(SECRET_LENGTH))
        for place, one in enumerate(tasters, start=1)
    ]
    # In no order that tells anything of them.
    session.add_all([*seats, *secrets.SystemRandom().sample(cups, len(cups))])
    session.flush()
    session.add_all(
        ServingRow(
            session_id=row.id,
            taster_id=tasters[serving.taster].id,
            round=serving.round,
            position=position,
            cup_id=cups[cup].id,
        )
        for serving in drawn.servings
        for position, cup in enumerate(serving.cups, start=1)
    )


def list_sessions(
    context: Context, *, limit: int = 20, before: int | None = None
) -> list[SessionLine]:
    """Sessions, the newest first."""
    with transaction(context.sessions) as session:
        return lines_of(session, taste.read_sessions(session, limit=limit, before=before))


def read_session(context: Context, session_id: int) -> TastingSession:
    """A session as its host sees it. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        return session_of(context, session, taste.read_session(session, session_id))


def withdraw_cup(
    context: Context, session_id: int, number: int, withdrawal: Withdrawal
) -> TastingSession:
    """Leave a cup out, or count it again; what was said about it is kept.

    Raises NotFoundError, ConflictError once the session is closed.
    """
    with transaction(context.sessions) as session:
        row = _still_open(taste.read_session(session, session_id, lock=True))
        cup = next((one for one in row.cups if one.number == number), None)
        if cup is None:
            got = f"cup {number}"
            raise Refused([Problem("cup", got, "a cup of this session")])
        cup.withdrawn = withdrawal.reason
        session.flush()
        taste.tell(session, row.id)
        return session_of(context, session, row)


def close_session(context: Context, session_id: int, closing: Closing) -> TastingSession:
    """End a session and reveal it; a closed one stays as it is. Raises NotFoundError, and
    ConflictError while answers are missing, unless it is to be closed incomplete.
    """
    with transaction(context.sessions) as session:
        row = taste.read_session(session, session_id, lock=True)
        if row.state == "open":
            progress = progress_of(session, row, taste.read_servings(session, row.id))
            missing = [
                f"{seat.taster.name} has given {given} of {asked}"
                for seat in row.seats
                for given, asked in [progress[seat.taster_id]]
                if given < asked
            ]
            if missing and not closing.incomplete:
                raise ConflictError(f"Answers are missing: {listed(missing)}.")
            row.state, row.closed_at = "closed", context.now()
            session.flush()
            taste.tell(session, row.id)
        return session_of(context, session, row)


def remove_session(context: Context, session_id: int) -> None:
    """Remove a session with everything said in it. Raises NotFoundError."""
    with transaction(context.sessions) as session:
        row = taste.read_session(session, session_id, lock=True)
        taste.tell(session, row.id)
        taste.remove_session(session, row.id)


def _still_open(row: TastingSessionRow) -> TastingSessionRow:
    if row.state == "closed":
        raise ConflictError("This tasting is closed.")
    return row


def list_tasters(context: Context) -> list[str]:
    """Everybody who ever tasted, by name."""
    with transaction(context.sessions) as session:
        return [row.name for row in taste.read_tasters(session)]
