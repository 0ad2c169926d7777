"""What milk makes of a drink's strength."""

from __future__ import annotations

from vapocline.core.base.document import Answer


class InMilk(Answer):
    """Strength of the coffee in so much milk, %, and how many grams of milk come to one of drink.
    Milk's own solids are not counted: it is how much coffee there is to taste."""

    tds_pct: float
    milk_per_drink: float


def in_milk(tds_pct: float, yield_g: float, milk_g: float) -> InMilk:
    """Dissolved coffee over all there is in the cup: TDS times drink over drink and milk."""
    strength = tds_pct * yield_g / (yield_g + milk_g)
    return InMilk(tds_pct=round(strength, 2), milk_per_drink=round(milk_g / yield_g, 1))
