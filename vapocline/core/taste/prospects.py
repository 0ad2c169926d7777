"""What a tasting could show, worked out before it begins: how large a difference, how surely."""

from __future__ import annotations

from typing import assert_never

from vapocline.core.taste.believable import Believable
from vapocline.core.taste.discrimination import (
    ALPHA,
    HALF_TELL,
    PAIR_CHANCE,
    PLAIN_PREFERENCE,
    answers_needed,
    least_right,
    power_of,
    two_sided_needed,
    two_sided_power,
)
from vapocline.core.taste.ranking import friedman
from vapocline.core.taste.sessions import MOST_TASTERS, SessionSetup, cups_of


def prospects(setup: SessionSetup, smallest: Believable) -> list[str]:
    """Sentences on what this tasting could show."""
    answers = len(setup.tasters) * setup.rounds
    match setup.kind:
        case "describe":
            return _described(setup, smallest)
        case "triangle":
            return _odd(answers)
        case "pair":
            return _pairs(answers)
        case "rank":
            return _ranks(len(setup.tasters), cups_of(setup))
        case _:
            assert_never(setup.kind)


def _described(setup: SessionSetup, smallest: Believable) -> list[str]:
    if len(setup.shot_ids) == 1:
        return ["One cup alone is described, not compared."]
    points = smallest.of_mean(setup.tasters, "liking")
    who = f"{setup.tasters[0]}’s" if len(setup.tasters) == 1 else "their average"
    said = [f"A difference of {points:.1f} points or more in {who} liking can be believed."]
    if not setup.duplicate and sum(smallest.repeats_of(one) for one in setup.tasters) == 0:
        said.append("A hidden duplicate would measure how much one taster's scores vary.")
    return said


def _odd(answers: int) -> list[str]:
    least = least_right(answers)
    if least is None:
        return [f"{_answers(answers)} would show nothing even if right: it takes at least three."]
    power, needed = power_of(answers, HALF_TELL), answers_needed(HALF_TELL)
    return [
        f"{least} right of {_answers(answers)} would show that the drinks differ.",
        f"If half of the answers can tell, {_answers(answers)} show it {power:.0%} of the time, "
        f"{needed} answers 80 %.",
    ]


def _pairs(answers: int) -> list[str]:
    least = least_right(answers, PAIR_CHANCE, ALPHA / 2)
    if least is None:
        return [
            f"{_answers(answers)} for each pair would show no preference, however clear: it takes "
            "at least six."
        ]
    power = two_sided_power(answers, PLAIN_PREFERENCE)
    needed = two_sided_needed(PLAIN_PREFERENCE)
    return [
        f"{least} of {_answers(answers)} for the same drink of a pair would show a preference.",
        f"If a drink is chosen four times in five, {_answers(answers)} show it {power:.0%} of the "
        f"time, {needed} answers 80 %.",
    ]


def _ranks(tasters: int, cups: int) -> list[str]:
    alike = list(range(1, cups + 1))
    if friedman([alike] * tasters).believed:
        return ["Tasters who agree on the order would show a difference."]
    enough = next(
        (n for n in range(tasters + 1, MOST_TASTERS + 1) if friedman([alike] * n).believed), None
    )
    return [
        f"Even full agreement of so few tasters would show nothing: it takes at least {enough}."
    ]


def _answers(count: int) -> str:
    return "1 answer" if count == 1 else f"{count} answers"
