"""Made-up houses that taste: what is true of them is known. The second kind is unlike the first in
how tasters err, how they use the scale, and how pulls differ."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.taste.conclusions import Conclusions, conclude
from vapocline.core.taste.panel import Panel, TasterScore
from vapocline.core.taste.spreads import (
    HouseSpreads,
    Repeated,
    RepeatedPulls,
    house_spreads,
)
from vapocline.core.taste.tasting import DEFAULT_LINES, Warmth

NAMES = ("Ines", "Teodor", "Bea", "Ola", "Runa", "Silvan", "Mikkel", "Ada")


@dataclass(frozen=True)
class House:
    """Tasters, their noise and the spread between pulls, points; how often each has repeated a
    drink, and how often a recipe was pulled again and tasted."""

    tasters: int = 2
    taster_sd: float = 0.75
    pull_sd: float = 0.0
    repeats: int = 6
    pulls_again: int = 0
    unlike: bool = False
    lines: tuple[str, ...] = DEFAULT_LINES

    def names(self) -> tuple[str, ...]:
        """Who tastes."""
        return NAMES[: self.tasters]


@dataclass
class Evening:
    """A house at one table: everything scored comes from one seed."""

    house: House
    seed: int
    draw: np.random.Generator = field(init=False)
    _sd: Floats = field(init=False)
    _gain: Floats = field(init=False)

    def __post_init__(self) -> None:
        """Draw what belongs to the tasters."""
        self.draw = np.random.default_rng([self.seed, 7])
        shape = (self.house.tasters, len(self.house.lines))
        spread = 0.3 if self.house.unlike else 0.0
        self._sd = self.house.taster_sd * np.exp(self.draw.normal(0, spread, shape))
        self._gain = np.exp(self.draw.normal(0, spread, (self.house.tasters, 1)))

    def pull(self, recipe: Floats) -> Floats:
        """What is in a pull of a recipe: its lines' points."""
        house, count = self.house, len(self.house.lines)
        own = self.draw.normal(0, 1, count)
        if house.unlike:  # what differs between pulls moves all lines, each its own way
            own = 0.8 * self.draw.normal() * np.sign(np.sin(np.arange(count) + 1)) + 0.6 * own
        return recipe + house.pull_sd * own

    def scores(self, cup: Floats, first: Floats | None = None) -> Floats:
        """(tasters, lines): whole points given to a cup, which was the `first` for some."""
        house = self.house
        shape = (house.tasters, len(house.lines))
        noise = self.draw.normal(0, 1, shape)
        if house.unlike:
            halo = self.draw.normal(0, 1, (house.tasters, 1))
            tails = self.draw.standard_t(5, shape) / np.sqrt(5 / 3)
            noise = np.sqrt(0.7) * tails + np.sqrt(0.3) * halo
        points = 5.5 + self._gain * (cup - 5.5) + self._sd * noise
        if house.unlike and first is not None:
            points = points + 0.4 * first[:, None]
        return np.clip(np.round(points), 0, 10)

    def recipe(self, points: Mapping[str, float] | None = None) -> Floats:
        """A recipe's lines, about the middle; some by so many points more."""
        more = [(points or {}).get(line, 0.0) for line in self.house.lines]
        return np.full(len(more), 5.5) + np.array(more)

    def spreads(self, tonight: Sequence[RepeatedPulls] = ()) -> HouseSpreads:
        """What the house knows from what it repeated before tonight, and tonight."""
        house, names = self.house, self.house.names()
        repeats: list[Repeated] = []
        for _ in range(house.repeats):
            cup = self.pull(self.recipe())
            once, twice = self.scores(cup), self.scores(cup)
            repeats += [
                Repeated(who, line, (float(once[at, k]), float(twice[at, k])))
                for at, who in enumerate(names)
                for k, line in enumerate(house.lines)
            ]
        recipes = [
            RepeatedPulls(
                tuple(
                    self._given(self.scores(self.pull(base)))
                    for base in [self.recipe()]
                    for _ in range(2)
                )
            )
            for _ in range(house.pulls_again)
        ]
        return house_spreads(repeats, [*recipes, *tonight])

    def _given(self, scores: Floats) -> dict[tuple[str, str], float]:
        return {
            (who, line): float(scores[at, k])
            for at, who in enumerate(self.house.names())
            for k, line in enumerate(self.house.lines)
        }

    def table(self, recipes: list[Floats], warmths: tuple[Warmth, ...] = ("hot",)) -> list[Panel]:
        """One pull of each recipe, tasted by everybody, at each warmth."""
        cups = [self.pull(recipe) for recipe in recipes]
        panels = []
        served_first = self.draw.integers(len(cups), size=self.house.tasters)
        for warmth in warmths:
            given = [
                TasterScore(who, shot, warmth, line, points)
                for shot, cup in enumerate(cups)
                for (who, line), points in self._given(
                    self.scores(cup, served_first == shot)
                ).items()
            ]
            panels.append(Panel(given, warmth))
        return panels


def concluded(
    house: House,
    seed: int,
    *,
    cups: int = 2,
    apart: Mapping[str, float] | None = None,
    warmths: tuple[Warmth, ...] = ("hot",),
) -> Conclusions:
    """What is concluded of one table; the last cup's recipe is `apart` from the others."""
    evening = Evening(house, seed)
    spreads = evening.spreads()
    recipes = [evening.recipe()] * (cups - 1) + [evening.recipe(apart)]
    return conclude(evening.table(recipes, warmths), spreads, range(cups))


def liked_twice(house: House, seed: int, pairs: int) -> tuple[float, bool]:
    """(the odds of the recipe that is probably liked more, whether it truly is), of two recipes
    pulled so often each; half of such pairs do not differ at all."""
    evening = Evening(house, seed)
    effect = 0.0 if evening.draw.random() < 0.5 else float(evening.draw.normal(0, 1.0))
    recipes = [evening.recipe()] * pairs + [evening.recipe({"liking": effect})] * pairs
    numbers = [0] * pairs + [1] * pairs
    [panel] = evening.table(recipes)
    given = [
        {
            (who, line): points
            for who in house.names()
            for line in house.lines
            if (points := panel.score(who, shot, line)) is not None
        }
        for shot in range(2 * pairs)
    ]
    tonight = [RepeatedPulls(tuple(given[:pairs])), RepeatedPulls(tuple(given[pairs:]))]
    [found] = conclude([panel], evening.spreads(tonight), numbers).odds
    more = found.odds.more >= found.odds.less
    return found.odds.better, effect != 0 and (effect > 0) == more
