"""The tables. Rules that must hold live here as constraints, not only in the code above."""

from vapocline.store.tables.base import Base, one_of
from vapocline.store.tables.bench import BenchRow, PersonRow
from vapocline.store.tables.care import CareDoneRow, CareIntervalRow
from vapocline.store.tables.house import CheckLineRow, HouseRow
from vapocline.store.tables.learn import KnowledgeChoiceRow, KnowledgeRow
from vapocline.store.tables.next import ExpectationRow, GuidedRunRow
from vapocline.store.tables.profiles import ProfileRow, TranslationRow, VersionRow
from vapocline.store.tables.shelf import (
    BagRow,
    BasketRow,
    CalibrationRow,
    CoffeeRow,
    GrinderRow,
    MachineRow,
    PreparationRow,
    SlotRow,
    WaterRow,
)
from vapocline.store.tables.shots import EventRow, JournalRow, SeriesRow, ShotRow
from vapocline.store.tables.taste import (
    ChoiceRow,
    CupRow,
    ObservationRow,
    ReadingRow,
    RemarkRow,
    ScoreRow,
    SeatRow,
    ServingRow,
    TargetRow,
    TasterRow,
    TastingSessionRow,
)
from vapocline.store.tables.trail import BaselineRow

__all__ = [
    "BagRow",
    "Base",
    "BaselineRow",
    "BasketRow",
    "BenchRow",
    "CalibrationRow",
    "CareDoneRow",
    "CareIntervalRow",
    "CheckLineRow",
    "ChoiceRow",
    "CoffeeRow",
    "CupRow",
    "EventRow",
    "ExpectationRow",
    "GrinderRow",
    "GuidedRunRow",
    "HouseRow",
    "JournalRow",
    "KnowledgeChoiceRow",
    "KnowledgeRow",
    "MachineRow",
    "ObservationRow",
    "PersonRow",
    "PreparationRow",
    "ProfileRow",
    "ReadingRow",
    "RemarkRow",
    "ScoreRow",
    "SeatRow",
    "SeriesRow",
    "ServingRow",
    "ShotRow",
    "SlotRow",
    "TargetRow",
    "TasterRow",
    "TastingSessionRow",
    "TranslationRow",
    "VersionRow",
    "WaterRow",
    "one_of",
]
