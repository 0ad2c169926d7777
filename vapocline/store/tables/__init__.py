"""The tables. Rules that must hold live here as constraints, not only in the code above."""

from vapocline.store.tables.base import Base, one_of
from vapocline.store.tables.bench import BenchRow, PersonRow
from vapocline.store.tables.profiles import ProfileRow, VersionRow
from vapocline.store.tables.shelf import (
    BagRow,
    BasketRow,
    CalibrationRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    SlotRow,
)
from vapocline.store.tables.shots import EventRow, JournalRow, SeriesRow, ShotRow, TastingRow

__all__ = [
    "BagRow",
    "Base",
    "BasketRow",
    "BenchRow",
    "CalibrationRow",
    "CoffeeRow",
    "EventRow",
    "GrinderRow",
    "JournalRow",
    "MachineRow",
    "PersonRow",
    "ProfileRow",
    "SeriesRow",
    "ShotRow",
    "SlotRow",
    "TastingRow",
    "VersionRow",
    "one_of",
]
