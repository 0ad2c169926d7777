"""The order in which cups are served, and their codes: balanced, and drawn from a seed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import combinations, islice

import numpy as np
from numpy.random import Generator

ServingOrder = tuple[int, ...]

BOTH_WAYS_UP = frozenset("01689")  # digits that still read as digits upside down


def williams(cups: int) -> tuple[ServingOrder, ...]:
    """Orders of a Williams square: every cup comes equally often in each place, and equally often
    right after every other cup. As many orders as cups, twice as many for an odd number.

    Source: E. J. Williams, Experimental designs balanced for the estimation of residual effects of
    treatments, Aust. J. Sci. Res. A 2 (1949).
    """
    first = [
        0,
        *(step // 2 + 1 if step % 2 == 0 else cups - step // 2 - 1 for step in range(cups - 1)),
    ]
    square = [tuple((place + row) % cups for place in first) for row in range(cups)]
    return tuple(square) if cups % 2 == 0 else tuple(square + [row[::-1] for row in square])


def orders_of(cups: int, tasters: int, seed: int) -> list[ServingOrder]:
    """One order for each taster, from shuffled Williams squares: no order repeats before all of a
    square have been used."""
    draw = np.random.default_rng(seed)
    named = draw.permutation(cups)
    rows = williams(cups)
    blocks = (rows[row] for _ in iter(int, 1) for row in draw.permutation(len(rows)))
    return [tuple(int(named[cup]) for cup in row) for row in islice(blocks, tasters)]


def triads_of(rounds: int, seed: int) -> list[ServingOrder]:
    """Three cups of two drinks, 0 and 1, for each round. Every six rounds use each of the six
    orders once; in any three consecutive rounds the odd cup is once in each place."""
    draw = np.random.default_rng(seed)
    triads: list[ServingOrder] = []
    while len(triads) < rounds:
        triads.extend(_six_triads(draw))
    return triads[:rounds]


def _six_triads(draw: Generator) -> Iterator[ServingOrder]:
    first, second, third = draw.permutation(3)
    odd = int(draw.integers(2))
    for place in (first, third, second, first, third, second):
        yield tuple(odd if at == place else 1 - odd for at in range(3))
        odd = 1 - odd


def pairs_of(cups: int, tasters: int, rounds: int, seed: int) -> list[list[ServingOrder]]:
    """The pairs for each taster: every two of the cups, `rounds` times. Which of a pair comes first
    is balanced over rounds and tasters."""
    draw = np.random.default_rng(seed)
    two = list(combinations(range(cups), 2))
    turned = {pair: int(draw.integers(2)) for pair in two}
    served: list[list[ServingOrder]] = []
    for _ in range(tasters):
        row: list[ServingOrder] = []
        for _ in range(rounds):
            for index in draw.permutation(len(two)):
                pair = two[index]
                row.append(pair[::-1] if turned[pair] else pair)
                turned[pair] = 1 - turned[pair]
        served.append(row)
    return served


def codes_for(trays: Sequence[int], seed: int) -> list[list[str]]:
    """Three-digit codes for the cups on each tray. None is used twice or can be read upside down;
    two on one tray differ in at least two digits and in more than the order of their digits.

    Raises ValueError for more cups than there are codes.
    """
    draw = np.random.default_rng(seed)
    left = [str(code) for code in draw.permutation(np.arange(100, 1000))]
    left = [code for code in left if not set(code) <= BOTH_WAYS_UP]
    coded: list[list[str]] = []
    for size in trays:
        tray: list[str] = []
        for _ in range(size):
            code = next((one for one in left if not any(look_alike(one, o) for o in tray)), None)
            if code is None:
                raise ValueError("there are fewer codes than cups")
            left.remove(code)
            tray.append(code)
        coded.append(tray)
    return coded


def numbers_for(cups: int, seed: int) -> list[int]:
    """Different numbers of four digits that tell nothing of the cups they are given to."""
    drawn = np.random.default_rng([seed, 4]).choice(np.arange(1000, 10_000), cups, replace=False)
    return [int(number) for number in drawn]


def look_alike(one: str, other: str) -> bool:
    """Whether two codes are easily confused: all digits but one the same, or the same digits in
    another order."""
    same = sum(a == b for a, b in zip(one, other, strict=True))
    return same >= 2 or sorted(one) == sorted(other)
