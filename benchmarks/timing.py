"""Times of repeated calls, and how they are shown."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Row:
    """One measured thing: its middle and its slow end, in a unit, against what is aimed at."""

    name: str
    middle: float
    slow: float | None
    unit: str
    aim: str = ""


def timed(call: Callable[[], object], *, times: int) -> list[float]:
    """Seconds each call took, after one that does not count."""
    call()
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        call()
        taken.append(time.perf_counter() - began)
    return taken


def row(name: str, seconds: Sequence[float], aim: str = "") -> Row:
    """Median and 95th percentile in milliseconds."""
    ms = sorted(1000 * one for one in seconds)
    slow = ms[min(len(ms) - 1, round(0.95 * len(ms)))]
    return Row(name, statistics.median(ms), slow, "ms", aim)


def printed(rows: Sequence[Row]) -> None:
    """The table."""
    width = max(len(one.name) for one in rows)
    print(f"{'':{width}}  {'median':>9}  {'p95':>9}")
    for one in rows:
        slow = "" if one.slow is None else f"{one.slow:.1f}"
        print(f"{one.name:{width}}  {one.middle:9.1f}  {slow:>9}  {one.unit:5} {one.aim}")
