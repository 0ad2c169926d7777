"""The short tasting form: attributes on a common scale, never invented, never absolute."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Note

LOW, HIGH = 0, 10
Score = Annotated[int, Field(ge=LOW, le=HIGH)]
Warmth = Literal["hot", "warm", "cool"]
Served = Literal["straight", "milk"]


@dataclass(frozen=True)
class Attribute:
    """One line of the form: its field, its name, and the words at the scale's two ends."""

    field: str
    name: str
    low: str
    high: str


ATTRIBUTES = (
    Attribute("acidity", "Acidity", "flat", "sharp"),
    Attribute("sweetness", "Sweetness", "none", "syrupy"),
    Attribute("bitterness", "Bitterness", "none", "harsh"),
    Attribute("dryness", "Dryness", "none", "parching"),
    Attribute("body", "Body", "watery", "heavy"),
    Attribute("texture", "Texture", "rough", "silky"),
    Attribute("clarity", "Clarity", "muddled", "distinct"),
    Attribute("balance", "Balance", "one-sided", "even"),
    Attribute("finish", "Finish", "short", "long"),
    Attribute("liking", "Liking", "undrinkable", "outstanding"),
)


class Tasting(BaseModel):
    """What one taster found in one cup; a score left out is unknown, not zero."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    warmth: Warmth = "hot"
    served: Served = "straight"
    acidity: Score | None = None
    sweetness: Score | None = None
    bitterness: Score | None = None
    dryness: Score | None = None
    body: Score | None = None
    texture: Score | None = None
    clarity: Score | None = None
    balance: Score | None = None
    finish: Score | None = None
    liking: Score | None = None
    notes: Note = ""

    def scores(self) -> dict[str, int]:
        """The scores given, by field."""
        given = {attribute.field: getattr(self, attribute.field) for attribute in ATTRIBUTES}
        return {field: score for field, score in given.items() if score is not None}


def extraction_yield_pct(tds_pct: float, yield_g: float, dose_g: float) -> float:
    """Dissolved share of the dose, %, from measured strength: TDS times drink over dose."""
    return tds_pct * yield_g / dose_g
