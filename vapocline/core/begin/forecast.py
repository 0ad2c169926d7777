"""What a plain shot should do on a bench of which only some is said yet.

The ranges come from simulated shots that differ in all that is open: what was not answered is drawn
from what benches usually are, what was answered from what such an answer leaves open. The same
numbers are drawn whatever is answered, so that an answer narrows the very shots seen before it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple, get_args

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.begin.answers import Answers, Hand, MachineAnswer, machine_of
from vapocline.core.coffee.basket import UNWEIGHED_SPREAD
from vapocline.core.coffee.coffee import UNKNOWN_REST_DAYS, Roast
from vapocline.core.coffee.grinder import DIAL_SIZE_SPREAD, UNKNOWN_SIZE_SPREAD
from vapocline.core.machine.machine import REFERENCE, Machine
from vapocline.core.plan.start_water import BEGIN_C
from vapocline.core.plan.styles.fit import plain_shot
from vapocline.core.profile.profile import PressureCommand, Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.puck.priors import NEW, PRIORS, Prior, drawn, draws, size_off_by
from vapocline.core.puck.ranges import DrawnShot
from vapocline.core.puck.unknowns import UNKNOWNS

PARTS = ("machine", "grinder", "coffee", "basket", "drink")
ROASTS: tuple[Roast, ...] = get_args(Roast)
# How often a bag is of a roast, how long it has rested, and so on: ours, to begin with.
ROAST_SHARES = (0.12, 0.22, 0.34, 0.20, 0.12)
REST_SPREAD = 0.5  # of the logarithm of days
DOSE_SPREAD_G = 1.0
RATIO_SPREAD = 0.18  # of its logarithm
# What machines that nobody described are, and how far their pressure is from what they say.
HAND_SHARES: dict[Hand, float] = {
    "both": 0.2, "pressure": 0.15, "switch": 0.4, "spring-lever": 0.15, "hand-lever": 0.1,
}  # fmt: skip
PRESSURE_SPREAD = 0.08
NARROW_SHARE, NARROW_MM = 0.12, 54.0  # of baskets, where nobody said
MOST_REST_DAYS = 90.0
OPEN = ("grind", "roast", "rest", "dose", "basket", "ratio", "hand", "pressure")
# What a machine that nobody described leaves open of the water's way.
ANY_MACHINE = tuple(
    Prior(unknown.name, "factor", unknown.spread, "", unknown.fields, unknown.words)
    for unknown in UNKNOWNS
    if unknown.name in ("head", "trapped air", "hose", "pressure lag")
)
PUCK = (*NEW, *PRIORS)
SEED = 4  # whose few points lie as many do


class PlainBench(NamedTuple):
    """Everything of one shot but the puck's own chance: a set-up and its profile."""

    setup: Setup
    profile: Profile


def setup_of(answers: Answers, machine: Machine, today_rest_days: float | None) -> Setup:
    """What was said as a plan's set-up; a usual value where it is open."""
    coffee, basket = answers.coffee, answers.basket
    rest = UNKNOWN_REST_DAYS if today_rest_days is None else min(today_rest_days, 365.0)
    roast = "medium" if coffee is None else coffee.roast
    return Setup(
        dose_g=answers.dose_g,
        roast=roast,
        rest_days=rest,
        blend=answers.coffee is not None and answers.coffee.blend,
        basket_diameter_mm=58.5 if basket is None else basket.diameter_mm,
        water_c=BEGIN_C[roast],
        dialled_in=False,
        dose_spread=0 if basket is None or basket.weighed else UNWEIGHED_SPREAD,
        grind_spread=UNKNOWN_SIZE_SPREAD if answers.grinder is None else DIAL_SIZE_SPREAD,
        machine=machine,
    )


def bench_of(answers: Answers, rest_days: float | None) -> PlainBench:
    """The bench as said, and a plain shot on it. `rest_days` is how long the coffee has rested,
    None where that is not known. Raises Refused."""
    machine = REFERENCE if answers.machine is None else machine_of(answers.machine)
    setup = setup_of(answers, machine, rest_days)
    return PlainBench(setup, plain_shot(setup, answers.yield_g))


def begin_forecast(answers: Answers, rest_days: float | None, members: int) -> Prediction:
    """A plain shot on the bench as said, with ranges over all that is open. Raises Refused."""
    bench = bench_of(answers, rest_days)
    plan = Plan(setup=bench.setup, profile=bench.profile, members=members, seed=SEED)
    return predict(plan, drawn_shots(answers, rest_days, bench, members))


def drawn_shots(
    answers: Answers, rest_days: float | None, bench: PlainBench, members: int
) -> list[DrawnShot]:
    """So many shots as the bench may turn out, the same ones for the same answers."""
    # What weighs most comes first: of few points, those of the first dimensions lie most evenly.
    rows = draws(members, SEED, len(PUCK) + len(OPEN) + len(ANY_MACHINE))
    benches = _possible_benches(answers, rest_days, bench)
    return [
        _shot(answers, rest_days, benches, np.split(row, np.cumsum([len(PUCK), len(OPEN)])))
        for row in rows
    ]


def _possible_benches(
    answers: Answers, rest_days: float | None, bench: PlainBench
) -> list[tuple[float, PlainBench]]:
    """By the share of all below which it is taken: the bench as said, or one of each kind of
    machine where none was."""
    if answers.machine is not None:
        return [(1.0, bench)]
    ends = np.cumsum(list(HAND_SHARES.values())).tolist()
    return [
        (end, bench_of(with_machine(answers, hand), rest_days))
        for end, hand in zip(ends, HAND_SHARES, strict=True)
    ]


def with_machine(answers: Answers, hand: Hand) -> Answers:
    """The answers with a usual machine of a kind."""
    return answers.model_copy(update={"machine": MachineAnswer(hand=hand)})


def _shot(
    answers: Answers,
    rest_days: float | None,
    benches: list[tuple[float, PlainBench]],
    row: Sequence[Floats],
) -> DrawnShot:
    puck, open_parts, machine = row
    z = dict(zip(OPEN, open_parts, strict=True))
    at = _share(z["hand"])
    described = next((bench for end, bench in benches if at <= end), benches[-1][1])
    bench = _drawn_bench(answers, rest_days, described, z)
    priors = (*PUCK, *size_off_by(described.setup.grind_spread))
    numbers = [*puck, z["grind"]]
    if answers.machine is None:
        priors, numbers = (*priors, *ANY_MACHINE), [*numbers, *machine]
    p = drawn(parameters_for(bench.setup), priors, numbers)
    return DrawnShot(Plan(setup=bench.setup, profile=bench.profile, members=1), p)


def _drawn_bench(
    answers: Answers, rest_days: float | None, bench: PlainBench, z: dict[str, float]
) -> PlainBench:
    """One bench of those that the answers leave possible."""
    changed: dict[str, object] = {}
    if answers.coffee is None:
        changed["roast"] = _roast(z["roast"])
        changed["water_c"] = BEGIN_C[_roast(z["roast"])]
    if rest_days is None:
        days = UNKNOWN_REST_DAYS * math.exp(REST_SPREAD * z["rest"])
        changed["rest_days"] = min(days, MOST_REST_DAYS)
    if answers.basket is None:
        changed["dose_g"] = answers.dose_g + DOSE_SPREAD_G * max(-3.0, min(3.0, z["dose"]))
        if _share(z["basket"]) < NARROW_SHARE:
            changed["basket_diameter_mm"] = NARROW_MM
    elif not answers.basket.weighed:
        changed["dose_g"] = max(5.0, answers.dose_g * math.exp(UNWEIGHED_SPREAD * z["dose"]))
    setup = bench.setup.model_copy(update=changed)
    profile = bench.profile
    if answers.drink is None:
        ratio = math.exp(RATIO_SPREAD * z["ratio"])
        stop = profile.stop.model_copy(update={"cup_g": answers.yield_g * ratio})
        profile = profile.model_copy(update={"stop": stop})
    if answers.machine is None:
        profile = _pressed(profile, math.exp(PRESSURE_SPREAD * z["pressure"]))
    return PlainBench(setup, profile)


def _pressed(profile: Profile, factor: float) -> Profile:
    """The profile on a machine whose pressure is another."""
    phases = []
    for phase in profile.phases:
        command = phase.command
        if isinstance(command, PressureCommand):
            level = {"from_": command.from_ * factor, "to": command.to * factor}
            phases.append(phase.model_copy(update={"command": command.model_copy(update=level)}))
        else:
            phases.append(phase)
    return profile.model_copy(update={"phases": tuple(phases)})


def _roast(z: float) -> Roast:
    at = int(np.searchsorted(np.cumsum(ROAST_SHARES)[:-1], _share(z)))
    return ROASTS[at]


def _share(z: float) -> float:
    """How many of all lie below a standard normal number."""
    return 0.5 * (1 + math.erf(z / math.sqrt(2)))
