"""Whether two ways of preparing a puck are told apart: where they are alike, at most one time in
twenty, and where one is more uneven, how often and which."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial

from benchmarks.learning import logged_in, plan_in
from benchmarks.timing import Row
from benchmarks.truths import World
from tests.core.learn.shots import KEYS, shot
from vapocline.core.learn.fit import fit, free_names
from vapocline.core.learn.learning import VariantsApart, told_apart
from vapocline.core.learn.logged import LoggedShot, counts
from vapocline.core.learn.observed import observed
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.puck.knowledge import Knowledge

TRIALS, SHOTS = 80, 10
TIMES_UNEVEN = (1.0, 2.0, 3.0)  # of the second way
GRIND_UM = 300.0

Series = Callable[[int, float, bool], list[LoggedShot]]


def preparing_rows() -> list[Row]:
    """Each world, with and without a measured strength, at each difference."""
    return [
        row
        for name, series in (("as assumed", _as_assumed), ("other laws", _other_laws))
        for strength in (False, True)
        for times in TIMES_UNEVEN
        for row in [_row(name, series, strength=strength, times=times)]
    ]


def _row(name: str, series: Series, *, strength: bool, times: float) -> Row:
    with ProcessPoolExecutor() as pool:
        trial = partial(_trial, series, times, strength)
        found = [one for one in pool.map(trial, range(TRIALS)) if one is not None]
    told = [one for one in found if one.told]
    right = sum(one.more == "second" for one in told)
    with_strength = "strengths measured" if strength else "no strength measured"
    return Row(
        f"{name}, {with_strength}, {times:g} times as uneven: told apart",
        100 * len(told) / len(found),
        5.0 if times == 1 else None,
        "%",
        f"of {len(found)} series of {SHOTS}, {right} of {len(told)} the right way round",
    )


def _trial(series: Series, times: float, strength: bool, seed: int) -> VariantsApart | None:
    shots = [one for one in series(seed, times, strength) if counts(one) is None]
    ready = [observed(one) for one in shots]
    apart: Sequence[VariantsApart] = told_apart(
        fit(ready, Knowledge(), free_names(ready)), shots, "preparation"
    )
    return apart[0] if apart else None


def _way(at: int) -> str:
    return "second" if at % 2 else "first"


def _as_assumed(seed: int, times: float, strength: bool) -> list[LoggedShot]:
    """The coffee of the simulated machines, whose pucks differ from pull to pull."""
    return [
        replace(
            shot(
                KEYS[at % len(KEYS)],
                10_000 + seed * SHOTS + at,
                {"unevenness": times if at % 2 else 1.0},
                tds=strength,
            ),
            preparation=_way(at),
        )
        for at in range(SHOTS)
    ]


def _other_laws(seed: int, times: float, strength: bool) -> list[LoggedShot]:
    """A coffee of laws of its own."""
    world = World(seed + 5000)
    logged = []
    for at in range(SHOTS):
        plan = plan_in(world, STYLES[at % 6].key, GRIND_UM)
        one = logged_in(plan, world.pull(plan, times if at % 2 else 1.0), f"shot {at + 1}")
        known = one if strength else replace(one, tds_pct=None)
        logged.append(replace(known, preparation=_way(at)))
    return logged
