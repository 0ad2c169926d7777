"""The tasting form: attributes on a common scale, never invented, never absolute."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from vapocline.core.base.document import Name, Note

LOW, HIGH = 0, 10
Score = Annotated[int, Field(ge=LOW, le=HIGH)]
Warmth = Literal["hot", "warm", "cool"]
Served = Literal["straight", "milk"]
MOST_WORDS = 12
Words = Annotated[tuple[Name, ...], Field(max_length=MOST_WORDS)]
"""Flavour words as tags, in the order they were given."""


@dataclass(frozen=True)
class Attribute:
    """One line of the form: its field, its name, the words at the scale's two ends, and how a cup
    with more or less of it is called beside another."""

    field: str
    name: str
    low: str
    high: str
    more: str
    less: str


ATTRIBUTES = (
    Attribute("acidity", "Acidity", "flat", "sharp", "more acidic", "less acidic"),
    Attribute("sweetness", "Sweetness", "none", "syrupy", "sweeter", "less sweet"),
    Attribute("bitterness", "Bitterness", "none", "harsh", "more bitter", "less bitter"),
    Attribute("dryness", "Dryness", "none", "parching", "drier", "less dry"),
    Attribute("body", "Body", "watery", "heavy", "heavier", "lighter"),
    Attribute("texture", "Texture", "rough", "silky", "silkier", "rougher"),
    Attribute("clarity", "Clarity", "muddled", "distinct", "more distinct", "less distinct"),
    Attribute("cleanness", "Cleanness", "muddy", "clean", "cleaner", "less clean"),
    Attribute("complexity", "Complexity", "plain", "many-sided", "more complex", "plainer"),
    Attribute("balance", "Balance", "one-sided", "even", "more balanced", "less balanced"),
    Attribute("finish", "Finish", "short", "long", "longer to finish", "shorter to finish"),
    Attribute("liking", "Liking", "pour it away", "again, please", "liked more", "liked less"),
)
BY_FIELD = {attribute.field: attribute for attribute in ATTRIBUTES}
Line = Literal[
    "acidity", "sweetness", "bitterness", "dryness", "body", "texture", "clarity", "cleanness",
    "complexity", "balance", "finish", "liking",
]  # fmt: skip
LINES: tuple[Line, ...] = get_args(Line)
DEFAULT_LINES: tuple[Line, ...] = (
    "acidity", "sweetness", "bitterness", "dryness", "body", "texture", "clarity", "balance",
    "finish", "liking",
)  # fmt: skip
"""What a house scores until it chooses otherwise: one key each."""


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
    cleanness: Score | None = None
    complexity: Score | None = None
    balance: Score | None = None
    finish: Score | None = None
    liking: Score | None = None
    words: Words = ()
    notes: Note = ""

    def scores(self) -> dict[str, int]:
        """The scores given, by field."""
        given = {attribute.field: getattr(self, attribute.field) for attribute in ATTRIBUTES}
        return {field: score for field, score in given.items() if score is not None}


def extraction_yield_pct(tds_pct: float, yield_g: float, dose_g: float) -> float:
    """Dissolved share of the dose, %, from measured strength: TDS times drink over dose."""
    return tds_pct * yield_g / dose_g
