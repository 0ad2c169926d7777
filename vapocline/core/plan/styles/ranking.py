"""Styles in order for what stands on the bench, each with the one reason that weighs most."""

from __future__ import annotations

from collections import Counter
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
MOST_ALIKE = 1 / 3  # of the styles: what more share is no reason
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


class _Weight(NamedTuple):
    """What one side of a style weighs, and why; a `fit` speaks for it, beside what it does."""

    worth: float
    why: str
    fit: bool = False


def ranked(
    setup: Setup, yield_g: float, roast: Roast | None, liked: Mapping[str, Liked]
) -> list[Ranked]:
    """Every style, the one that suits best first. `liked` is by the style's key."""
    weights = [_weights(style, setup, yield_g, roast, liked.get(style.key)) for style in STYLES]
    said = Counter(one.why for of_style in weights for one in of_style)
    # What is as true of most of the others is no reason for one of them.
    common = {why for why, styles in said.items() if styles > MOST_ALIKE * len(STYLES)}
    found = [
        Ranked(style, round(sum(one.worth for one in own), 3), _reason(style, own, common))
        for style, own in zip(STYLES, weights, strict=True)
    ]
    return sorted(found, key=lambda one: -one.worth)


def _weights(
    style: Style, setup: Setup, yield_g: float, roast: Roast | None, liked: Liked | None
) -> list[_Weight]:
    return [
        _by_machine(style, setup, yield_g),
        _by_drink(style, yield_g / setup.dose_g),
        _by_rest(style, setup.rest_days),
        _by_liking(liked),
        _by_roast(style, roast),
    ]


def _reason(style: Style, weights: list[_Weight], common: set[str]) -> str:
    """What weighs most of what is not common; else what the style does."""
    own = [one for one in weights if one.worth and one.why not in common]
    if not own:
        return style.gist
    largest = max(own, key=lambda one: abs(one.worth))
    return f"{style.gist}; {largest.why}" if largest.fit else largest.why


def _by_machine(style: Style, setup: Setup, yield_g: float) -> _Weight:
    problems = machine_problems(unsolved(style, setup, yield_g).profile, setup.machine)
    name = setup.machine.name
    return _Weight(
        PROGRAM if problems else 0.0, f"{name}'s program has to stand in for parts of it"
    )


def _by_drink(style: Style, ratio: float) -> _Weight:
    low, high = style.ratios
    if low <= ratio <= high:
        return _Weight(DRINK, f"made for a drink such as 1 : {ratio:.1f}", fit=True)
    return _Weight(OTHER_DRINK, f"made for {style.drink}, not 1 : {ratio:.1f}")


def _by_rest(style: Style, rest_days: float | None) -> _Weight:
    if rest_days is None or rest_days >= FRESH_DAYS or not style.fresh:
        return _Weight(0.0, "")
    return _Weight(LETS_GAS_OUT, f"rested only {rest_days:g} days, and it bears fresh coffee")


def _by_liking(liked: Liked | None) -> _Weight:
    if liked is None or abs(liked.above) < LEAST_LIKED:
        return _Weight(0.0, "")
    way = "more" if liked.above > 0 else "less"
    cups = "one cup" if liked.cups == 1 else f"{liked.cups} cups"
    worth = liked.above * liked.cups / (liked.cups + DOUBT_CUPS)
    why = f"liked {abs(liked.above):.1f} points {way} than your other shots, in {cups}"
    return _Weight(worth, why)


def _by_roast(style: Style, roast: Roast | None) -> _Weight:
    if roast is None:
        return _Weight(0.0, "")
    lightest, darkest = (ROASTS.index(one) for one in style.suits)
    at = ROASTS.index(roast)
    off = max(0, lightest - at, at - darkest)
    if off == 0:
        return _Weight(SUITS, f"suits a {roast} roast", fit=True)
    return _Weight(PER_ROAST * off, f"for {style.roasts} roasts, and this one is {roast}")
