"""Made-up coffees on which changes were tried: what is true of each is known."""

from __future__ import annotations

from functools import cache

import numpy as np

from tests.core.advise.test_candidates import before
from vapocline.core.advise.evidence import TastedShot, Tried, moved_line
from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.settling import settled
from vapocline.core.puck.plan import Plan
from vapocline.core.taste.spreads import HouseSpreads, RepeatedPulls, house_spreads
from vapocline.core.trail.worked import summed_changes

MOVES = ("finer", "warmer", "more_coffee", "longer_drink", "longer_soak", "longer_tail")
PAIRS = 3  # of pulls, for each move


def repeated(draw: np.random.Generator, sd: float, recipes: int = 6) -> HouseSpreads:
    """What a house knows that pulled some recipes twice; scores are whole points."""
    pulls = [
        tuple({("Ines", "liking"): _score(draw, 0.0, sd)} for _ in range(2)) for _ in range(recipes)
    ]
    return house_spreads([], [RepeatedPulls(pair) for pair in pulls])


def _score(draw: np.random.Generator, effect: float, sd: float) -> float:
    return float(np.clip(np.round(5.5 + effect + draw.normal(0, sd)), 0, 10))


def verdicts_of(seed: int, *, taster_sd: float, pull_sd: float, helps: float = 0.0) -> list[bool]:
    """Of which moves on a coffee it is said that they help or hurt, the one that may help first.
    All come from one first pull, which stands in every pair."""
    draw = np.random.default_rng([seed, 31])
    sd = float(np.hypot(taster_sd, pull_sd))
    spreads, first = repeated(draw, sd), _score(draw, 0.0, sd)
    tried = []
    for at, move in enumerate(MOVES):
        for number in range(PAIRS):
            after = _score(draw, helps if at == 0 else 0.0, sd)
            lines = {"liking": moved_line({"Ines": after - first}, "liking", spreads)}
            tried.append(Tried(move, lines, None, (0, 100 + 10 * at + number)))  # type: ignore[arg-type]
    found = {one.move: one.verdict != "too few to tell" for one in summed_changes(tried)}
    return [found[move] for move in MOVES]


def settled_at(seed: int, taster_sd: float, pull_sd: float, effect: float = 0.0) -> bool:
    """Whether an expectation is called met, or disproved, where the change did so much."""
    draw = np.random.default_rng([seed, 32])
    sd = float(np.hypot(taster_sd, pull_sd))
    spreads = repeated(draw, sd)
    first, second = (
        TastedShot(plan, {("Ines", "hot straight"): {"liking": _score(draw, by, sd)}})
        for plan, by in zip(_plans(), (0.0, effect), strict=True)
    )
    found = settled("cooler", {"liking": 1.0}, (first, second), spreads)
    return found.outcome in ("as expected", "against it")


@cache
def _plans() -> tuple[Plan, Plan]:
    here = before("soak-then-press")
    cooler = MOVE["cooler"].change(here)
    assert cooler
    return here.plan, cooler
