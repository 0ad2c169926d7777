"""How often a forecast's range holds what happens, on hidden truths drawn wide.

For a coffee and grinder that are known here, and for new ones: eight in ten are wanted of both.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from tests.core.puck.test_signs import Drawn, drawn
from tests.factories import plan
from vapocline.core.puck import columns
from vapocline.core.puck.figures import figures_of
from vapocline.core.puck.parameters import parameters_for
from vapocline.core.puck.plan import Plan
from vapocline.core.puck.predict import predict
from vapocline.core.pull.simulation import ShotSimulation
from vapocline.devices.simulators.truth import MachineTruth

FIGURES = ("shot_time_s", "first_drip_s", "extraction_yield_pct")
MEMBERS = 60


class Coverage(NamedTuple):
    """Of each figure: the share of truths within p10 to p90, and the median range over value."""

    within: dict[str, float]
    width: dict[str, float]


def pulled(one: Plan, pair: str | None, seed: int) -> dict[str, float]:
    """What really happens: a lifelike machine with a hidden puck that changes on the way."""
    dice = np.random.default_rng(seed)
    truth, course = MachineTruth(dice, calm=False).puck(parameters_for(one.setup), pair, dice)
    shot = ShotSimulation(one.profile, one.setup.machine, truth, cells=12)
    while not shot.advance():
        shot.parameters = course.at(truth, shot.time_s)
    samples = shot.samples[: int(shot.state.now[columns.SAMPLES])]
    return figures_of(one.profile, truth, shot.state, samples)._asdict()


def coverage(known: bool, count: int, seed: int = 5) -> Coverage:
    """Forecast and pull ordinary set-ups on machines and pairs that differ each time."""
    within: dict[str, list[bool]] = {name: [] for name in FIGURES}
    width: dict[str, list[float]] = {name: [] for name in FIGURES}
    for k, one in enumerate(drawn(seed)[:count]):
        asked = _planned(one, known)
        said, found = predict(asked), pulled(asked, None if known else f"pair {k}", seed=1000 + k)
        for name in FIGURES:
            figure = getattr(said, name)
            within[name].append(figure.p10 <= found[name] <= figure.p90)
            width[name].append((figure.p90 - figure.p10) / figure.value)
    return Coverage(
        {name: float(np.mean(held)) for name, held in within.items()},
        {name: float(np.median(wide)) for name, wide in width.items()},
    )


def _planned(one: Drawn, known: bool) -> Plan:
    asked = plan(*one.phases, dialled_in=known, **one.setup)  # type: ignore[arg-type]
    return asked.model_copy(update={"members": MEMBERS})
