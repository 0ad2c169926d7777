"""What a tasting could show, worked out before it begins: how large a difference, how surely."""

from __future__ import annotations

import math
from typing import assert_never

import scipy  # its parts are imported where they are first used

from vapocline.core.taste.conclusions import error_rates
from vapocline.core.taste.discrimination import (
    FIRST_LOOK,
    HALF_TELL,
    PAIR_CHANCE,
    PLAIN_PREFERENCE,
    POWER,
    answers_needed,
    least_right,
    power_of,
    two_sided_needed,
    two_sided_power,
)
from vapocline.core.taste.ranking import friedman
from vapocline.core.taste.sessions import MOST_TASTERS, SessionSetup, cups_of
from vapocline.core.taste.spreads import LEAST_REPEATS, HouseSpreads, ScoreSpread, mean_of
from vapocline.core.taste.tasting import DEFAULT_LINES
from vapocline.core.taste.wording import listed


def prospects(setup: SessionSetup, spreads: HouseSpreads) -> list[str]:
    """Sentences on what this tasting could show."""
    answers = len(setup.tasters) * setup.rounds
    match setup.kind:
        case "describe":
            return _described(setup, spreads)
        case "triangle":
            return _odd(answers)
        case "pair":
            return _pairs(answers)
        case "rank":
            return _ranks(len(setup.tasters), cups_of(setup))
        case _:
            assert_never(setup.kind)


def _described(setup: SessionSetup, spreads: HouseSpreads) -> list[str]:
    cups = len(setup.shot_ids)
    if cups == 1:
        return ["One cup alone is described, not compared."]
    lines = setup.lines or DEFAULT_LINES
    line = "liking" if "liking" in lines else lines[0]
    said = []
    pulls = spreads.of_pulls(setup.tasters, line)
    if pulls is None:
        own = [spreads.of_taster(taster, line) for taster in setup.tasters]
        known = [one for one in own if one is not None]
        if len(known) < len(own):
            said.append(_unknown(setup, spreads, line))
        else:
            said.append(_tells(setup, mean_of(known), len(lines)))
            said.append("How far pulls of one recipe differ is not known: it speaks of these cups.")
    else:
        said.append(_tells(setup, pulls, len(lines)))
    if not setup.duplicate and any(spreads.of_taster(t, line) is None for t in setup.tasters):
        said.append("A hidden duplicate measures how much one taster's scores vary.")
    return said


def _unknown(setup: SessionSetup, spreads: HouseSpreads, line: str) -> str:
    each = [
        f"{taster} {spreads.repeats_of(taster, line)} of {LEAST_REPEATS}"
        for taster in setup.tasters
        if spreads.of_taster(taster, line) is None
    ]
    return f"Differences will be shown and not judged: repeats so far {listed(each)}."


def _tells(setup: SessionSetup, spread: ScoreSpread, lines: int) -> str:
    """What difference on one line four of five such tastings find, all lines tested together."""
    pairs = len(setup.shot_ids) * (len(setup.shot_ids) - 1) // 2
    tests = lines * pairs * len(setup.warmths)
    alpha = error_rates(len(setup.tasters), len(setup.warmths)).differences
    level = scipy.stats.t.isf(alpha / 2 / tests, spread.df)
    points = (level + scipy.stats.norm.isf(1 - POWER)) * spread.sd * math.sqrt(2)
    return (
        f"A difference of {points:.1f} points on one line is found in four of five such tastings."
    )


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
    least = least_right(answers, PAIR_CHANCE, FIRST_LOOK / 2)
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
