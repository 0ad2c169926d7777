"""Benches drawn as our own assumptions say, and what a first forecast says of each as its owner's
answers come."""

from __future__ import annotations

import math
from typing import NamedTuple, get_args

import numpy as np

from vapocline.core.begin.answers import (
    Answers,
    BasketAnswer,
    CoffeeAnswer,
    DrinkAnswer,
    GrinderAnswer,
    Hand,
    MachineAnswer,
)
from vapocline.core.begin.forecast import HAND_SHARES, PARTS, ROAST_SHARES, begin_forecast, bench_of
from vapocline.core.coffee.coffee import Roast
from vapocline.core.coffee.grinder import DIAL_SIZE_SPREAD
from vapocline.core.puck.answer import Figure
from vapocline.core.puck.figures import figures_of
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import run
from vapocline.core.puck.priors import NEW, PRIORS, drawn
from vapocline.core.puck.program import program_of

ROASTS = get_args(Roast)
HANDS = tuple(HAND_SHARES)
FIGURES = ("shot_time_s", "first_drip_s", "extraction_yield_pct")


class Truth(NamedTuple):
    """A bench as its owner would describe it, how long its coffee has rested, and what one plain
    shot on it really did."""

    answers: Answers
    rest_days: float
    shot: dict[str, float]


class Held(NamedTuple):
    """After so many answers: half of each range over its middle, and whether it held the shot."""

    width: dict[str, float]
    within: dict[str, bool]


def drawn_answers(dice: np.random.Generator, roast: Roast, hand: Hand) -> Answers:
    """One owner's answers."""
    return Answers(
        machine=MachineAnswer(hand=hand),
        grinder=GrinderAnswer(),
        coffee=CoffeeAnswer(roast=roast),
        basket=BasketAnswer(dose_g=round(float(np.clip(dice.normal(18, 1), 15, 21)), 1)),
        drink=DrinkAnswer(ratio=round(2.0 * math.exp(float(dice.normal(0, 0.18))), 2)),
    )


def by_the_model(seed: int) -> Truth:
    """A bench and a puck drawn as our own assumptions say."""
    dice = np.random.default_rng([seed, 20261201])
    hand = HANDS[int(dice.choice(len(HANDS), p=list(HAND_SHARES.values())))]
    roast = ROASTS[int(dice.choice(5, p=ROAST_SHARES))]
    rest = min(90.0, 12.0 * math.exp(float(dice.normal(0, 0.5))))
    answers = drawn_answers(dice, roast, hand)
    bench = bench_of(answers, rest)
    size = math.exp(float(dice.normal(0, DIAL_SIZE_SPREAD)))
    p = parameters_for(bench.setup)
    p = p._replace(permeability=p.permeability * size**2, size_ratio=p.size_ratio / size)
    priors = (*PRIORS, *NEW)
    p = drawn(p, priors, dice.normal(size=len(priors)))
    plan = Plan(setup=bench.setup, profile=bench.profile, members=1)
    state, samples = run(p, program_of(plan.profile, plan.setup.machine))
    found = figures_of(plan.profile, p, state, samples)
    return Truth(answers, rest, {name: getattr(found, name) for name in FIGURES})


def after(answers: Answers, count: int) -> Answers:
    """The first so many of them."""
    return answers.model_copy(update=dict.fromkeys(PARTS[count:]))


def held(truth: Truth, members: int) -> list[Held]:
    """What the forecasts after none to five answers say of one truth."""
    return [_held(truth, count, members) for count in range(len(PARTS) + 1)]


def _held(truth: Truth, count: int, members: int) -> Held:
    rested = truth.rest_days if count > PARTS.index("coffee") else None
    shot = begin_forecast(after(truth.answers, count), rested, members)
    figures: dict[str, Figure] = {name: getattr(shot, name) for name in FIGURES}
    return Held(
        {name: _width(figure) for name, figure in figures.items()},
        {name: _holds(figure, truth.shot[name]) for name, figure in figures.items()},
    )


def _width(figure: Figure) -> float:
    """Half of the logarithm of the range's ends over each other: about its share either way."""
    assert figure.p10
    assert figure.p90
    return math.log(figure.p90 / figure.p10) / 2


def _holds(figure: Figure, value: float) -> bool:
    assert figure.p10 is not None
    assert figure.p90 is not None
    return figure.p10 <= value <= figure.p90
