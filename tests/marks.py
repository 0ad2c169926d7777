"""Which half of the tests one belongs to.

`./vapo test` runs every behaviour once. What only repeats a behaviour with more cases (simulated
panels and pucks beyond a handful, every style on every machine, every page by theme and width, the
kill list, the longest recordings) is for `./vapo test --exhaustive`.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from typing import Any, TypeVar

VARIABLE = "VAPOCLINE_EXHAUSTIVE"
MarkedT = TypeVar("MarkedT", bound=Callable[..., Any])
CaseT = TypeVar("CaseT")


def is_exhaustive() -> bool:
    """Whether this run is of the cases that the usual one leaves out."""
    return os.environ.get(VARIABLE) == "1"


def exhaustive(test: MarkedT) -> MarkedT:
    """Mark a test, or a class of them, to run in the exhaustive half only."""
    test.half = "exhaustive"  # type: ignore[attr-defined]
    return test


def more_cases(test: MarkedT) -> MarkedT:
    """Mark a test to run in both halves: with `some_of` its cases, then with all."""
    test.half = "both"  # type: ignore[attr-defined]
    return test


def some_of(cases: Iterable[CaseT], few: int) -> list[CaseT]:
    """A few of the cases, spread over all of them; in the exhaustive half all."""
    every = list(cases)
    if is_exhaustive() or len(every) <= few:
        return every
    return [every[at * len(every) // few] for at in range(few)]


def examples(many: int) -> int:
    """How many made-up examples a property is tried on."""
    return many if is_exhaustive() else max(3, many // 5)


def belongs(test: object) -> bool:
    """Whether a test case runs in this half."""
    method = getattr(test, getattr(test, "_testMethodName", ""), None)
    half = getattr(method, "half", None) or getattr(test, "half", "usual")
    return half == "both" or half == ("exhaustive" if is_exhaustive() else "usual")
