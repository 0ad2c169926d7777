"""Things that are alike, put together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TypeVar

ItemT = TypeVar("ItemT")


def grouped_alike(items: Sequence[ItemT], alike: Callable[[ItemT, ItemT], bool]) -> list[int]:
    """For each item the place of the first one it is alike to, which may be its own."""
    firsts: list[int] = []
    found: list[int] = []
    for at, item in enumerate(items):
        first = next((first for first in firsts if alike(items[first], item)), at)
        if first == at:
            firsts.append(at)
        found.append(first)
    return found
