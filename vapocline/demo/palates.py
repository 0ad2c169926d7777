"""People of Lantern Quay, by how they would score a cup: made up by us."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from vapocline.core.coffee.coffee import Roast
from vapocline.core.profile.profile import PressureCommand, Profile
from vapocline.core.taste.tasting import Line, Tasting
from vapocline.desk.read.shots import ShotLine

BEST_EXTRACTION_PCT, BEST_STRENGTH_PCT = 20.4, 9.0
HARD_END_BAR = 7.0  # what presses harder at its end dries the mouth
REPEATS_WITHIN = 0.45  # points, of one person over the same cup
ACIDITY: dict[Roast, float] = {
    "light": 6.8, "medium-light": 6.2, "medium": 5.6, "medium-dark": 4.6, "dark": 4.0,
}  # fmt: skip


class Palate(NamedTuple):
    """A person: how bright, and how bitter, a drink may be before they like it less."""

    name: str
    bright: float = 5.8
    bitter: float = 4.2
    lenient: float = 0.0

    def scores(
        self, shot: ShotLine, profile: Profile, roast: Roast, dice: np.random.Generator
    ) -> dict[Line, int]:
        """Points on each line. Raises ValueError for a shot whose strength was not measured."""
        if shot.extraction_yield_pct is None or shot.tds_pct is None:
            raise ValueError(f"the strength of shot {shot.id} was not measured")
        over = shot.extraction_yield_pct - BEST_EXTRACTION_PCT
        strong = shot.tds_pct - BEST_STRENGTH_PCT
        hard = max(0.0, _end_bar(profile) - HARD_END_BAR)
        points: dict[Line, float] = {
            "acidity": ACIDITY[roast] - 1.1 * over,
            "sweetness": 7.2 - 0.5 * over**2 - 0.35 * hard,
            "bitterness": 4.0 + 0.8 * over + 0.3 * hard,
            "dryness": 2.4 + 0.5 * max(0.0, over) + 1.2 * hard,
            "body": 5.5 + 0.5 * strong,
            "texture": 6.4 + 0.3 * strong - 0.5 * hard,
            "clarity": 6.8 - 0.4 * strong - 0.9 * hard,
        }
        off = abs(points["acidity"] - self.bright) + abs(points["bitterness"] - self.bitter)
        points["balance"] = 7.6 - 0.9 * off
        points["finish"] = 7.2 - 0.5 * abs(over) - 0.4 * hard
        points["liking"] = (
            0.5 * (points["sweetness"] + points["balance"]) - 0.2 * hard + self.lenient
        )
        return {line: _said(value, dice) for line, value in points.items()}


def _end_bar(profile: Profile) -> float:
    """How hard a profile presses at its end, bar."""
    command = profile.phases[-1].command
    return command.to if isinstance(command, PressureCommand) else 9.0


def _said(value: float, dice: np.random.Generator) -> int:
    return int(min(10, max(0, round(value + dice.normal(0.0, REPEATS_WITHIN)))))


def tasting(scores: dict[Line, int], notes: str = "") -> Tasting:
    """One person's cup on their own form."""
    return Tasting.model_validate({**scores, "notes": notes})


OWN = Palate("Barista")
INES, TEODOR = Palate("Ines", bright=6.6), Palate("Teodor", bitter=4.8, lenient=0.4)
ODILE, BRAM = Palate("Odile", lenient=-0.4), Palate("Bram", bright=4.6, bitter=5.2)
EVERYBODY = (INES, TEODOR, ODILE, BRAM)
