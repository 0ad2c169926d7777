"""Queries on tasting: tasters, sessions, and what was said at them, in single statements so that
several phones may write at once."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping, Sequence
from datetime import timedelta
from typing import Any, NamedTuple

from sqlalchemy import and_, delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, selectinload

from vapocline.core.base.problems import NotFoundError
from vapocline.core.shot.events import CORRECTION_KINDS
from vapocline.core.taste.tasting import DEFAULT_LINES
from vapocline.store.shots import notify
from vapocline.store.tables import (
    ChoiceRow,
    CupRow,
    EventRow,
    ObservationRow,
    ReadingRow,
    RemarkRow,
    ScoreRow,
    SeatRow,
    ServingRow,
    ShotRow,
    TargetRow,
    TasterRow,
    TastingSessionRow,
)

QUICK_NUMBER = 1000  # of the one cup of a taster's own form
CODE_LASTS = timedelta(days=1)  # after closing
COUNTED_CUP = CupRow.withdrawn.is_(None), TastingSessionRow.state == "closed"

_LISTED = (
    selectinload(TastingSessionRow.seats).joinedload(SeatRow.taster),
    selectinload(TastingSessionRow.cups),
)
_WHOLE = (
    selectinload(TastingSessionRow.seats).joinedload(SeatRow.taster),
    selectinload(TastingSessionRow.cups).options(
        selectinload(CupRow.scores), selectinload(CupRow.remarks)
    ),
)


def taster_named(session: Session, name: str) -> TasterRow:
    """The taster of that name, in whatever case, made if there is none."""
    session.execute(insert(TasterRow).values(name=name).on_conflict_do_nothing())
    return session.scalars(
        select(TasterRow).where(func.lower(TasterRow.name) == func.lower(name))
    ).one()


def read_tasters(session: Session) -> Sequence[TasterRow]:
    """Everybody who ever tasted, by name."""
    return session.scalars(select(TasterRow).order_by(func.lower(TasterRow.name))).all()


def read_session(session: Session, session_id: int, *, lock: bool = False) -> TastingSessionRow:
    """A session with who sits at it, its cups and what was said of them. Raises NotFoundError."""
    query = select(TastingSessionRow).where(TastingSessionRow.id == session_id).options(*_WHOLE)
    return _found(
        session,
        query.with_for_update(of=TastingSessionRow) if lock else query,
        f"tasting {session_id}",
    )


def read_table(session: Session, join_code: str, *, share: bool = False) -> TastingSessionRow:
    """The session a phone joins by its code; `share` keeps it from being closed meanwhile.

    Raises NotFoundError, also a day after it was closed.
    """
    query = select(TastingSessionRow).where(
        TastingSessionRow.join_code == join_code,
        or_(
            TastingSessionRow.closed_at.is_(None),
            TastingSessionRow.closed_at > func.now() - CODE_LASTS,
        ),
    )
    query = query.options(*_WHOLE)
    if share:
        query = query.with_for_update(read=True, of=TastingSessionRow)
    return _found(session, query, f"tasting with the code {join_code}")


def _found(session: Session, query: Any, what: str) -> TastingSessionRow:
    row: TastingSessionRow | None = session.scalars(query).first()
    if row is None:
        raise NotFoundError(f"There is no {what}.")
    return row


def read_sessions(
    session: Session, *, limit: int, before: int | None
) -> Sequence[TastingSessionRow]:
    """Sessions of several cups or tasters, the newest first, without what was said in them; not the
    quick ones."""
    query = select(TastingSessionRow).where(TastingSessionRow.quick_shot_id.is_(None))
    if before is not None:
        query = query.where(TastingSessionRow.id < before)
    order = query.options(*_LISTED).order_by(TastingSessionRow.id.desc())
    return session.scalars(order.limit(limit)).all()


def read_choosing_between(
    session: Session, shot_ids: Iterable[int], *, limit: int
) -> Sequence[TastingSessionRow]:
    """Closed sessions of choices between only these shots, the newest first."""
    others = select(CupRow.id).where(
        CupRow.session_id == TastingSessionRow.id, CupRow.shot_id.not_in(list(shot_ids))
    )
    query = select(TastingSessionRow).where(
        TastingSessionRow.kind != "describe",
        TastingSessionRow.state == "closed",
        ~others.exists(),
    )
    order = query.options(*_LISTED).order_by(TastingSessionRow.id.desc())
    return session.scalars(order.limit(limit)).all()


def read_servings(session: Session, session_id: int) -> Sequence[ServingRow]:
    """What is served to whom, in order."""
    order = ServingRow.taster_id, ServingRow.round, ServingRow.position
    return session.scalars(
        select(ServingRow).where(ServingRow.session_id == session_id).order_by(*order)
    ).all()


def read_choices(session: Session, session_id: int) -> Sequence[ChoiceRow]:
    """Every answer of a session."""
    order = ChoiceRow.taster_id, ChoiceRow.round, ChoiceRow.question, ChoiceRow.place
    return session.scalars(
        select(ChoiceRow).where(ChoiceRow.session_id == session_id).order_by(*order)
    ).all()


def quick_cup(session: Session, shot_id: int, taster_id: int) -> CupRow:
    """The cup of a taster's own form of a shot, made with its session if there is none."""
    made = session.scalar(
        insert(TastingSessionRow)
        .values(
            kind="describe", state="closed", closed_at=func.now(), blind=False, seed=0,
            warmths=["hot", "warm", "cool"], lines=list(DEFAULT_LINES), questions=[],
            quick_shot_id=shot_id, quick_taster_id=taster_id,
        )
        .on_conflict_do_nothing()
        .returning(TastingSessionRow.id)
    )  # fmt: skip
    if made is not None:
        cup = CupRow(session_id=made, shot_id=shot_id, number=QUICK_NUMBER)
        seat = SeatRow(
            session_id=made, taster_id=taster_id, place=1, secret=secrets.token_urlsafe()
        )
        session.add_all([seat, cup])
        session.flush()
        session.add(
            ServingRow(session_id=made, taster_id=taster_id, round=1, position=1, cup_id=cup.id)
        )
        session.flush()
        return cup
    cup_found: CupRow = session.scalars(
        select(CupRow)
        .join(TastingSessionRow, CupRow.session_id == TastingSessionRow.id)
        .where(
            TastingSessionRow.quick_shot_id == shot_id,
            TastingSessionRow.quick_taster_id == taster_id,
        )
    ).one()
    return cup_found


def read_scores(session: Session, key: Mapping[str, Any]) -> Sequence[ScoreRow]:
    """The scores of a cup, by a taster, at a warmth, served one way."""
    return session.scalars(select(ScoreRow).filter_by(**key)).all()


def write_score(session: Session, key: Mapping[str, Any], values: Mapping[str, Any]) -> None:
    """Write a score over what was there. `key` is cup, taster, warmth, serving and line."""
    again = {**values, "changed_at": func.now()}
    session.execute(
        insert(ScoreRow)
        .values(**key, **values)
        .on_conflict_do_update(
            index_elements=["cup_id", "taster_id", "warmth", "served", "line"], set_=again
        )
    )


def write_remark(session: Session, key: Mapping[str, Any], values: Mapping[str, Any]) -> None:
    """Write a taster's words on a cup over what was there."""
    again = {**values, "changed_at": func.now()}
    session.execute(
        insert(RemarkRow)
        .values(**key, **values)
        .on_conflict_do_update(
            index_elements=["cup_id", "taster_id", "warmth", "served"], set_=again
        )
    )


def forget_scores(session: Session, key: Mapping[str, Any]) -> None:
    """Take scores back, all that the key names."""
    session.execute(delete(ScoreRow).filter_by(**key))


def forget_remark(session: Session, key: Mapping[str, Any]) -> None:
    """Take a taster's words on a cup back."""
    session.execute(delete(RemarkRow).filter_by(**key))


def write_choice(session: Session, key: Mapping[str, Any], places: Mapping[int, int]) -> None:
    """Write a whole answer over what was there. `key` is session, taster, round and question. Two
    phones of one taster wait for each other."""
    seat = select(SeatRow).filter_by(session_id=key["session_id"], taster_id=key["taster_id"])
    session.execute(seat.with_for_update())
    session.execute(delete(ChoiceRow).filter_by(**key))
    session.add_all(ChoiceRow(**key, cup_id=cup, place=place) for cup, place in places.items())


def read_repeated_scores(session: Session) -> Iterable[tuple[str, ScoreRow, int]]:
    """Scores of drinks that a taster scored more than once in the same way: by whom, the score, of
    which shot. Open sessions and withdrawn cups do not count."""
    same_way = (
        ScoreRow.taster_id, CupRow.shot_id, ScoreRow.warmth, ScoreRow.served, ScoreRow.line,
    )  # fmt: skip
    counted = (
        select(
            ScoreRow.cup_id, ScoreRow.taster_id, ScoreRow.warmth, ScoreRow.served, ScoreRow.line,
            CupRow.shot_id, func.count().over(partition_by=same_way).label("times"),
        )
        .join(CupRow, CupRow.id == ScoreRow.cup_id)
        .join(TastingSessionRow, TastingSessionRow.id == ScoreRow.session_id)
        .where(*COUNTED_CUP)
        .subquery()
    )  # fmt: skip
    key = ("cup_id", "taster_id", "warmth", "served", "line")
    query = (
        select(TasterRow.name, ScoreRow, counted.c.shot_id)
        .join(counted, and_(*(getattr(ScoreRow, name) == counted.c[name] for name in key)))
        .join(TasterRow, TasterRow.id == ScoreRow.taster_id)
        .where(counted.c.times > 1)
    )
    return [(row[0], row[1], row[2]) for row in session.execute(query)]


class TastedPull(NamedTuple):
    """What a tasted shot was pulled with."""

    id: int
    coffee_id: int
    bag_id: int | None
    machine_id: int
    grinder_id: int | None
    basket_id: int | None
    preparation_id: int | None
    version_id: int
    grind_setting: float | None
    dose_g: float
    water_c: float
    target_yield_g: float


def read_untouched_pulls(session: Session, *, limit: int) -> list[TastedPull]:
    """Whole pulls that ran as planned, among the newest of which some cup was scored: not steered,
    nudged, held or skipped by hand, nor set aside. The oldest first."""
    scored = (  # from the cups on: of many shots few are tasted
        select(CupRow.shot_id)
        .join(ScoreRow, ScoreRow.cup_id == CupRow.id)
        .join(TastingSessionRow, TastingSessionRow.id == CupRow.session_id)
        .where(*COUNTED_CUP)
        .distinct()
        .order_by(CupRow.shot_id.desc())
        .limit(limit)
    )
    touched = select(EventRow.id).where(
        EventRow.shot_id == ShotRow.id,
        or_(
            EventRow.kind.in_(CORRECTION_KINDS),
            EventRow.document["after"].astext.in_(("skip", "hand")),
        ),
    )
    rows = session.execute(
        select(*(getattr(ShotRow, name) for name in TastedPull._fields))
        .where(
            ShotRow.coffee_id.is_not(None),
            ShotRow.state == "done",
            ShotRow.plan_known,
            ShotRow.set_aside.is_(None),
            ~ShotRow.dry,
            ~ShotRow.manual,
            ShotRow.id.in_(scored),
            ~touched.exists(),
        )
        .order_by(ShotRow.id)
    )
    return [TastedPull(*row) for row in rows]


def read_scores_of(session: Session, shot_ids: Sequence[int]) -> list[tuple[int, str, ScoreRow]]:
    """Every score that counts of some shots: of which, by whom, and the score."""
    query = (
        select(CupRow.shot_id, TasterRow.name, ScoreRow)
        .join(CupRow, CupRow.id == ScoreRow.cup_id)
        .join(TasterRow, TasterRow.id == ScoreRow.taster_id)
        .join(TastingSessionRow, TastingSessionRow.id == ScoreRow.session_id)
        .where(
            CupRow.shot_id.in_(shot_ids),
            *COUNTED_CUP,
        )
    )
    return [(row[0], row[1], row[2]) for row in session.execute(query)]


def read_target(session: Session, coffee_id: int) -> TargetRow | None:
    """What a coffee is to taste of; None where nobody said."""
    return session.get(TargetRow, coffee_id)


def write_observation(session: Session, shot_id: int, values: Mapping[str, Any]) -> None:
    """Write what crema and puck looked like over what was there."""
    again = {**values, "changed_at": func.now()}
    session.execute(
        insert(ObservationRow)
        .values(shot_id=shot_id, **values)
        .on_conflict_do_update(index_elements=["shot_id"], set_=again)
    )


def write_readings(session: Session, shot_id: int, readings: Iterable[float]) -> None:
    """Replace the strengths that were read of a shot."""
    session.execute(delete(ReadingRow).where(ReadingRow.shot_id == shot_id))
    session.add_all(ReadingRow(shot_id=shot_id, tds_pct=tds) for tds in readings)


def remove_session(session: Session, session_id: int) -> None:
    """Remove a session and all that hangs on it."""
    session.execute(delete(TastingSessionRow).where(TastingSessionRow.id == session_id))


def tell(session: Session, session_id: int) -> None:
    """Let every page that watches a session know that something changed in it."""
    notify(session, {"tasting": session_id})
