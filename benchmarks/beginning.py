"""How a first forecast narrows with each of the five answers, and how often it holds what is then
pulled: on benches drawn by the model's own assumptions, and on pucks of other laws."""

from __future__ import annotations

import math
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np

from benchmarks.timing import Row
from benchmarks.truths import MACHINE, World
from tests.core.begin.truths import FIGURES, Held, Truth, by_the_model, drawn_answers, held
from vapocline.core.begin.forecast import PARTS, bench_of
from vapocline.core.puck.plan import Plan

TRUTHS, MEMBERS = 120, 200
OFF_ELSEWHERE = 0.14  # of the logarithm of what a dial gives, and flat, in another world


def of_other_laws(seed: int) -> Truth:
    """A puck of another world on a machine that sets pressure and flow."""
    dice = np.random.default_rng([seed, 20261202])
    world = World(seed)
    answers = drawn_answers(dice, world.roast, "both")
    bench = bench_of(answers, world.rest_days)
    off = float(dice.uniform(-1, 1)) * OFF_ELSEWHERE * math.sqrt(3)
    setup = bench.setup.model_copy(update={"grind_um": 300 * math.exp(off), "machine": MACHINE})
    pulled = world.pull(Plan(setup=setup, profile=bench.profile, members=1))
    return Truth(answers, world.rest_days, {name: getattr(pulled, name) for name in FIGURES})


def of_truth(world: str, seed: int) -> list[Held]:
    """One truth of a world by its name, for a process of its own."""
    return held({"model": by_the_model, "other": of_other_laws}[world](seed), MEMBERS)


def beginning_rows(truths: int = TRUTHS) -> list[Row]:
    """For `./vapo bench begin`."""
    with ProcessPoolExecutor() as processes:
        rows = []
        for world, words in (("model", "as assumed"), ("other", "other laws")):
            found = list(processes.map(partial(of_truth, world), range(truths)))
            rows += list(_rows(words, found))
        return rows


def _rows(words: str, found: list[list[Held]]) -> Iterator[Row]:
    for count, part in enumerate(("nothing", *PARTS)):
        for name in FIGURES:
            widths = [one[count].width[name] for one in found]
            within = 100 * float(np.mean([one[count].within[name] for one in found]))
            wide = f"aim 80; ±{100 * float(np.median(widths)):.0f} %, {len(found)} benches"
            yield Row(f"{words}, after {part}: {name}", within, None, "%", wide)
