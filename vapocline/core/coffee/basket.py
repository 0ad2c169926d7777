"""Baskets."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.amounts import grams
from vapocline.core.base.document import Document, Name, Note
from vapocline.core.base.quantities import BasketDiameterMm, BasketVolumeMl, DoseG

UNWEIGHED_SPREAD = 0.04  # of a dose taken for what fills the basket: one sd of its logarithm
BasketShape = Literal["straight", "tapered"]


class Basket(Document):
    """A basket: its inner diameter, its shape, and the doses it is made for, g.

    `volume_ml` is what it holds to the brim, None where nobody has measured it with water.
    """

    name: Name
    diameter_mm: BasketDiameterMm = 58.5
    shape: BasketShape = "straight"
    least_g: DoseG = 16
    most_g: DoseG = 20
    volume_ml: BasketVolumeMl | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _range(self) -> Self:
        if self.least_g > self.most_g:
            ctx = {
                "field": "least_g",
                "got": f"{self.least_g:g}",
                "accepted": f"at most {grams(self.most_g)}, the most it holds",
            }
            raise PydanticCustomError("doses", "doses", ctx)
        return self
