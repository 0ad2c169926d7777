"""Styles in order for what stands on the bench, each with the one reason that weighs most."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple, get_args

from vapocline.core.coffee.coffee import Roast
from vapocline.core.machine.check import machine_problems
from vapocline.core.plan.styles.catalogue import STYLES, Style
from vapocline.core.plan.styles.fit import unsolved
from vapocline.core.puck.plan import Setup

ROASTS: tuple[Roast, ...] = get_args(Roast)
FRESH_DAYS = 6
SUITS, PER_ROAST, DRINK, OTHER_DRINK, LETS_GAS_OUT, PROGRAM = 1.0, -0.8, 0.5, -2.5, 1.5, -1.2
LEAST_LIKED = 0.5  # points above or below the other shots, before it is a reason
DOUBT_CUPS = 2.0  # of no difference, that cups of a style stand against


class Liked(NamedTuple):
    """How the shots of a style were liked: points above all other cups, and how many cups."""

    above: float
    cups: int


class Ranked(NamedTuple):
    """A style, how well it suits, and why in a sentence's part."""

    style: Style
    worth: float
    reason: str


def ranked(
    setup: Setup, yield_g: float, roast: Roast | None, liked: Mapping[str, Liked]
) -> list[Ranked]:
    """Every style, the one that suits best first. `liked` is by the style's key."""
    found = [_ranked(style, setup, yield_g, roast, liked.get(style.key)) for style in STYLES]
    return sorted(found, key=lambda one: -one.worth)


def _ranked(
    style: Style, setup: Setup, yield_g: float, roast: Roast | None, liked: Liked | None
) -> Ranked:
    weights = [
        _by_machine(style, setup, yield_g),
        _by_drink(style, yield_g / setup.dose_g),
        _by_rest(style, setup.rest_days),
        _by_liking(liked),
        _by_roast(style, roast),
    ]
    largest = max(weights, key=lambda one: abs(one[0]))
    return Ranked(style, round(sum(worth for worth, _reason in weights), 3), largest[1])


def _by_machine(style: Style, setup: Setup, yield_g: float) -> tuple[float, str]:
    problems = machine_problems(unsolved(style, setup, yield_g).profile, setup.machine)
    name = setup.machine.name
    return (PROGRAM if problems else 0.0), f"{name}'s program has to stand in for parts of it"


def _by_drink(style: Style, ratio: float) -> tuple[float, str]:
    low, high = style.ratios
    if low <= ratio <= high:
        return DRINK, f"{style.gist}; made for a drink such as 1 : {ratio:.1f}"
    return OTHER_DRINK, f"made for {style.drink}, not 1 : {ratio:.1f}"


def _by_rest(style: Style, rest_days: float | None) -> tuple[float, str]:
    if rest_days is None or rest_days >= FRESH_DAYS or not style.fresh:
        return 0.0, ""
    return LETS_GAS_OUT, f"rested only {rest_days:g} days, and it bears fresh coffee"


def _by_liking(liked: Liked | None) -> tuple[float, str]:
    if liked is None or abs(liked.above) < LEAST_LIKED:
        return 0.0, ""
    way = "more" if liked.above > 0 else "less"
    cups = "one cup" if liked.cups == 1 else f"{liked.cups} cups"
    worth = liked.above * liked.cups / (liked.cups + DOUBT_CUPS)
    return worth, f"liked {abs(liked.above):.1f} points {way} than your other shots, in {cups}"


def _by_roast(style: Style, roast: Roast | None) -> tuple[float, str]:
    if roast is None:
        return 0.0, f"{style.gist}; for {style.roasts} roasts"
    lightest, darkest = (ROASTS.index(one) for one in style.suits)
    at = ROASTS.index(roast)
    off = max(0, lightest - at, at - darkest)
    if off == 0:
        return SUITS, f"{style.gist}; suits a {roast} roast"
    return PER_ROAST * off, f"for {style.roasts} roasts, and this one is {roast}"
