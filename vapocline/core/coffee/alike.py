"""What the roasters of two coffees say alike."""

from __future__ import annotations

from datetime import date

from vapocline.core.coffee.coffee import Coffee, known_process

SAME_HEIGHT_M = 200.0  # ours: growers give altitudes in ranges as wide
SAME_HARVEST_DAYS = 75  # ours: a harvest lasts two to three months


def shared_facts(one: Coffee, other: Coffee) -> list[str]:
    """What two coffees have in common of what their roasters say, in words; empty for nothing.
    Roast, decaf and blend are what was done with them, and are not counted."""
    shared: list[str] = []
    process = known_process(one.process)
    if process != "unknown" and process == known_process(other.process):
        shared.append(process)
    for name in ("variety", "dried", "lot"):
        here, there = getattr(one, name), getattr(other, name)
        if here and here.casefold() == there.casefold():
            shared.append(here if name != "lot" else f"lot {here}")
    heights = [height for height in (one.altitude_m, other.altitude_m) if height is not None]
    if len(heights) == 2 and abs(heights[1] - heights[0]) <= SAME_HEIGHT_M:
        shared.append(f"about {heights[0]:.0f} m")
    crops = [_first(month) for month in (one.crop, other.crop) if month is not None]
    if len(crops) == 2 and abs((crops[1] - crops[0]).days) <= SAME_HARVEST_DAYS:
        shared.append(f"harvest of {crops[0]:%B %Y}")
    return shared


def _first(month: str) -> date:
    return date.fromisoformat(f"{month}-01")
