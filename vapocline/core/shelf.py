"""What stands on the shelf besides machines: coffees with their bags, grinders, baskets."""

from __future__ import annotations

from datetime import date
from typing import Self, cast, get_args

from pydantic import model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.document import Document, Name, Note
from vapocline.core.grind import refuse_bad_points
from vapocline.core.plan import BasketShape, Process, Roast
from vapocline.core.problems import Refused
from vapocline.core.quantities import (
    BagG,
    BasketDiameterMm,
    CremaMlPerG,
    DensityGMl,
    DoseG,
    GrindSetting,
    GrindUm,
)


class Coffee(Document):
    """One coffee, and the bag it is pulled from now: its roast date, and what it held, g.

    `density_g_ml` is the ground bed's, dry; `crema_ml_per_g` what a marked glass reads over, as
    measured. Both are the model's own where unknown.
    """

    name: Name
    roast: Roast = "medium"
    roasted_on: date | None = None
    bag_g: BagG | None = None
    process: Note = ""
    decaf: bool = False
    blend: bool = False
    density_g_ml: DensityGMl | None = None
    crema_ml_per_g: CremaMlPerG | None = None
    note: Note = ""


class Bag(Document):
    """A bag of a coffee: when it was roasted and what it held, g."""

    roasted_on: date | None = None
    bag_g: BagG | None = None


class Basket(Document):
    """A basket: its inner diameter, its shape, and the doses it is made for, g."""

    name: Name
    diameter_mm: BasketDiameterMm = 58.5
    shape: BasketShape = "straight"
    least_g: DoseG = 16
    most_g: DoseG = 20
    note: Note = ""

    @model_validator(mode="after")
    def _range(self) -> Self:
        if self.least_g > self.most_g:
            ctx = {
                "field": "least_g",
                "got": f"{self.least_g:g}",
                "accepted": f"at most {self.most_g:g} g, the most it holds",
            }
            raise PydanticCustomError("doses", "doses", ctx)
        return self


class Grinder(Document):
    """A grinder and its calibration: settings, rising, and the size each gives, µm."""

    name: Name
    settings: tuple[GrindSetting, ...]
    grind_um: tuple[GrindUm, ...]
    note: Note = ""

    @model_validator(mode="after")
    def _monotone(self) -> Self:
        try:
            refuse_bad_points(self.settings, self.grind_um)
        except Refused as refused:
            raise PydanticCustomError(
                "calibration", "points", {"accepted": refused.problems[0].accepted}
            ) from None
        return self


def known_process(words: str) -> Process:
    """What a coffee's free words on its process mean to the model."""
    for process in get_args(Process):
        if process in words.lower():
            return cast(Process, process)
    return "unknown"


UNKNOWN_REST_DAYS = 12.0  # a coffee without a roast date is taken as rested


def rest_days(coffee: Coffee, today: date) -> float | None:
    """Days since roasting, or None where the roast date is unknown. A later date counts as 0."""
    if coffee.roasted_on is None:
        return None
    return float(max(0, (today - coffee.roasted_on).days))
