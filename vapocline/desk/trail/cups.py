"""The cups of a coffee, as evidence of what a change does."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import cast

from sqlalchemy.orm import Session

from vapocline.core.advise.evidence import TastedShot, Tried, tried
from vapocline.core.advise.moves import MOVE
from vapocline.core.advise.settling import Settled, settled
from vapocline.core.formats.registry import CONDITIONS, PLAN
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import Line
from vapocline.core.trail.line import Place, PulledRecipe, places_of
from vapocline.desk.read.shots import tastings_of
from vapocline.store.tables import ExpectationRow, ShotRow
from vapocline.store.trail import RecipeRow, read_recipes, read_tasted

MOST_SHOTS = 5000  # of a coffee, the newest, that the line is drawn through
MOST_CUPS = 200  # tasted shots that own evidence comes from


@dataclass(frozen=True)
class TrailLayout:
    """A coffee's shots, the oldest first, with the place of each."""

    numbers: list[int]
    places: list[Place]
    _at: dict[int, int] = field(init=False)

    def __post_init__(self) -> None:
        """Find places by number."""
        object.__setattr__(self, "_at", {number: at for at, number in enumerate(self.numbers)})

    def came_from(self, shot_id: int) -> int | None:
        """The shot that one came from, None for the first and for one that is not here."""
        place = self.place(shot_id)
        return None if place is None or place.came_from is None else self.numbers[place.came_from]

    def place(self, shot_id: int) -> Place | None:
        """Where a shot stands; None for one that is not here."""
        at = self._at.get(shot_id)
        return None if at is None else self.places[at]

    def first_pull(self, shot_id: int) -> int:
        """The first pull of what a shot repeats, which may be itself."""
        place = self.place(shot_id)
        while place is not None and place.repeats and place.came_from is not None:
            shot_id = self.numbers[place.came_from]
            place = self.places[place.came_from]
        return shot_id

    def pulls_of(self, first: int) -> list[int]:
        """Every pull of the same, by the first of them."""
        return [number for number in self.numbers if self.first_pull(number) == first]

    def origins(self, shot_id: int) -> Iterator[int]:
        """The shot that one came from, the one that came from, and so on."""
        origin = self.came_from(shot_id)
        while origin is not None:
            yield origin
            origin = self.came_from(origin)


def read_layout(session: Session, coffee_id: int) -> TrailLayout:
    """Where each shot of a coffee stands."""
    rows = read_recipes(session, coffee_id, limit=MOST_SHOTS)
    return TrailLayout([row.id for row in rows], places_of([recipe_of_row(row) for row in rows]))


def recipe_of_row(row: RecipeRow) -> PulledRecipe:
    """A stored recipe as the line takes it."""
    setting = math.nan if row.grind_setting is None else row.grind_setting
    return PulledRecipe(
        machine=str(row.machine_id),
        grinder=str(row.grinder_id),
        basket=str(row.basket_id),
        preparation=str(row.preparation_id),
        phases=row.phases,
        grind_setting=setting,
        dose_g=row.dose_g,
        water_c=row.water_c,
        yield_g=row.target_yield_g,
    )


def tasted_cups(session: Session, coffee_id: int) -> dict[int, TastedShot]:
    """The newest shots of a coffee that count and were tasted, the oldest first, by number."""
    return cups_of(read_tasted(session, coffee_id, limit=MOST_CUPS))


def cups_of(rows: Iterable[ShotRow]) -> dict[int, TastedShot]:
    """Tasted shots by number, in their order."""
    return {row.id: cup_of(row) for row in rows}


def tried_on(
    cups: Mapping[int, TastedShot], layout: TrailLayout, spreads: HouseSpreads
) -> list[Tried]:
    """Every change that was made alone between two tasted shots, one after the other."""
    return tried(_pairs(cups, layout), spreads)


def _pairs(
    cups: Mapping[int, TastedShot], layout: TrailLayout
) -> list[tuple[TastedShot, TastedShot]]:
    """Tasted shots, each after the tasted one it came from; one that repeats what was pulled before
    went back from the shot just before it."""
    found, before = [], None
    for number, cup in cups.items():
        place = layout.place(number)
        origin = next((one for one in layout.origins(number) if one in cups), None)
        if place is not None and place.repeats:
            origin = before
        if origin is not None:
            found.append((cups[origin], cup))
        before = number
    return found


def settled_by(
    shot_id: int,
    cups: Mapping[int, TastedShot],
    layout: TrailLayout,
    taken: Mapping[int, ExpectationRow],
    spreads: HouseSpreads,
) -> Settled | None:
    """What a tasted shot says of a change that was taken: after the tasted one that it came from,
    or else after the one tasted just before it. That it was not made is for the first shot tasted
    after it alone to say."""
    if shot_id not in cups:
        return None
    tasted = list(cups)
    before = [one for one in layout.origins(shot_id) if one in cups][:1]
    before += tasted[: tasted.index(shot_id)][-1:]
    for number in before:
        row = taken.get(number)
        if row is not None and row.move in MOVE:
            expected = {cast(Line, line): float(steps) for line, steps in row.expected.items()}
            pair = (cups[number], cups[shot_id])
            found = settled(row.move, expected, pair, spreads, regrind=row.regrind)
            at_once = tasted.index(number) + 1 == tasted.index(shot_id)
            return found if at_once or found.outcome != "not made" else None
    return None


def cup_of(row: ShotRow) -> TastedShot:
    """A shot as run and as tasted."""
    plan, tamped = PLAN.read(row.plan), CONDITIONS.read(row.conditions).tamped
    scores = {
        (one.taster, f"{one.warmth} {one.served}"): {
            cast(Line, line): float(points) for line, points in one.scores().items()
        }
        for one in tastings_of(row)
    }
    blind = bool(scores) and all(one.blind for one in tastings_of(row))
    return TastedShot(plan.model_copy(update={"setup": tamped}), scores, row.id, blind)
