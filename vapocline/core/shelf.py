"""What stands on the shelf besides machines: coffees and grinders."""

from __future__ import annotations

from datetime import date
from typing import Self, cast, get_args

from pydantic import model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.document import Document, Name, Note
from vapocline.core.grind import refuse_bad_points
from vapocline.core.plan import Process, Roast
from vapocline.core.problems import Refused
from vapocline.core.quantities import GrindSetting, GrindUm


class Coffee(Document):
    """One coffee and the bag it is pulled from."""

    name: Name
    roast: Roast = "medium"
    roasted_on: date | None = None
    process: Note = ""
    decaf: bool = False
    note: Note = ""


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
