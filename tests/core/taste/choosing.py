"""Made-up answers of forced choices: pairs, odd ones out, rankings."""

from __future__ import annotations

from itertools import combinations

import numpy as np

from vapocline.core.taste.choices import Choice
from vapocline.core.taste.descriptions import Drink

DRINKS = [Drink(name) for name in ("Steady nine v1", "Quay fall v3", "Long soak v1", "Tide v2")]
QUESTIONS = ("preferred", "sweetness", "acidity", "body", "bitterness", "balance")


def odd(number: int, right: bool) -> Choice:
    return Choice("Ines" if number < 3 else "Teodor", number, "odd", {0: 1}, right)


def answer(taster: str, best: int, number: int, question: str = "preferred") -> Choice:
    return Choice(taster, number, question, {best: 1, 1 - best: 2})


def paired(
    draw: np.random.Generator, drinks: int, rounds: int, questions: int, last: float = 0.5
) -> list[Choice]:
    """Every two drinks, so many times; the last one is preferred with a probability."""
    found = []
    for number, (low, high) in enumerate([*combinations(range(drinks), 2)] * rounds):
        for question in QUESTIONS[:questions]:
            fair = question != "preferred" or high != drinks - 1
            best = high if draw.random() < (0.5 if fair else last) else low
            worse = low + high - best
            taster = "Ines" if number % 2 else "Teodor"
            found.append(Choice(taster, number, question, {best: 1, worse: 2}))
    return found


def ranks(draw: np.random.Generator, tasters: int, worse: float) -> list[Choice]:
    """Places of four cups, the last liked less by so many standard deviations."""
    found = []
    for taster in range(tasters):
        liked = draw.normal(0, 1, 4) - np.array([0, 0, 0, worse])
        places = (-liked).argsort().argsort() + 1
        found.append(Choice(f"T{taster}", 1, "rank", dict(enumerate(places.tolist()))))
    return found


def claims(said: list[str]) -> bool:
    return not said[0].startswith("Not enough to tell")
