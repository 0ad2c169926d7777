"""Coffees and the bags they come in."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, cast, get_args

from pydantic import AfterValidator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import Answer, Document, Name, Note
from vapocline.core.base.quantities import (
    AltitudeM,
    BagG,
    BagPrice,
    CremaMlPerG,
    CupScore,
    DensityGMl,
)

Process = Literal["washed", "honey", "natural", "unknown"]
Roast = Literal["light", "medium-light", "medium", "medium-dark", "dark"]


def _short(words: str) -> str:
    if len(words.strip()) > MOST_LETTERS:
        accepted = f"at most {MOST_LETTERS} letters"
        raise PydanticCustomError("fact", "fact", {"got": f"{len(words)}", "accepted": accepted})
    return words.strip()


def _month(words: str) -> str:
    try:
        date.fromisoformat(f"{words}-01")
    except ValueError:
        raise PydanticCustomError("month", "month", {"accepted": "a month as 2026-03"}) from None
    return words


MOST_LETTERS = 60
Fact = Annotated[Note, AfterValidator(_short)]
CropMonth = Annotated[str, AfterValidator(_month)]


class Coffee(Document):
    """One coffee, and the bag it is pulled from now: its roast date, what it held, g, and cost.

    `density_g_ml` is the ground bed's, dry; `crema_ml_per_g` what a marked glass reads over, as
    measured. Both are the model's own where unknown. What the roaster says besides, from `lot` to
    `score`, groups coffees and is in no forecast; `crop` is the month of its harvest.
    """

    name: Name
    roast: Roast = "medium"
    roasted_on: date | None = None
    bag_g: BagG | None = None
    bag_price: BagPrice | None = None
    process: Note = ""
    decaf: bool = False
    blend: bool = False
    density_g_ml: DensityGMl | None = None
    crema_ml_per_g: CremaMlPerG | None = None
    lot: Fact = ""
    variety: Fact = ""
    dried: Fact = ""
    crop: CropMonth | None = None
    altitude_m: AltitudeM | None = None
    score: CupScore | None = None
    note: Note = ""


class Bag(Document):
    """A bag of a coffee: when it was roasted, what it held, g, and what it cost."""

    roasted_on: date | None = None
    bag_g: BagG | None = None
    bag_price: BagPrice | None = None


class BagCost(Answer):
    """What is left of a bag, in shots of a dose, and what they cost in the house's money."""

    shots_left: int | None
    a_shot: float | None
    dialling_in: float | None


def bag_cost(bag: Bag, remaining_g: float | None, dose_g: float, dialling_in: int) -> BagCost:
    """A bag counted in shots of `dose_g`; None where its size, or its price, is not known.

    `dialling_in` is how many shots it takes to know how a coffee repeats on a grinder.
    """
    a_shot = None
    if bag.bag_price is not None and bag.bag_g is not None:
        a_shot = bag.bag_price / bag.bag_g * dose_g
    return BagCost(
        shots_left=None if remaining_g is None else int(remaining_g / dose_g + 1e-9),
        a_shot=None if a_shot is None else round(a_shot, 2),
        dialling_in=None if a_shot is None else round(a_shot * dialling_in, 2),
    )


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
