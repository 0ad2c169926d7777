"""Coffees and the bags they come in."""

from __future__ import annotations

from datetime import date
from typing import Literal, cast, get_args

from vapocline.core.base.document import Document, Name, Note
from vapocline.core.base.quantities import BagG, CremaMlPerG, DensityGMl

Process = Literal["washed", "honey", "natural", "unknown"]
Roast = Literal["light", "medium-light", "medium", "medium-dark", "dark"]


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


def known_process(words: str) -> Process:
    """What a coffee's free words on its process mean to the model."""
    for process in get_args(Process):
        if process in words.lower():
            return cast(Process, process)
    return "unknown"


UNKNOWN_REST_DAYS = 12.0  # a coffee without a roast date is taken as rested


def rest_days(coffee: Coffee, today: date) -> float | None:
    """Days since roasting, or None where the roast date is unknown. A later date counts as 0."""
    return days_since(coffee.roasted_on, today)


def days_since(roasted_on: date | None, today: date) -> float | None:
    """The same of a roast date alone."""
    return None if roasted_on is None else float(max(0, (today - roasted_on).days))
