"""Tables of tasting: sessions, who takes part, the cups as poured, what was said about them."""

from __future__ import annotations

from datetime import datetime
from typing import Any, get_args

from sqlalchemy import (
    ARRAY,
    BigInteger,
    CheckConstraint,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    SmallInteger,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.orm import Mapped, mapped_column, relationship

from vapocline.core.taste.observations import CREMA_COLOURS
from vapocline.core.taste.sessions import MOST_ROUNDS, QUESTIONS, SessionKind
from vapocline.core.taste.tasting import HIGH, LINES, LOW, Served, Warmth
from vapocline.store.tables.base import Base, one_of

SESSION_STATES = ("open", "closed")


class TasterRow(Base):
    """Someone who tastes, known by a name; they need not use the application otherwise."""

    __tablename__ = "tasters"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        Index("uq_tasters_name", func.lower(text("name")), unique=True),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class TastingSessionRow(Base):
    """Cups tasted together. A quick session is one taster's form of one shot, one for each.

    Phones join with the `join_code`; the `seed` drew orders and codes.
    """

    __tablename__ = "tasting_sessions"
    __table_args__ = (
        UniqueConstraint("quick_shot_id", "quick_taster_id"),
        UniqueConstraint("join_code"),
        CheckConstraint(one_of("kind", get_args(SessionKind)), name="kind"),
        CheckConstraint(one_of("state", SESSION_STATES), name="state"),
        CheckConstraint(one_of("served", get_args(Served)), name="served"),
        CheckConstraint("served = 'milk' or milk_g is null", name="milk_g"),
        CheckConstraint(f"rounds between 1 and {MOST_ROUNDS}", name="rounds"),
        CheckConstraint("(state = 'closed') = (closed_at is not null)", name="closed"),
        CheckConstraint(
            "(quick_shot_id is null) = (quick_taster_id is null) "
            "and (quick_shot_id is null) = (join_code is not null)",
            name="quick",
        ),
        Index("ix_tasting_sessions_created_at", "created_at", "id"),
        Index("ix_tasting_sessions_quick_taster_id", "quick_taster_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str]
    state: Mapped[str] = mapped_column(server_default="open")
    blind: Mapped[bool]
    served: Mapped[str] = mapped_column(server_default="straight")
    milk_g: Mapped[float | None]
    warmths: Mapped[list[str]] = mapped_column(ARRAY(Text))
    lines: Mapped[list[str]] = mapped_column(ARRAY(Text))
    questions: Mapped[list[str]] = mapped_column(ARRAY(Text))
    rounds: Mapped[int] = mapped_column(SmallInteger, server_default="1")
    duplicate: Mapped[bool] = mapped_column(server_default="false")
    seed: Mapped[int] = mapped_column(BigInteger)
    join_code: Mapped[str | None]
    quick_shot_id: Mapped[int | None] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    quick_taster_id: Mapped[int | None] = mapped_column(ForeignKey("tasters.id"))
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    closed_at: Mapped[datetime | None]
    seats: Mapped[list[SeatRow]] = relationship(order_by="SeatRow.place", lazy="raise")
    cups: Mapped[list[CupRow]] = relationship(
        order_by="CupRow.id", lazy="raise", back_populates="session"
    )


class SeatRow(Base):
    """A taster in a session; `place` is the order in which they were named. Who knows the `secret`
    sits there."""

    __tablename__ = "tasting_seats"
    __table_args__ = (Index("ix_tasting_seats_taster_id", "taster_id"),)

    session_id: Mapped[int] = mapped_column(
        ForeignKey("tasting_sessions.id", ondelete="cascade"), primary_key=True
    )
    taster_id: Mapped[int] = mapped_column(ForeignKey("tasters.id"), primary_key=True)
    place: Mapped[int] = mapped_column(SmallInteger)
    secret: Mapped[str]
    taster: Mapped[TasterRow] = relationship(lazy="raise")


class CupRow(Base):
    """A cup poured from a shot, with a code where it is blind. Everyone knows it by its `number`,
    its code or drawn, so that no order of rows tells anything. `withdrawn` is why it does not
    count: spilt, gone cold, mixed up."""

    __tablename__ = "cups"
    __table_args__ = (
        UniqueConstraint("session_id", "code"),
        UniqueConstraint("session_id", "number"),
        UniqueConstraint("session_id", "id"),
        CheckConstraint(
            "number between 100 and 9999 and number::text = coalesce(code, number::text)",
            name="number",
        ),
        CheckConstraint("code ~ '^[1-9][0-9]{2}$'", name="code"),
        CheckConstraint("length(withdrawn) between 1 and 200", name="withdrawn"),
        Index("ix_cups_shot_id", "shot_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("tasting_sessions.id", ondelete="cascade"))
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    code: Mapped[str | None]
    number: Mapped[int] = mapped_column(SmallInteger)
    withdrawn: Mapped[str | None]
    session: Mapped[TastingSessionRow] = relationship(lazy="raise", back_populates="cups")
    scores: Mapped[list[ScoreRow]] = relationship(
        primaryjoin="CupRow.id == foreign(ScoreRow.cup_id)", lazy="raise", viewonly=True
    )
    remarks: Mapped[list[RemarkRow]] = relationship(
        primaryjoin="CupRow.id == foreign(RemarkRow.cup_id)", lazy="raise", viewonly=True
    )


class ServingRow(Base):
    """Which cup a taster gets at which position of a round."""

    __tablename__ = "servings"
    __table_args__ = (
        ForeignKeyConstraint(
            ["session_id", "taster_id"],
            ["tasting_seats.session_id", "tasting_seats.taster_id"],
            name="fk_servings_seat",
            ondelete="cascade",
        ),
        ForeignKeyConstraint(
            ["session_id", "cup_id"],
            ["cups.session_id", "cups.id"],
            name="fk_servings_cup",
            ondelete="cascade",
        ),
        # A taster gets each cup once, so scores and choices need only name the cup.
        UniqueConstraint("session_id", "taster_id", "cup_id"),
        CheckConstraint(f"round between 1 and {MOST_ROUNDS * 6}", name="round"),
        CheckConstraint("position >= 1", name="position"),
        Index("ix_servings_session_id_cup_id", "session_id", "cup_id"),
    )

    session_id: Mapped[int] = mapped_column(primary_key=True)
    taster_id: Mapped[int] = mapped_column(primary_key=True)
    round: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    position: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    cup_id: Mapped[int]


def _of_a_served_cup() -> ForeignKeyConstraint:
    """Only tasters who were served a cup can score or choose it."""
    columns = ["session_id", "taster_id", "cup_id"]
    return ForeignKeyConstraint(
        columns, [f"servings.{column}" for column in columns], ondelete="cascade"
    )


class ScoreRow(Base):
    """One score by a taster: a cup at a warmth, straight or in milk, on a line of the form.

    `since_stop_s` is the cup's age at that moment, None where unknown.
    """

    __tablename__ = "scores"
    __table_args__ = (
        _of_a_served_cup(),
        CheckConstraint(one_of("warmth", get_args(Warmth)), name="warmth"),
        CheckConstraint(one_of("served", get_args(Served)), name="served"),
        CheckConstraint(one_of("line", LINES), name="line"),
        CheckConstraint(f"points between {LOW} and {HIGH}", name="points"),
        CheckConstraint("since_stop_s >= 0", name="since_stop_s"),
        Index("ix_scores_served_cup", "session_id", "taster_id", "cup_id"),
    )

    cup_id: Mapped[int] = mapped_column(primary_key=True)
    taster_id: Mapped[int] = mapped_column(primary_key=True)
    warmth: Mapped[str] = mapped_column(primary_key=True)
    served: Mapped[str] = mapped_column(primary_key=True)
    line: Mapped[str] = mapped_column(primary_key=True)
    session_id: Mapped[int]
    points: Mapped[int] = mapped_column(SmallInteger)
    since_stop_s: Mapped[float | None]
    stirred: Mapped[bool] = mapped_column(server_default="false")
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class RemarkRow(Base):
    """What a taster wrote about a cup at a warmth: flavour words as tags, and notes."""

    __tablename__ = "remarks"
    __table_args__ = (
        _of_a_served_cup(),
        CheckConstraint(one_of("warmth", get_args(Warmth)), name="warmth"),
        CheckConstraint(one_of("served", get_args(Served)), name="served"),
        Index("ix_remarks_served_cup", "session_id", "taster_id", "cup_id"),
    )

    cup_id: Mapped[int] = mapped_column(primary_key=True)
    taster_id: Mapped[int] = mapped_column(primary_key=True)
    warmth: Mapped[str] = mapped_column(primary_key=True)
    served: Mapped[str] = mapped_column(primary_key=True)
    session_id: Mapped[int]
    words: Mapped[list[str]] = mapped_column(ARRAY(Text), server_default="{}")
    notes: Mapped[str] = mapped_column(server_default="")
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class ChoiceRow(Base):
    """A cup's place in an answer: 1 for the one chosen or found odd; equal places are a tie."""

    __tablename__ = "choices"
    __table_args__ = (
        _of_a_served_cup(),
        CheckConstraint(one_of("question", QUESTIONS), name="question"),
        CheckConstraint("place between 1 and 6", name="place"),
        Index(
            "uq_choices_odd", "session_id", "taster_id", "round",
            unique=True, postgresql_where=text("question = 'odd'"),
        ),
        Index("ix_choices_served_cup", "session_id", "taster_id", "cup_id"),
    )  # fmt: skip

    session_id: Mapped[int] = mapped_column(primary_key=True)
    taster_id: Mapped[int] = mapped_column(primary_key=True)
    round: Mapped[int] = mapped_column(SmallInteger, primary_key=True)
    question: Mapped[str] = mapped_column(primary_key=True)
    cup_id: Mapped[int] = mapped_column(primary_key=True)
    place: Mapped[int] = mapped_column(SmallInteger)
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class ObservationRow(Base):
    """What a shot's crema and puck looked like; None is not looked at. The puck: whole when knocked
    out, wet, with holes, with cracks."""

    __tablename__ = "observations"
    __table_args__ = (
        CheckConstraint("crema_mm between 0 and 30", name="crema_mm"),
        CheckConstraint("crema_s between 0 and 900", name="crema_s"),
        CheckConstraint(one_of("crema_colour", CREMA_COLOURS), name="crema_colour"),
    )

    shot_id: Mapped[int] = mapped_column(
        ForeignKey("shots.id", ondelete="cascade"), primary_key=True
    )
    crema_mm: Mapped[float | None]
    crema_colour: Mapped[str | None]
    crema_s: Mapped[float | None]
    puck_whole: Mapped[bool | None]
    puck_wet: Mapped[bool | None]
    puck_holes: Mapped[bool | None]
    puck_cracks: Mapped[bool | None]
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())


class ReadingRow(Base):
    """One reading of a shot's strength; the shot's strength is the mean of its readings."""

    __tablename__ = "strength_readings"
    __table_args__ = (
        CheckConstraint("tds_pct > 0 and tds_pct <= 30", name="tds_pct"),
        Index("ix_strength_readings_shot_id", "shot_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    tds_pct: Mapped[float]
    read_at: Mapped[datetime] = mapped_column(server_default=func.now())


class TargetRow(Base):
    """What a coffee should taste like."""

    __tablename__ = "taste_targets"

    coffee_id: Mapped[int] = mapped_column(
        ForeignKey("coffees.id", ondelete="cascade"), primary_key=True
    )
    document: Mapped[dict[str, Any]]
