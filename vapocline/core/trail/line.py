"""The line of a coffee's shots: which earlier shot each came from, and how that is layout out.

A shot came from the earlier one that it differs least from, the newest of those that differ alike.
The line leads from the newest shot back to the first; what lies beside it was abandoned.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from vapocline.core.advise.between import LEAST_DRINK, OF_SETUP
from vapocline.core.base.arrays import Floats
from vapocline.core.base.grouping import grouped_alike

WINDOW = 24  # earlier shots that a shot may have come from
UNRELATED = 3  # differences or more: the shot is taken to follow the one just before it
LEAST_GRIND = 0.02  # of a grinder's numbers
LEAST_DOSE_G, LEAST_WATER_C = (least for name, least, *_ in OF_SETUP if name != "grind_um")


class PulledRecipe(NamedTuple):
    """What a shot was pulled with: the first by a name each."""

    machine: str
    grinder: str
    basket: str
    preparation: str
    phases: str
    grind_setting: float
    dose_g: float
    water_c: float
    yield_g: float


NAMES = 5  # of its fields; the others are numbers


class Place(NamedTuple):
    """Where a shot stands: the shot it came from and whether nothing differs from that, by index;
    its lane, 0 on the line, and whether that begins with it; the lanes that pass beside it, and
    those that end at it from above."""

    came_from: int | None
    repeats: bool
    lane: int
    begins: bool
    passing: tuple[int, ...]
    joining: tuple[int, ...]


def places_of(recipes: Sequence[PulledRecipe]) -> list[Place]:
    """Each shot's place, the oldest first."""
    came_from, repeats = _origins(recipes)
    lanes = _Lanes(_on_line(came_from))
    found = [
        Place(came_from[at], repeats[at], *lanes.take(at, came_from[at]))
        for at in reversed(range(len(recipes)))
    ]
    return found[::-1]


def _origins(recipes: Sequence[PulledRecipe]) -> tuple[list[int | None], list[bool]]:
    names = [
        np.unique([str(one[field]) for one in recipes], return_inverse=True)[1]
        for field in range(NAMES)
    ]
    numbers = np.array([one[NAMES:] for one in recipes], dtype=float).reshape(-1, 4)
    size = len(recipes)
    differ = np.full((size, WINDOW), UNRELATED + 1)
    for back in range(1, min(WINDOW, size - 1) + 1):
        apart = sum(
            ((one[back:] != one[:-back]).astype(int) for one in names), np.zeros(size - back, int)
        )
        differ[back:, back - 1] = apart + _moved(numbers[:-back], numbers[back:]).sum(axis=1)
    nearest = np.minimum(differ, UNRELATED).argmin(axis=1)  # the first of equals: the newest
    came_from = [int(at - 1 - nearest[at]) if at else None for at in range(size)]
    return came_from, [bool(at and differ[at, nearest[at]] == 0) for at in range(size)]


def _moved(before: Floats, after: Floats) -> Floats:
    """Which of grind, dose, water and drink differ; an unknown one only from a known one."""
    least = np.stack(
        [
            np.full(len(before), LEAST_GRIND),
            np.full(len(before), LEAST_DOSE_G),
            np.full(len(before), LEAST_WATER_C),
            LEAST_DRINK * before[:, 3],
        ],
        axis=1,
    )
    unlike: Floats = np.where(
        np.isnan(before) | np.isnan(after),
        np.isnan(before) != np.isnan(after),
        np.abs(after - before) >= least,
    )
    return unlike


def differences(one: PulledRecipe, other: PulledRecipe) -> set[int]:
    """The fields in which two recipes differ, by their place."""
    found = {at for at in range(NAMES) if one[at] != other[at]}
    numbers = [np.array([recipe[NAMES:]], dtype=float) for recipe in (one, other)]
    return found | {NAMES + int(at) for at in np.flatnonzero(_moved(*numbers)[0])}


def recipes_of(pulled: Sequence[PulledRecipe]) -> list[int]:
    """Each shot's recipe by a number: the first shot here that does not differ from it."""
    return grouped_alike(pulled, lambda one, other: not differences(one, other))


def _on_line(came_from: Sequence[int | None]) -> set[int]:
    """The newest shot and all it came from."""
    found: set[int] = set()
    at: int | None = len(came_from) - 1 if came_from else None
    while at is not None:
        found.add(at)
        at = came_from[at]
    return found


class _Lanes:
    """Lanes taken from the newest shot down: each waits for the shot it came from."""

    def __init__(self, on_line: set[int]) -> None:
        self._on_line = on_line
        self._waits: dict[int, int] = {}  # lane: shot

    def take(
        self, at: int, came_from: int | None
    ) -> tuple[int, bool, tuple[int, ...], tuple[int, ...]]:
        """A shot's lane, whether it begins there, lanes that pass beside it and that end at it."""
        here = sorted(lane for lane, shot in self._waits.items() if shot == at)
        for lane in here:
            del self._waits[lane]
        passing = tuple(sorted(self._waits))
        if at in self._on_line:
            lane = 0
        elif here:
            lane = here[0]
        else:
            lane = next(n for n in range(1, len(self._waits) + 2) if n not in self._waits)
        if came_from is not None:
            self._waits[lane] = came_from
        return lane, lane not in here, passing, tuple(one for one in here if one != lane)
