"""What would narrow a first forecast most: an answer that is still open, or shots."""

from __future__ import annotations

from typing import Literal

from vapocline.core.base.document import Answer
from vapocline.core.begin.answers import (
    Answers,
    BasketAnswer,
    CoffeeAnswer,
    DrinkAnswer,
    GrinderAnswer,
    MachineAnswer,
)
from vapocline.core.begin.forecast import begin_forecast, bench_of
from vapocline.core.coffee.coffee import UNKNOWN_REST_DAYS
from vapocline.core.puck.answer import Figure
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict

Narrower = Literal["shots", "dial", "machine", "grinder", "coffee", "basket", "drink"]
USUAL = {
    "machine": MachineAnswer(), "grinder": GrinderAnswer(), "coffee": CoffeeAnswer(),
    "basket": BasketAnswer(), "drink": DrinkAnswer(),
}  # fmt: skip
MEMBERS = 96
MOST_LEFT = 0.95  # of the range: less is the simulated shots' own luck


class Narrowing(Answer):
    """Something to say or do, and to how many per cent, either way, 8 in 10 shot times would then
    lie: without it `now_pct`."""

    by: Narrower
    shot_time_pct: float
    now_pct: float


def narrowings(answers: Answers, rest_days: float | None) -> list[Narrowing]:
    """What narrows the shot time, most first; an open answer as if it were the usual one. Raises
    Refused."""
    now = _within(begin_forecast(answers, rest_days, MEMBERS).shot_time_s)
    found = [
        Narrowing(by=by, shot_time_pct=round(to, 1), now_pct=round(now, 1))
        for by, to in _possible(answers, rest_days).items()
        if to < MOST_LEFT * now
    ]
    return sorted(found, key=lambda one: one.shot_time_pct)


def _possible(answers: Answers, rest_days: float | None) -> dict[Narrower, float]:
    bench = bench_of(answers, rest_days)
    plan = Plan(setup=bench.setup, profile=bench.profile, members=MEMBERS)
    found: dict[Narrower, float] = {}

    def known_by(by: Narrower, **known: object) -> None:
        setup = plan.setup.model_copy(update=known)
        found[by] = _within(predict(plan.model_copy(update={"setup": setup})).shot_time_s)

    known_by("shots", dialled_in=True)
    if answers.grinder is not None:
        known_by("dial", grind_spread=0.0)
    for part, usual in USUAL.items():
        if getattr(answers, part) is None:
            said = answers.model_copy(update={part: usual})
            rested = UNKNOWN_REST_DAYS if part == "coffee" else rest_days
            found[part] = _within(begin_forecast(said, rested, MEMBERS).shot_time_s)  # type: ignore[index]
    return found


def _within(figure: Figure) -> float:
    """Half of the range over its middle, per cent."""
    low, middle, high = figure.p10, figure.p50, figure.p90
    if low is None or middle is None or high is None or middle <= 0:
        return 0.0
    return 100 * (high - low) / 2 / middle
