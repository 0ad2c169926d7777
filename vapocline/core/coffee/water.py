"""Brewing water: its hardness and alkalinity, measured or from a recipe of salts."""

from __future__ import annotations

from typing import Self

from pydantic import model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import Answer, Document, Name, Note
from vapocline.core.base.quantities import AlkalinityMgL, HardnessMgL, SaltMgL

# mg/L as CaCO3 (100.09 g/mol, two charges) that a mg/L of a salt brings, by molar masses: hardness
# for each ion of two charges, alkalinity for each hydrogencarbonate.
CACO3 = 100.09
HARDNESS_OF = {
    "magnesium_sulfate_mg_l": CACO3 / 246.47,  # MgSO4·7H2O
    "calcium_chloride_mg_l": CACO3 / 147.01,  # CaCl2·2H2O
    "magnesium_chloride_mg_l": CACO3 / 203.30,  # MgCl2·6H2O
}
ALKALINITY_OF = {
    "sodium_bicarbonate_mg_l": CACO3 / 2 / 84.01,  # NaHCO3
    "potassium_bicarbonate_mg_l": CACO3 / 2 / 100.12,  # KHCO3
}
GERMAN_MG_L, FRENCH_MG_L = 17.85, 10.0  # of CaCO3 for each degree of hardness
LEAST_ALKALINITY, MOST_ALKALINITY, MOST_HARDNESS = 40.0, 75.0, 150.0
SOUR = "its alkalinity of {:.0f} mg/L buffers little: cups may turn sharp, and metal may corrode"
FLAT = "its alkalinity of {:.0f} mg/L takes acidity away: cups may turn flat and chalky"
SCALES = "its hardness of {:.0f} mg/L may leave scale in the boiler"


class Salts(Document):
    """A recipe in distilled water, mg/L of each salt as it is weighed, with its crystal water."""

    magnesium_sulfate_mg_l: SaltMgL = 0
    calcium_chloride_mg_l: SaltMgL = 0
    magnesium_chloride_mg_l: SaltMgL = 0
    sodium_bicarbonate_mg_l: SaltMgL = 0
    potassium_bicarbonate_mg_l: SaltMgL = 0


class Water(Document):
    """A water by its hardness and alkalinity, mg/L as CaCO3; None where nobody measured them. With
    `salts` both follow from the recipe."""

    name: Name
    hardness_mg_l: HardnessMgL | None = None
    alkalinity_mg_l: AlkalinityMgL | None = None
    salts: Salts | None = None
    note: Note = ""

    @model_validator(mode="after")
    def _of_the_recipe(self) -> Self:
        if self.salts is None:
            return self
        for field, found in zip(
            ("hardness_mg_l", "alkalinity_mg_l"), minerals_of(self.salts), strict=True
        ):
            given = getattr(self, field)
            if given is not None and abs(given - found) > 1:
                ctx = {
                    "field": field,
                    "got": f"{given:g}",
                    "accepted": f"{found:g} mg/L, as the recipe gives, or nothing",
                }
                raise PydanticCustomError("recipe", "recipe", ctx)
        return self


class GoodWater(Answer):
    """The bounds, mg/L as CaCO3, within which nothing is said against a water."""

    least_alkalinity: float = LEAST_ALKALINITY
    most_alkalinity: float = MOST_ALKALINITY
    most_hardness: float = MOST_HARDNESS


class WaterFacts(Answer):
    """What a water's numbers mean: in degrees too, and what to mind."""

    hardness_mg_l: float | None
    alkalinity_mg_l: float | None
    hardness_german: float | None
    hardness_french: float | None
    cautions: list[str]
    within: GoodWater


def minerals_of(salts: Salts) -> tuple[float, float]:
    """Hardness and alkalinity of a recipe, mg/L as CaCO3."""
    return (
        round(sum(getattr(salts, salt) * of for salt, of in HARDNESS_OF.items()), 1),
        round(sum(getattr(salts, salt) * of for salt, of in ALKALINITY_OF.items()), 1),
    )


def facts_of(water: Water) -> WaterFacts:
    """A water's numbers, from its recipe where it has one."""
    hardness, alkalinity = water.hardness_mg_l, water.alkalinity_mg_l
    if water.salts is not None:
        hardness, alkalinity = minerals_of(water.salts)
    said = []
    if alkalinity is not None and alkalinity < LEAST_ALKALINITY:
        said.append(SOUR.format(alkalinity))
    if alkalinity is not None and alkalinity > MOST_ALKALINITY:
        said.append(FLAT.format(alkalinity))
    if hardness is not None and hardness > MOST_HARDNESS:
        said.append(SCALES.format(hardness))
    return WaterFacts(
        hardness_mg_l=hardness,
        alkalinity_mg_l=alkalinity,
        hardness_german=None if hardness is None else round(hardness / GERMAN_MG_L, 1),
        hardness_french=None if hardness is None else round(hardness / FRENCH_MG_L, 1),
        cautions=said,
        within=GoodWater(),
    )
