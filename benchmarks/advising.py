"""Whether advice helps: made-up tasters with a hidden idea of a good cup, over ten rounds of one
change each. Some follow Next, some change things at random, some follow a single school."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple, get_args

import numpy as np

from benchmarks.timing import Row
from tests.core.read.recordings import styled
from vapocline.core.advise.candidates import FOLLOWS, NOTICEABLE, candidates_for, runs_on_machine
from vapocline.core.advise.evidence import TastedShot, tried
from vapocline.core.advise.moves import MOVE, MOVES, Before
from vapocline.core.advise.rules import SchoolName, Trigger, rules_for
from vapocline.core.advise.weighing import LineOffTarget, weighed
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.taste.spreads import DEFAULT_STEP, REPEATABILITY, HouseSpreads
from vapocline.core.taste.tasting import Line
from vapocline.desk.next.chips import OFF

USERS, ROUNDS = 40, 10
SHOWN = (0, 3, 5, 10)
STYLES = ("steady-nine", "soak-then-press", "hard-start-falling", "level-flow", "bloom")
NOTHING = HouseSpreads()  # nobody repeated anything
STEP = dict.fromkeys(FOLLOWS, DEFAULT_STEP)
POINTS = 1.6  # that a noticeable change of what is in the cup moves a score by
OTHER_WAY = 0.1  # of the lines that a taster hears the other way round
IDEAL_MOVES, LEAST_APART = 3, 2.5

Scores = dict[Line, float]
Policy = Callable[["User", "Try", Sequence["Try"]], Plan | None]


class Try(NamedTuple):
    """A plan that was pulled and tasted, and the plan it was changed from."""

    plan: Plan
    scores: Scores
    before: Try | None


class User:
    """A taster with a puck that is not as assumed, an ear of their own, and a hidden target."""

    def __init__(self, seed: int) -> None:
        self.dice = np.random.default_rng([seed, 20261127])
        self._offset_um = float(self.dice.normal(0, 8))
        self._warmer_c = float(self.dice.normal(0, 1))
        self._gain = {
            line: float(np.exp(self.dice.normal(0, 0.4)))
            * (-1 if self.dice.random() < OTHER_WAY else 1)
            for line in FOLLOWS
        }
        self.start = styled(STYLES[int(self.dice.integers(len(STYLES)))])
        self._zero = self._cup(self.start)
        self.target = self._drawn_target()

    def _cup(self, plan: Plan) -> Prediction:
        setup = plan.setup.model_copy(
            update={
                "grind_um": plan.setup.grind_um + self._offset_um,
                "water_c": plan.setup.water_c + self._warmer_c,
            }
        )
        return predict(plan.model_copy(update={"setup": setup, "members": 1}))

    def tastes(self, plan: Plan) -> Scores:
        """What this taster would find on average over many cups."""
        shot = self._cup(plan)
        found: Scores = {}
        for line, of in FOLLOWS.items():
            change = math.log(_of(shot, of) / _of(self._zero, of)) / NOTICEABLE
            found[line] = 5 + self._gain[line] * POINTS * change
        return found

    def scores(self, plan: Plan) -> Scores:
        """One cup of it: in whole points, as closely as tasters repeat."""
        return {
            line: float(
                np.clip(round(points + self.dice.normal(0, STEP[line] / REPEATABILITY)), 0, 10)
            )
            for line, points in self.tastes(plan).items()
        }

    def apart(self, scores: Scores) -> float:
        """How far scores lie from the target, in noticeable steps."""
        return math.sqrt(sum(one**2 for one in self.off(scores).values()))

    def off(self, scores: Scores) -> Scores:
        """By how many noticeable steps each line lies above its target."""
        return {line: (scores[line] - aim) / STEP[line] for line, aim in self.target.items()}

    def _drawn_target(self) -> Scores:
        """What another plan would taste like, a few changes away."""
        while True:
            plan = self.start
            for _ in range(IDEAL_MOVES):
                plan = _at_random(self, plan) or plan
            self.target = self.tastes(plan)
            if self.apart(self.tastes(self.start)) >= LEAST_APART:
                return self.target


def _of(shot: Prediction, name: str) -> float:
    found = shot.tds_pct if name == "strength" else getattr(shot.classes, name)
    return float(found.value or 1e-6)


def _at_random(user: User, plan: Plan) -> Plan | None:
    before = Before(plan, predict(plan.model_copy(update={"members": 1})))
    for at in user.dice.permutation(len(MOVES)):
        moved = MOVES[at].change(before)
        if moved is not None and moved != plan and runs_on_machine(moved):
            return moved
    return None


def _triggers(user: User, scores: Scores) -> list[Trigger]:
    """What is noticeably off, the furthest first."""
    off = user.off(scores)
    far = sorted((line for line in off if abs(off[line]) >= 1), key=lambda line: -abs(off[line]))
    found = [OFF.get((line, 1 if off[line] > 0 else -1)) for line in far]
    return [one for one in found if one is not None]


def advised(user: User, best: Try, done: Sequence[Try]) -> Plan | None:
    """The first of what Next shows, with own cups weighed in."""
    if not (triggers := _triggers(user, best.scores)):
        return None
    pairs = [(_as_cup(one.before), _as_cup(one)) for one in done if one.before is not None]
    every = [LineOffTarget(line, -steps) for line, steps in user.off(best.scores).items()]
    aims = [aim for aim in every if abs(aim.steps) >= 1]
    found = weighed(candidates_for(best.plan, triggers), aims, tried(pairs, NOTHING), every)
    return found[0].candidate.plan if found else None


def _as_cup(one: Try) -> TastedShot:
    return TastedShot(one.plan, {("anyone", "hot straight"): one.scores})


def at_random(user: User, best: Try, done: Sequence[Try]) -> Plan | None:
    """Any change that the machine takes."""
    del done
    return _at_random(user, best.plan) if _triggers(user, best.scores) else None


def of_school(school: SchoolName) -> Policy:
    """What one school says, again and again in its order."""

    def follow(user: User, best: Try, done: Sequence[Try]) -> Plan | None:
        before = Before(best.plan, predict(best.plan.model_copy(update={"members": 1})))
        rules = rules_for(frozenset(_triggers(user, best.scores)))
        plans = [MOVE[rule.move].change(before) for rule in rules if rule.school == school]
        able = [one for one in plans if one and one != best.plan and runs_on_machine(one)]
        return able[len(done) % len(able)] if able else None

    return follow


def advising_rows(users: int = USERS) -> list[Row]:
    """For `./vapo bench advise`: how far the best cup so far lies from what was wanted."""
    schools = get_args(SchoolName)
    policies: dict[str, Callable[[int], Policy]] = {
        "Next": lambda _seed: advised,
        "at random": lambda _seed: at_random,
        "one school": lambda seed: of_school(schools[seed % len(schools)]),
    }
    found = {
        name: np.array([_followed(User(seed), policy(seed)) for seed in range(users)])
        for name, policy in policies.items()
    }
    rows = []
    for name, apart in found.items():
        for at in SHOWN:
            nearer = (found["Next"][:, at] < apart[:, at] - 1e-9).mean()
            said = "" if name == "Next" else f", Next nearer for {100 * nearer:.0f} %"
            p80 = float(np.quantile(apart[:, at], 0.8))
            note = f"p80 {p80:.1f}{said}"
            rows.append(
                Row(
                    f"{name}, after {at} rounds",
                    float(np.median(apart[:, at])),
                    None,
                    "steps",
                    note,
                )
            )
    return rows


def _followed(user: User, policy: Policy) -> list[float]:
    """Rounds of one change each; what was no better is taken back. How far the best plan truly is
    from the target at first and after each round."""
    best = Try(user.start, user.scores(user.start), None)
    done, apart = [best], [user.apart(user.tastes(best.plan))]
    for _ in range(ROUNDS):
        plan = policy(user, best, done)
        if plan is not None:
            made = Try(plan, user.scores(plan), best)
            done.append(made)
            best = min(best, made, key=lambda one: user.apart(one.scores))
        apart.append(user.apart(user.tastes(best.plan)))
    return apart
