"""How true forecasts become with every shot of a coffee, grinder and machine that nobody knows."""

from __future__ import annotations

import math
import time
from collections import defaultdict
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from benchmarks.timing import Row
from benchmarks.truths import Pulled, World
from vapocline.core.learn.held_out import FIGURES, Guess, guess
from vapocline.core.learn.house import LearntOf, Puck, house_knowledge
from vapocline.core.learn.judging import as_last_time, scores
from vapocline.core.learn.learning import learn, simplest
from vapocline.core.learn.logged import LoggedShot
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.plan.styles.fit import fit as fit_style
from vapocline.core.plan.styles.fit import style_named
from vapocline.core.puck.plan import Plan
from vapocline.core.read.record import record_of
from vapocline.core.read.replay import replay_of

WORLDS = 60
HOUSE_SHARE, COFFEES, SHOTS_EACH = 5, 3, 5  # a house for every five worlds
AFTER = (0, 1, 3, 5, 10, 16)
NEW_PROFILES = 3
STRENGTH_OF = 3  # the shot whose strength is measured: when the grind is about right
FINEST_UM, COARSEST_UM = 220.0, 400.0
BY_HAND_UM = (-12, 0, 0, 12)
YIELD_G = 36.0


class Trial(NamedTuple):
    """A world's shots in order with the strength of each, and the shots to predict: profiles that
    were never run there, each with a second pull of it, and the shots repeated."""

    shots: list[LoggedShot]
    strengths: list[float]
    new: list[LoggedShot]
    twins: list[LoggedShot]
    again: dict[int, LoggedShot]


def learning_rows(worlds: int = WORLDS) -> list[Row]:
    """For `./vapo bench learn`: errors (median and p80) and coverage by shots learnt from, the
    rivals' on the same shots, and what learning costs.

    As last time knows the strength of every shot, learning that of one.
    """
    found: dict[tuple[str, int], list[Guess]] = defaultdict(list)
    costs: dict[int, list[float]] = defaultdict(list)
    for house in range(worlds // HOUSE_SHARE):
        _predicted_by_house(house, found)
    for seed in range(worlds):
        _predicted(_trial(World(seed), seed), found, costs)
    rows = [row for (who, after), each in found.items() for row in _rows(who, after, each)]
    return rows + [
        Row(
            f"learning from {_shots(after)}",
            float(np.median(each)),
            None,
            "s",
            f"most {max(each):.1f}",
        )
        for after, each in costs.items()
    ]


def _predicted(
    trial: Trial, found: dict[tuple[str, int], list[Guess]], costs: dict[int, list[float]]
) -> None:
    for twin, new in zip(trial.twins, trial.new, strict=True):
        found["another pull", 1] += as_last_time([twin, new])
    for after in AFTER:
        shots = _with_one_strength(trial, after)
        knowledge, simple, last = None, None, trial.shots[after - 1]
        if after:
            begin = time.perf_counter()
            taught = learn(shots)
            costs[after].append(time.perf_counter() - begin)
            knowledge = taught.knowledge if taught.used else None
            simple = simplest(shots)
            found["same profile", after] += guess(trial.again[after], knowledge)
            found["same, as last time", after] += as_last_time([last, trial.again[after]])
        for new in trial.new:
            found["new profile", after] += guess(new, knowledge)
            if after:
                found["new, permeability", after] += guess(new, simple)
                found["new, as last time", after] += as_last_time([last, new])


def _with_one_strength(trial: Trial, after: int) -> list[LoggedShot]:
    measured = min(after, STRENGTH_OF) - 1
    return [
        replace(shot, tds_pct=trial.strengths[at] if at == measured else None)
        for at, shot in enumerate(trial.shots[:after])
    ]


def _predicted_by_house(house: int, found: dict[tuple[str, int], list[Guess]]) -> None:
    """A coffee's first shots, from what others by its grinder on its machine taught."""
    first, *others = (World(100 * house + at, house) for at in range(COFFEES + 1))
    learnt = []
    for at, world in enumerate(others):
        shots = _with_one_strength(_trial(world, 100 * house + at), SHOTS_EACH)
        learnt.append(LearntOf(_puck(world, at + 1), learn(shots)))
    new = _trial(first, 100 * house).new
    for count in (1, COFFEES):
        known = house_knowledge(_puck(first, 0), learnt[:count])
        for shot in new:
            found[f"first shot, {count} of the house", 0] += guess(shot, known)
    for shot in new:
        found["first shot, nothing learnt", 0] += guess(shot, None)


def _puck(world: World, coffee: int) -> Puck:
    return Puck(coffee, grinder=0, machine=0, roast=world.setup().roast, process="unknown")


def _trial(world: World, seed: int) -> Trial:
    """Ten shots of one coffee as somebody dials it in, each of another profile in turn."""
    dice = np.random.default_rng([seed, 5])
    keys = [style.key for style in STYLES]
    dice.shuffle(keys)
    new, old = keys[:NEW_PROFILES], keys[NEW_PROFILES:]
    shots: list[LoggedShot] = []
    strengths: list[float] = []
    again: dict[int, LoggedShot] = {}
    grind = 300.0
    for at in range(max(AFTER)):
        plan = plan_in(world, old[at % len(old)], grind)
        pulled = world.pull(plan)
        shots.append(logged_in(plan, pulled, f"shot {at + 1}"))
        strengths.append(pulled.tds_pct)
        if at + 1 in AFTER:
            again[at + 1] = logged_in(plan, world.pull(plan), "again")
        step = float(dice.choice(BY_HAND_UM))
        if at == 0:
            step = grind * (_as_if_ground(shots[0]) - 1)
        grind = round(min(COARSEST_UM, max(FINEST_UM, grind + step)))
    plans = [plan_in(world, key, grind) for key in new]
    return Trial(
        shots,
        strengths,
        [logged_in(plan, world.pull(plan), plan.profile.name) for plan in plans],
        [logged_in(plan, world.pull(plan), plan.profile.name) for plan in plans],
        again,
    )


def _as_if_ground(shot: LoggedShot) -> float:
    """How much coarser, as a share, one would grind after a first shot, as Read would say it."""
    assert shot.traces
    record = record_of(shot.traces, shot.shot_time_s)
    replay = None if record is None else replay_of(record, shot.plan.setup, shot.plan.profile)
    return 1.0 if replay is None else math.exp(-replay.ln_k / 2)


def plan_in(world: World, key: str, grind_um: float) -> Plan:
    profile = fit_style(style_named(key), world.setup(), YIELD_G).profile
    return Plan(members=1, setup=world.setup(grind_um=grind_um), profile=profile)


def logged_in(plan: Plan, pulled: Pulled, name: str) -> LoggedShot:
    """A shot as logged; its strength is the true one, to be predicted, not to be learnt from."""
    drip = pulled.first_drip_s
    return LoggedShot(
        name=name,
        plan=plan,
        traces=pulled.traces,
        shot_time_s=pulled.shot_time_s,
        first_drip_s=None if math.isnan(drip) else drip,
        yield_g=pulled.yield_g,
        peak_pressure_bar=pulled.peak_pressure_bar,
        tds_pct=(
            pulled.extraction_yield_pct * plan.setup.dose_g / pulled.yield_g
            if pulled.yield_g > 1
            else None
        ),
        version=plan.profile.name,
    )


def _rows(who: str, after: int, found: list[Guess]) -> list[Row]:
    """A line for the time and one for the extraction, with what else is worth knowing."""
    of = {name: [one for one in found if one.figure == name] for name in FIGURES}
    times = np.array([100 * abs(one.off) / one.measured for one in of["shot_time_s"]])
    yields = np.array([abs(one.off) for one in of["extraction_yield_pct"]])
    said, name = scores(found), f"{who}, {_shots(after)}"
    within = {key: np.mean([one.within for one in each]) for key, each in of.items() if each}
    drip = f"first drip {said.first_drip_s} s, peak {said.peak_bar} bar"
    ranged = any(one.high > one.low for one in found)
    covers = {name: f", covered {100 * share:.0f} %" for name, share in within.items() if ranged}
    return [
        Row(f"{name}: time", float(np.median(times)), None, "%",
            f"p80 {np.percentile(times, 80):.1f}, {drip}{covers.get('shot_time_s', '')}"),
        Row(f"{name}: extraction", float(np.median(yields)), None, "points",
            f"p80 {np.percentile(yields, 80):.1f}{covers.get('extraction_yield_pct', '')}"),
    ]  # fmt: skip


def _shots(count: int) -> str:
    return "1 shot" if count == 1 else f"{count} shots"
