"""Tables of the shelf: coffees and their bags, baskets, grinders, machines, calibrations, slots."""

from __future__ import annotations

from datetime import date, datetime, time
from typing import TYPE_CHECKING, Any, get_args

from sqlalchemy import (
    CheckConstraint,
    ForeignKey,
    Index,
    UniqueConstraint,
    func,
    text,
)
from sqlalchemy.orm import (
    Mapped,
    mapped_column,
    relationship,
)

from vapocline.core.coffee.basket import BasketShape
from vapocline.core.coffee.coffee import Roast
from vapocline.core.coffee.preparation import Clumps, Heap, Tamp
from vapocline.core.machine.calibration.measured import MeasurementKind
from vapocline.store.tables.base import Base, one_of

if TYPE_CHECKING:
    from vapocline.store.tables.profiles import VersionRow


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
    lot: Mapped[str] = mapped_column(server_default="")
    variety: Mapped[str] = mapped_column(server_default="")
    dried: Mapped[str] = mapped_column(server_default="")
    crop: Mapped[str | None]
    altitude_m: Mapped[float | None]
    score: Mapped[float | None]
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
    """A bag of a coffee. How many shots were pulled from it, and what they took, g, a trigger on
    the shots keeps."""

    __tablename__ = "bags"
    __table_args__ = (
        CheckConstraint("bag_g > 0", name="bag_g"),
        CheckConstraint("bag_price > 0", name="bag_price"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    coffee_id: Mapped[int] = mapped_column(ForeignKey("coffees.id", ondelete="cascade"), index=True)
    roasted_on: Mapped[date | None]
    bag_g: Mapped[float | None]
    bag_price: Mapped[float | None]
    opened_at: Mapped[datetime] = mapped_column(server_default=func.now())
    used_g: Mapped[float] = mapped_column(default=0.0, server_default="0")
    shots: Mapped[int] = mapped_column(default=0, server_default="0")
    coffee: Mapped[CoffeeRow] = relationship(back_populates="bags", lazy="raise")


class WaterRow(Base):
    """A water by its hardness and alkalinity, mg/L as CaCO3, or by a recipe of salts."""

    __tablename__ = "waters"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        CheckConstraint("hardness_mg_l >= 0", name="hardness_mg_l"),
        CheckConstraint("alkalinity_mg_l >= 0", name="alkalinity_mg_l"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    hardness_mg_l: Mapped[float | None]
    alkalinity_mg_l: Mapped[float | None]
    # The recipe, all of it or nothing; mg/L of each salt.
    magnesium_sulfate_mg_l: Mapped[float | None]
    calcium_chloride_mg_l: Mapped[float | None]
    magnesium_chloride_mg_l: Mapped[float | None]
    sodium_bicarbonate_mg_l: Mapped[float | None]
    potassium_bicarbonate_mg_l: Mapped[float | None]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class PreparationRow(Base):
    """A way of preparing a puck: what is done between the grinder and the machine."""

    __tablename__ = "preparations"
    __table_args__ = (
        CheckConstraint("name <> ''", name="name"),
        CheckConstraint(one_of("clumps", get_args(Clumps)), name="clumps"),
        CheckConstraint(one_of("heap", get_args(Heap)), name="heap"),
        CheckConstraint(one_of("tamp", get_args(Tamp)), name="tamp"),
        CheckConstraint("leveller_mm > 0", name="leveller_mm"),
        CheckConstraint("tamp_kg > 0", name="tamp_kg"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    sprayed: Mapped[bool]
    clumps: Mapped[str]
    heap: Mapped[str]
    leveller_mm: Mapped[float | None]
    tamp: Mapped[str]
    tamp_kg: Mapped[float | None]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


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
    volume_ml: Mapped[float | None]
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
        CheckConstraint("retention_g between 0 and 20", name="retention_g"),
        CheckConstraint("step > 0", name="step"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    settings: Mapped[list[float]]
    grind_um: Mapped[list[float]]
    fines_pct: Mapped[float | None]
    size_spread: Mapped[float] = mapped_column(server_default="0")
    retention_g: Mapped[float] = mapped_column(server_default="0")
    step: Mapped[float | None]
    note: Mapped[str] = mapped_column(server_default="")
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class MachineRow(Base):
    """A machine's document, and where it and its scale answer; without, the simulators.

    One that is not `wired` answers nowhere: it is worked and read by hand.
    `on_since` is when it was switched on, `with_steam` whether it must be warm enough to steam;
    `warm_at` is the time of day by which it is to be warm, `changed_at` when it was last changed
    such that what was measured of it no longer holds.
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
    warm_at: Mapped[time | None]
    changed_at: Mapped[datetime | None]
    created_at: Mapped[datetime] = mapped_column(server_default=func.now())


class CalibrationRow(Base):
    """One calibration of a machine, a coffee or a grinder; old ones stay, one of a kind is used."""

    __tablename__ = "calibrations"
    __table_args__ = (
        CheckConstraint(one_of("what", get_args(MeasurementKind)), name="what"),
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
    machine_id: Mapped[int | None] = mapped_column(
        ForeignKey("machines.id", ondelete="cascade"), index=True
    )
    coffee_id: Mapped[int | None] = mapped_column(
        ForeignKey("coffees.id", ondelete="cascade"), index=True
    )
    grinder_id: Mapped[int | None] = mapped_column(
        ForeignKey("grinders.id", ondelete="cascade"), index=True
    )
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
    version_id: Mapped[int] = mapped_column(ForeignKey("profile_versions.id"), index=True)
    stored_at: Mapped[datetime] = mapped_column(server_default=func.now())
    version: Mapped[VersionRow] = relationship(lazy="raise")
