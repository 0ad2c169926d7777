"""How often two preparations, or two baskets, are said to differ: at most one time in twenty where
they do not, and, where they do, how often and whether the right one is named."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial

from benchmarks.learning import logged_in, plan_in
from benchmarks.timing import Row
from benchmarks.truths import World
from tests.core.learn.shots import KEYS, shot
from vapocline.core.learn.fit import VariantOf, fit, free_names
from vapocline.core.learn.learning import VariantComparison, compare_variants
from vapocline.core.learn.logged import LoggedShot, counts
from vapocline.core.learn.observed import observed
from vapocline.core.plan.styles.catalogue import STYLES
from vapocline.core.puck.knowledge import Knowledge

TRIALS, SHOTS = 80, 10
# How much more of it the second has: as uneven, or lets water through.
TIMES: dict[VariantOf, tuple[float, ...]] = {
    "preparation": (1.0, 2.0, 3.0), "basket": (1.0, 1.15),
}  # fmt: skip
FIELDS: dict[VariantOf, str] = {"preparation": "unevenness", "basket": "permeability"}
GRIND_UM = 300.0

Series = Callable[[int, VariantOf, float, bool], list[LoggedShot]]


def preparing_rows() -> list[Row]:
    """Preparations, then baskets."""
    return [*variant_rows("preparation"), *variant_rows("basket")]


def variant_rows(of: VariantOf) -> list[Row]:
    """Each world, with and without a measured strength, at each difference."""
    return [
        _row(name, series, of, strength=strength, times=times)
        for name, series in (("as assumed", _as_assumed), ("other laws", _other_laws))
        for strength in (False, True)
        for times in TIMES[of]
    ]


def _row(name: str, series: Series, of: VariantOf, *, strength: bool, times: float) -> Row:
    with ProcessPoolExecutor() as pool:
        trial = partial(_trial, series, of, times, strength)
        found = [one for one in pool.map(trial, range(TRIALS)) if one is not None]
    claims = [comparison for comparison in found if comparison.clear]
    right = sum(comparison.more == "second" for comparison in claims)
    with_strength = "strengths measured" if strength else "no strength measured"
    return Row(
        f"{of}, {name}, {with_strength}, {times:g} times: said to differ",
        100 * len(claims) / len(found),
        5.0 if times == 1 else None,
        "%",
        f"of {len(found)} series of {SHOTS}, {right} of {len(claims)} the right way round",
    )


def _trial(
    series: Series, of: VariantOf, times: float, strength: bool, seed: int
) -> VariantComparison | None:
    shots = [one for one in series(seed, of, times, strength) if counts(one) is None]
    ready = [observed(one) for one in shots]
    found = fit(ready, Knowledge(), free_names(ready))
    return next(iter(compare_variants(found, shots, of)), None)


def _which(of: VariantOf, at: int) -> dict[str, str]:
    return {of: "second" if at % 2 else "first"}


def _as_assumed(seed: int, of: VariantOf, times: float, strength: bool) -> list[LoggedShot]:
    """The coffee of the simulated machines, whose pucks differ from pull to pull."""
    return [
        replace(
            shot(
                KEYS[at % len(KEYS)],
                10_000 + seed * SHOTS + at,
                {FIELDS[of]: times if at % 2 else 1.0},
                tds=strength,
            ),
            **_which(of, at),
        )
        for at in range(SHOTS)
    ]


def _other_laws(seed: int, of: VariantOf, times: float, strength: bool) -> list[LoggedShot]:
    """A coffee of laws of its own."""
    world = World(seed + 5000)
    logged = []
    for at in range(SHOTS):
        plan = plan_in(world, STYLES[at % 6].key, GRIND_UM)
        pulled = world.pull(plan, **{FIELDS[of]: times if at % 2 else 1.0})
        one = logged_in(plan, pulled, f"shot {at + 1}")
        known = one if strength else replace(one, tds_pct=None)
        logged.append(replace(known, **_which(of, at)))
    return logged
