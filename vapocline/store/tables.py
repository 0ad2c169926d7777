"""The tables. Rules that must hold live here as constraints, not only in the code above."""

from __future__ import annotations

from datetime import date, datetime
from typing import TYPE_CHECKING, Any, get_args

from sqlalchemy import (
    ARRAY,
    CheckConstraint,
    Double,
    ForeignKey,
    Index,
    MetaData,
    SmallInteger,
    Text,
    UniqueConstraint,
    func,
    select,
    text,
)
from sqlalchemy.dialects.postgresql import JSONB, TIMESTAMP
from sqlalchemy.orm import (
    DeclarativeBase,
    Mapped,
    column_property,
    mapped_column,
    relationship,
)

from vapocline.core.coffee.basket import BasketShape
from vapocline.core.coffee.coffee import Roast
from vapocline.core.coffee.recipe import Follows
from vapocline.core.machine.calibration.measured import What
from vapocline.core.shot.events import EVENT_KINDS
from vapocline.core.shot.traces import CHANNELS
from vapocline.core.taste.tasting import ATTRIBUTES, HIGH, LOW, Served, Warmth


class Base(DeclarativeBase):
    """Names every constraint, so that a violated one can be named to the user."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(table_name)s_%(column_0_name)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012
        str: Text,
        float: Double,
        datetime: TIMESTAMP(timezone=True),
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        list[float]: ARRAY(Double),
    }


def one_of(column: str, values: tuple[str, ...]) -> str:
    """SQL for a column that takes only these words."""
    return f"{column} in ({', '.join(repr(value) for value in values)})"


class CoffeeRow(Base):
    """A coffee; its newest bag is the one in use."""

    __tablename__ = "coffees"
    __table_args__ = (
        CheckConstraint(one_of("roast", get_args(Roast)), name="roast"),
        CheckConstraint("name <> ''", name="name"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    roast: Mapped[str]
    process: Mapped[str] = mapped_column(server_default="")
    decaf: Mapped[bool] = mapped_column(server_default="false")
    blend: Mapped[bool] = mapped_column(server_default="false")
    density_g_ml: Mapped[float | None]
    crema_ml_per_g: Mapped[float | None]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    bags: Mapped[list[BagRow]] = relationship(
        back_populates="coffee",
        order_by="BagRow.id",
        lazy="selectin",
        cascade="all, delete",
        passive_deletes=True,
    )


class BagRow(Base):
    """A bag of a coffee; what is left of it is worked out from the shots pulled from it."""

    __tablename__ = "bags"
    __table_args__ = (CheckConstraint("bag_g > 0", name="bag_g"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    coffee_id: Mapped[int] = mapped_column(ForeignKey("coffees.id", ondelete="cascade"))
    roasted_on: Mapped[date | None]
    bag_g: Mapped[float | None]
    opened_at: Mapped[datetime] = mapped_column(server_default=func.now())
    coffee: Mapped[CoffeeRow] = relationship(back_populates="bags", lazy="raise")

    if TYPE_CHECKING:  # worked out from the shots, once their table is known
        used_g: float
        shots: int


class BasketRow(Base):
    """A basket: its size, its shape, and the doses it is made for."""

    __tablename__ = "baskets"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        CheckConstraint(one_of("shape", get_args(BasketShape)), name="shape"),
        CheckConstraint("least_g <= most_g", name="doses"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    diameter_mm: Mapped[float]
    shape: Mapped[str]
    least_g: Mapped[float]
    most_g: Mapped[float]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class GrinderRow(Base):
    """A grinder with the points that turn its settings into µm."""

    __tablename__ = "grinders"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        CheckConstraint(
            "cardinality(settings) = cardinality(grind_um) and cardinality(settings) >= 2",
            name="points",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    settings: Mapped[list[float]]
    grind_um: Mapped[list[float]]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class MachineRow(Base):
    """A machine's document, and where it and its scale answer; without, the simulated simulators.

    One that is not `wired` answers nowhere: it is worked and read by hand.
    `on_since` is when it was switched on, `with_steam` whether it must be warm enough to steam.
    """

    __tablename__ = "machines"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        CheckConstraint("document->>'name' = name", name="document_name"),
        CheckConstraint("wired or address is null", name="wired"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    document: Mapped[dict[str, Any]]
    wired: Mapped[bool] = mapped_column(server_default="true")
    address: Mapped[str | None]
    scale_address: Mapped[str | None]
    on_since: Mapped[datetime | None]
    with_steam: Mapped[bool] = mapped_column(server_default="false")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class CalibrationRow(Base):
    """One calibration of a machine, a coffee or a grinder; old ones stay, one of a kind is used."""

    __tablename__ = "calibrations"
    __table_args__ = (
        CheckConstraint(one_of("what", get_args(What)), name="what"),
        CheckConstraint("num_nonnulls(machine_id, coffee_id, grinder_id) = 1", name="subject"),
        Index(
            "uq_calibrations_in_use",
            "what",
            text("coalesce(machine_id, 0)"),
            text("coalesce(coffee_id, 0)"),
            text("coalesce(grinder_id, 0)"),
            unique=True,
            postgresql_where=text("in_use"),
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    what: Mapped[str]
    machine_id: Mapped[int | None] = mapped_column(ForeignKey("machines.id", ondelete="cascade"))
    coffee_id: Mapped[int | None] = mapped_column(ForeignKey("coffees.id", ondelete="cascade"))
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id", ondelete="cascade"))
    measured_at: Mapped[datetime] = mapped_column(server_default=func.now())
    document: Mapped[dict[str, Any]]
    note: Mapped[str] = mapped_column(server_default="")
    in_use: Mapped[bool] = mapped_column(server_default="false")


class SlotRow(Base):
    """What lies in a machine's slot, under the name its display shows."""

    __tablename__ = "slots"
    __table_args__ = (
        UniqueConstraint("machine_id", "number"),
        UniqueConstraint("machine_id", "name"),
        CheckConstraint("number >= 1", name="number"),
        CheckConstraint("name <> ''", name="name"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id", ondelete="cascade"))
    number: Mapped[int]
    name: Mapped[str]
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"))
    stored_at: Mapped[datetime] = mapped_column(server_default=func.now())
    version: Mapped[VersionRow] = relationship(lazy="raise")


class ProfileRow(Base):
    """A profile's name; what it is stands in its versions."""

    __tablename__ = "profiles"
    __table_args__ = (CheckConstraint("name <> ''", name="name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    versions: Mapped[list[VersionRow]] = relationship(
        back_populates="profile", order_by="VersionRow.number", lazy="raise"
    )


class VersionRow(Base):
    """One saved state of a profile. A trigger refuses any change to it but its label."""

    __tablename__ = "profile_versions"
    __table_args__ = (
        UniqueConstraint("profile_id", "number"),
        CheckConstraint("number >= 1", name="number"),
        CheckConstraint("based_on < number", name="based_on"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    profile_id: Mapped[int] = mapped_column(ForeignKey("profiles.id"))
    number: Mapped[int]
    based_on: Mapped[int | None]
    label: Mapped[str | None]
    document: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    profile: Mapped[ProfileRow] = relationship(back_populates="versions", lazy="raise")


class BenchRow(Base):
    """The setup on a bench: the sentence across the top of every view."""

    __tablename__ = "benches"
    __table_args__ = (
        CheckConstraint("dose_g > 0 and yield_g > 0", name="recipe"),
        CheckConstraint("water_c > 0", name="water_c"),
        CheckConstraint(one_of("follows", get_args(Follows)), name="follows"),
        CheckConstraint("dose_tolerance_g >= 0", name="dose_tolerance_g"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    coffee_id: Mapped[int | None] = mapped_column(ForeignKey("coffees.id"))
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
    basket_id: Mapped[int | None] = mapped_column(ForeignKey("baskets.id"))
    dose_g: Mapped[float]
    yield_g: Mapped[float]
    grind_setting: Mapped[float | None]
    water_c: Mapped[float]
    follows: Mapped[str] = mapped_column(server_default="yield_g")
    dose_tolerance_g: Mapped[float] = mapped_column(server_default="0.2")
    goals: Mapped[dict[str, Any] | list[Any]] = mapped_column(JSONB, server_default="[]")
    refractometer_address: Mapped[str | None]
    coffee: Mapped[CoffeeRow | None] = relationship(lazy="raise")
    grinder: Mapped[GrinderRow | None] = relationship(lazy="raise")
    machine: Mapped[MachineRow] = relationship(lazy="raise")
    basket: Mapped[BasketRow | None] = relationship(lazy="raise")


class PersonRow(Base):
    """Someone who uses the application, and the bench they stand at unless they say otherwise."""

    __tablename__ = "people"
    __table_args__ = (CheckConstraint("name <> ''", name="name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    bench_id: Mapped[int | None] = mapped_column(ForeignKey("benches.id", ondelete="set null"))
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SeriesRow(Base):
    """Pulls of one plan, repeated to see how far they differ."""

    __tablename__ = "series"
    __table_args__ = (CheckConstraint("wanted between 2 and 50", name="wanted"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"))
    wanted: Mapped[int]
    tolerance: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    version: Mapped[VersionRow] = relationship(lazy="raise")


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
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    state: Mapped[str]
    trouble: Mapped[str | None]
    started_at: Mapped[datetime] = mapped_column(server_default=func.now(), index=True)
    person_id: Mapped[int | None] = mapped_column(ForeignKey("people.id", ondelete="set null"))
    bench_id: Mapped[int | None] = mapped_column(ForeignKey("benches.id", ondelete="set null"))
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"))
    coffee_id: Mapped[int | None] = mapped_column(ForeignKey("coffees.id"))
    bag_id: Mapped[int | None] = mapped_column(ForeignKey("bags.id"), index=True)
    grinder_id: Mapped[int | None] = mapped_column(ForeignKey("grinders.id"))
    machine_id: Mapped[int] = mapped_column(ForeignKey("machines.id"))
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
    series_id: Mapped[int | None] = mapped_column(
        ForeignKey("series.id", ondelete="set null"), index=True
    )
    seen_at: Mapped[datetime | None]
    yield_g: Mapped[float | None]
    shot_time_s: Mapped[float | None]
    first_drip_s: Mapped[float | None]
    cup_at_stop_g: Mapped[float | None]
    peak_pressure_bar: Mapped[float | None]
    water_in_ml: Mapped[float | None]
    tds_pct: Mapped[float | None]  # measured, never worked out
    version: Mapped[VersionRow] = relationship(lazy="raise")
    coffee: Mapped[CoffeeRow | None] = relationship(lazy="raise")
    grinder: Mapped[GrinderRow | None] = relationship(lazy="raise")
    machine: Mapped[MachineRow] = relationship(lazy="raise")
    tastings: Mapped[list[TastingRow]] = relationship(
        back_populates="shot", order_by="TastingRow.id", lazy="raise"
    )


class EventRow(Base):
    """Something that happened during a shot: when, what kind, in which phase, and all of it."""

    __tablename__ = "shot_events"
    __table_args__ = (
        CheckConstraint(one_of("kind", EVENT_KINDS), name="kind"),
        Index("ix_shot_events_shot_id", "shot_id", "id"),
        Index("ix_shot_events_kind", "kind", "shot_id"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    time_s: Mapped[float]
    kind: Mapped[str]
    phase: Mapped[int | None]
    document: Mapped[dict[str, Any]]


class JournalRow(Base):
    """What was heard of a running shot at once, as it came; taken into the shot when it ends."""

    __tablename__ = "shot_journal"
    __table_args__ = (Index("ix_shot_journal_shot_id", "shot_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    heard: Mapped[int]  # the sequence number due next
    columns: Mapped[dict[str, Any]]


def _of_bag(what: Any) -> Any:
    """A figure over a bag's shots, as a column that is read with the bag."""
    query = select(what).where(ShotRow.bag_id == BagRow.id).correlate(BagRow)
    return column_property(query.scalar_subquery())


BagRow.used_g = _of_bag(func.coalesce(func.sum(ShotRow.dose_g), 0.0))
BagRow.shots = _of_bag(func.count(ShotRow.id))


class TastingRow(Base):
    """One cup tasted: scores 0 to 10, each unknown until given; one a warmth and serving."""

    __tablename__ = "tastings"
    __table_args__ = (
        UniqueConstraint("shot_id", "warmth", "served"),
        CheckConstraint(one_of("warmth", get_args(Warmth)), name="warmth"),
        CheckConstraint(one_of("served", get_args(Served)), name="served"),
        *(CheckConstraint(f"{a.field} between {LOW} and {HIGH}", name=a.field) for a in ATTRIBUTES),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="cascade"))
    warmth: Mapped[str]
    served: Mapped[str]
    acidity: Mapped[int | None] = mapped_column(SmallInteger)
    sweetness: Mapped[int | None] = mapped_column(SmallInteger)
    bitterness: Mapped[int | None] = mapped_column(SmallInteger)
    dryness: Mapped[int | None] = mapped_column(SmallInteger)
    body: Mapped[int | None] = mapped_column(SmallInteger)
    texture: Mapped[int | None] = mapped_column(SmallInteger)
    clarity: Mapped[int | None] = mapped_column(SmallInteger)
    balance: Mapped[int | None] = mapped_column(SmallInteger)
    finish: Mapped[int | None] = mapped_column(SmallInteger)
    liking: Mapped[int | None] = mapped_column(SmallInteger)
    notes: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())
    changed_at: Mapped[datetime] = mapped_column(server_default=func.now(), onupdate=func.now())
    shot: Mapped[ShotRow] = relationship(back_populates="tastings", lazy="raise")
