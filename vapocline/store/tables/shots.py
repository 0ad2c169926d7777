"""Tables of shots: as pulled, and what happened."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import (
    ARRAY,
    CheckConstraint,
    ForeignKey,
    Index,
    Text,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.orm import (
    Mapped,
    mapped_column,
    relationship,
)

from vapocline.core.shot.events import EVENT_KINDS
from vapocline.core.shot.limits import HEAVIEST_G, LIGHTEST_G, LONGEST_S
from vapocline.core.shot.traces import CHANNELS
from vapocline.store.tables.base import Base, one_of
from vapocline.store.tables.profiles import VersionRow
from vapocline.store.tables.shelf import CoffeeRow, GrinderRow, MachineRow
from vapocline.store.tables.taste import CupRow, ObservationRow, ReadingRow


class SeriesRow(Base):
    """Pulls of one plan, repeated to see how far they differ."""

    __tablename__ = "series"
    __table_args__ = (CheckConstraint("wanted between 2 and 50", name="wanted"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"), index=True)
    wanted: Mapped[int]
    tolerance: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    version: Mapped[VersionRow] = relationship(lazy="raise")


ORIGINS = ("pulled", "csv", "picture")
SHOT_STATES = ("running", "done", "incomplete")


class ShotRow(Base):
    """One pull: recipe and profile as run, traces as one array a channel, result.

    `conditions` is what was true when it was pulled; `token` the machine's own name for the shot;
    `commander` the page that steers it; `seen_at` when an incomplete one was looked at.
    """

    __tablename__ = "shots"
    __table_args__ = (
        CheckConstraint(one_of("state", SHOT_STATES), name="state"),
        CheckConstraint("dose_g > 0 and target_yield_g > 0", name="recipe"),
        CheckConstraint(
            " and ".join(
                f"cardinality({channel}) = cardinality(time_s)"
                for channel in CHANNELS
                if channel != "time_s"
            ),
            name="one_clock",
        ),
        CheckConstraint("tds_pct > 0 and tds_pct <= 30", name="tds_pct"),
        CheckConstraint(f"shot_time_s between 0 and {LONGEST_S:g}", name="shot_time_s"),
        CheckConstraint(f"yield_g between {LIGHTEST_G:g} and {HEAVIEST_G:g}", name="yield_g"),
        CheckConstraint(one_of("origin", ORIGINS), name="origin"),
        CheckConstraint("length(set_aside) between 1 and 200", name="set_aside"),
        # Lists are read from the newest back, of all or of one thing.
        Index("ix_shots_started_at", "started_at", "id"),
        Index("ix_shots_version_id", "version_id", "started_at", "id"),
        Index("ix_shots_coffee_id", "coffee_id", "started_at", "id"),
        Index("ix_shots_machine_id", "machine_id", "started_at", "id"),
        Index("ix_shots_grinder_id", "grinder_id", "started_at", "id"),
        Index("ix_shots_together", "coffee_id", "grinder_id"),
        Index(
            "ix_shots_unread",
            "id",
            postgresql_where=text("findings is null and state <> 'running' and not dry"),
        ),
        Index("ix_shots_running", "id", postgresql_where=text("state = 'running'")),
        Index(
            "ix_shots_unseen",
            "id",
            postgresql_where=text("state = 'incomplete' and seen_at is null"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[str]
    trouble: Mapped[str | None]
    started_at: Mapped[datetime] = mapped_column(server_default=func.now())
    person_id: Mapped[int | None] = mapped_column(
        ForeignKey("people.id", ondelete="set null"), index=True
    )
    bench_id: Mapped[int | None] = mapped_column(
        ForeignKey("benches.id", ondelete="set null"), index=True
    )
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"))
    coffee_id: Mapped[int | None] = mapped_column(ForeignKey("coffees.id"))
    bag_id: Mapped[int | None] = mapped_column(ForeignKey("bags.id"), index=True)
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    preparation_id: Mapped[int | None] = mapped_column(ForeignKey("preparations.id"), index=True)
    basket_id: Mapped[int | None] = mapped_column(
        ForeignKey("baskets.id", ondelete="set null"), index=True
    )
    dose_g: Mapped[float]
    target_yield_g: Mapped[float]
    grind_setting: Mapped[float | None]
    rest_days: Mapped[float | None]
    water_c: Mapped[float]
    plan: Mapped[dict[str, Any]]
    prediction: Mapped[dict[str, Any]]
    conditions: Mapped[dict[str, Any]]
    simulated: Mapped[bool]
    wired: Mapped[bool]
    time_s: Mapped[list[float]] = mapped_column(server_default="{}")
    pressure_bar: Mapped[list[float]] = mapped_column(server_default="{}")
    water_in_ml_s: Mapped[list[float]] = mapped_column(server_default="{}")
    cup_out_ml_s: Mapped[list[float]] = mapped_column(server_default="{}")
    cup_g: Mapped[list[float]] = mapped_column(server_default="{}")
    group_c: Mapped[list[float]] = mapped_column(server_default="{}")
    commanded: Mapped[list[float]] = mapped_column(server_default="{}")
    phase: Mapped[list[float]] = mapped_column(server_default="{}")
    by_hand: Mapped[list[float]] = mapped_column(server_default="{}")
    token: Mapped[str | None]
    commander: Mapped[str | None]
    manual: Mapped[bool] = mapped_column(server_default="false")
    dry: Mapped[bool] = mapped_column(server_default="false")  # a disc in the puck's place
    series_id: Mapped[int | None] = mapped_column(
        ForeignKey("series.id", ondelete="set null"), index=True
    )
    seen_at: Mapped[datetime | None]
    origin: Mapped[str] = mapped_column(server_default="pulled")  # or brought in, and how
    plan_known: Mapped[bool] = mapped_column(server_default="true")  # whether it ran by its plan
    set_aside: Mapped[str | None]  # why the shot counts nowhere
    findings: Mapped[list[str] | None] = mapped_column(ARRAY(Text))  # kinds; None before it is read
    knowledge_id: Mapped[int | None] = mapped_column(  # that its forecast took
        ForeignKey("knowledge.id", ondelete="set null"), index=True
    )
    stop_cue_g: Mapped[float | None]  # the weight at which a hand was to stop it
    yield_g: Mapped[float | None]
    shot_time_s: Mapped[float | None]
    first_drip_s: Mapped[float | None]
    full_pressure_s: Mapped[float | None]
    cup_at_stop_g: Mapped[float | None]
    last_flow_g_s: Mapped[float | None]  # into the cup, as it stopped
    peak_pressure_bar: Mapped[float | None]
    water_in_ml: Mapped[float | None]
    tds_pct: Mapped[float | None]  # measured, never worked out
    version: Mapped[VersionRow] = relationship(lazy="raise")
    coffee: Mapped[CoffeeRow | None] = relationship(lazy="raise")
    grinder: Mapped[GrinderRow | None] = relationship(lazy="raise")
    machine: Mapped[MachineRow] = relationship(lazy="raise")
    cups: Mapped[list[CupRow]] = relationship(order_by="CupRow.id", lazy="raise", viewonly=True)
    readings: Mapped[list[ReadingRow]] = relationship(
        order_by="ReadingRow.id", lazy="raise", viewonly=True
    )
    observation: Mapped[ObservationRow | None] = relationship(lazy="raise", viewonly=True)


class EventRow(Base):
    """Something that happened during a shot: when, what kind, in which phase, and all of it; with
    the device's sequence number, by which what it said is kept once."""

    __tablename__ = "shot_events"
    __table_args__ = (
        CheckConstraint(one_of("kind", EVENT_KINDS), name="kind"),
        Index("ix_shot_events_shot_id", "shot_id", "id"),
        Index("ix_shot_events_kind", "kind", "shot_id"),
        Index(
            "uq_shot_events_number",
            "shot_id",
            "number",
            unique=True,
            postgresql_where=text("number is not null"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    time_s: Mapped[float]
    kind: Mapped[str]
    phase: Mapped[int | None]
    document: Mapped[dict[str, Any]]
    number: Mapped[int | None]


class JournalRow(Base):
    """What was heard of a running shot at once, as it came; taken into the shot when it ends.

    Its recorder numbers its batches, so that one that is sent again is kept once. `events` and
    `made_at`, the device's clock, are for whoever watches.
    """

    __tablename__ = "shot_journal"
    __table_args__ = (UniqueConstraint("shot_id", "recorder", "batch"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    recorder: Mapped[str]
    batch: Mapped[int]
    heard: Mapped[int]  # the sequence number due next
    columns: Mapped[dict[str, Any]]
    events: Mapped[list[Any]] = mapped_column(server_default=text("'[]'"))
    made_at: Mapped[float | None]
