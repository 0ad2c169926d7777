"""What a house reads amounts in, where a browser says nothing else."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from vapocline.core.base.amounts import DrinkMeasure, TemperatureUnit, VolumeUnit, WeightUnit
from vapocline.desk.context import Context
from vapocline.store import house
from vapocline.store.database import reading, transaction


class HouseUnits(BaseModel):
    """Units of temperatures, weights and volumes, and whether a drink is told by its weight or by
    what a marked glass would read."""

    model_config = ConfigDict(frozen=True, extra="forbid", from_attributes=True)

    temperature: TemperatureUnit = "C"
    weight: WeightUnit = "g"
    volume: VolumeUnit = "mL"
    drink: DrinkMeasure = "weight"


def read_house_units(context: Context) -> HouseUnits:
    """The units of the house."""
    with reading(context.sessions) as session:
        row = house.read_house(session)
        return HouseUnits() if row is None else HouseUnits.model_validate(row)


def choose_house_units(context: Context, chosen: HouseUnits) -> HouseUnits:
    """Read amounts so from now on; what is stored stays °C, g and mL."""
    with transaction(context.sessions) as session:
        house.write_house(session, chosen.model_dump())
    return chosen
