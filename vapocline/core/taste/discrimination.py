"""Can they tell two drinks apart, and which do they prefer: exact tests of forced choices."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
import scipy  # its parts are imported where they are first used

TRIANGLE_CHANCE, PAIR_CHANCE = 1 / 3, 1 / 2
ALPHA = 0.05  # share of results that claim something where nothing differs
# Parts of it: the first tasting of two drinks; later tastings added to it; tasters who disagree.
FIRST_LOOK, LATER_LOOKS, CAMPS = 0.04, 0.005, 0.005
POWER = 0.8
HALF_TELL = 0.5  # share of answers that tell a clear difference, rather than guess
PLAIN_PREFERENCE = 0.8  # share of choices that makes a preference plain
MOST_ANSWERS = 400  # more than anybody serves


@dataclass(frozen=True)
class Discrimination:
    """Right answers of a forced choice. `p_value` is how often guessing does at least as well;
    `discriminators` is the share of answers that found the difference without guessing, with its
    90 % range."""

    right: int
    of: int
    p_value: float
    discriminators: float
    discriminators_low: float
    discriminators_high: float


def triangle(right: int, of: int) -> Discrimination:
    """The odd one of three found so often: exact binomial against one third, one-sided.

    The share of discriminators d leaves lucky guesses out: p = d + (1 - d) / 3. Source: ISO 4120.
    """
    found = scipy.stats.binomtest(right, of, TRIANGLE_CHANCE, alternative="greater")
    bounds = scipy.stats.binomtest(right, of).proportion_ci(0.9, method="exact")
    discriminators = [_discriminators(share) for share in (right / of, bounds.low, bounds.high)]
    return Discrimination(right, of, float(found.pvalue), *discriminators)


def _discriminators(right_share: float) -> float:
    return max(0.0, float((right_share - TRIANGLE_CHANCE) / (1 - TRIANGLE_CHANCE)))


@dataclass(frozen=True)
class Preference:
    """How often one drink of two was chosen. Ties are left out of the test and reported.

    `share` of the choices for the first, with its 90 % range.
    """

    first: int
    second: int
    ties: int
    p_value: float
    share: float
    share_low: float
    share_high: float


def preference(first: int, second: int, ties: int = 0) -> Preference:
    """Which of two is chosen: exact binomial against one half, two-sided. Source: ISO 5495."""
    chosen = first + second
    if chosen == 0:
        return Preference(first, second, ties, 1.0, 0.5, 0.0, 1.0)
    found = scipy.stats.binomtest(first, chosen, PAIR_CHANCE)
    bounds = found.proportion_ci(0.9, method="exact")
    share = first / chosen
    p_value = float(found.pvalue)
    return Preference(first, second, ties, p_value, share, float(bounds.low), float(bounds.high))


def triangle_evidence(right: int, of: int) -> float:
    """How much likelier so many right answers are where half of the answers tell than where none
    does. However often one looks, guessing seldom reaches n: once in n. Source: A. Wald, Sequential
    Analysis (1947); Ville's inequality."""
    right_share = HALF_TELL + (1 - HALF_TELL) * TRIANGLE_CHANCE
    wrong = of - right
    by_right, by_wrong = (
        right_share / TRIANGLE_CHANCE,
        (1 - right_share) / (1 - TRIANGLE_CHANCE),
    )
    return float(by_right**right * by_wrong**wrong)


def choice_evidence(first: int, second: int) -> float:
    """How much likelier such choices are under some preference, Beta(2, 2), than under none; to be
    read as above. Source: H. Robbins, Ann. Math. Stat. 41 (1970)."""
    log = scipy.special.betaln(2 + first, 2 + second) - scipy.special.betaln(2, 2)
    return float(np.exp(log + (first + second) * np.log(2)))


def least_right(of: int, chance: float = TRIANGLE_CHANCE, alpha: float = FIRST_LOOK) -> int | None:
    """The fewest right answers that can be believed; None where not even all of them can."""
    least = int(scipy.stats.binom.isf(alpha, of, chance)) + 1
    return least if least <= of else None


def power_of(of: int, discriminators: float, chance: float = TRIANGLE_CHANCE) -> float:
    """The chance that a test of `of` answers shows a difference, by the share of discriminators."""
    least = least_right(of, chance)
    if least is None:
        return 0.0
    return float(
        scipy.stats.binom.sf(least - 1, of, discriminators + (1 - discriminators) * chance)
    )


def answers_needed(
    discriminators: float, chance: float = TRIANGLE_CHANCE, power: float = POWER
) -> int | None:
    """How many answers it takes for a test to show such a difference; None beyond reason.

    The first number that reaches the power; more answers may fall just below it again.
    """
    return next((n for n in _numbers() if power_of(n, discriminators, chance) >= power), None)


def _numbers() -> Iterator[int]:
    return iter(range(1, MOST_ANSWERS + 1))


def two_sided_power(of: int, share: float) -> float:
    """The chance that a test of `of` choices shows a preference of such a share."""
    least = least_right(of, PAIR_CHANCE, FIRST_LOOK / 2)
    return 0.0 if least is None else float(scipy.stats.binom.sf(least - 1, of, share))


def two_sided_needed(share: float, power: float = POWER) -> int | None:
    """How many choices it takes for a test to show a preference of such a share."""
    return next((n for n in _numbers() if two_sided_power(n, share) >= power), None)
