"""How much caffeine a tasting adds up to, and when to take a break. An estimate."""

from __future__ import annotations

from collections.abc import Iterable

from vapocline.core.base.document import Answer

CAFFEINE_MG_G = 10.0
"""Milligrams that a gram of ground coffee brings into the cup: 12 mg/g in arabica, of which a long
shot washes out most. Robusta has about twice as much."""
DECAF_SHARE = 0.03
PAUSE_MG = 200.0  # EFSA (2015): a single dose that raises no concern for a healthy adult
DAY_MG = 400.0  # the same for a day
PALATE_CUPS = 6  # beyond which a palate tires


class Tally(Answer):
    """Cups and about how many milligrams of caffeine; `advice` where a pause is due."""

    cups: int
    caffeine_mg: float
    advice: str | None


def tally_of(cups: Iterable[tuple[float, float, bool]]) -> Tally:
    """The tally of cups, each a dose, g, the share of its drink that is drunk, and whether it is
    decaffeinated. Spitting takes in less: the estimate is for swallowing all of it."""
    known = list(cups)
    caffeine_mg = sum(
        dose_g * CAFFEINE_MG_G * share * (DECAF_SHARE if decaf else 1.0)
        for dose_g, share, decaf in known
    )
    return Tally(
        cups=len(known),
        caffeine_mg=round(caffeine_mg / 5) * 5.0,
        advice=_advice(len(known), caffeine_mg),
    )


def _advice(cups: int, caffeine_mg: float) -> str | None:
    if caffeine_mg >= DAY_MG:
        return (
            "That is enough caffeine for a day: spit, and drink water. If you are pregnant, on "
            "medication or sensitive to caffeine, ask a doctor first."
        )
    if caffeine_mg >= PAUSE_MG:
        return "That is as much caffeine as you should have at once: pause, spit, drink water."
    if cups > PALATE_CUPS:
        return "After six cups the palate tires: rest for ten minutes, with water and plain bread."
    return None
