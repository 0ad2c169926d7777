"""Which way each number moves the shot, over ordinary set-ups drawn at random: direction and size.

Where a direction does not hold everywhere, the share in which it must and the reason stand with it.
"""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from tests.core.puck.rows import Puck, Shot
from tests.factories import bloomed, flow, off, pressure, seconds, soaked
from vapocline.core.profile.profile import FlowCommand, Phase

COUNT = 200
ALWAYS = 0.99


class Drawn(NamedTuple):
    """An ordinary set-up and what is pulled on it."""

    phases: tuple[Phase, ...]
    bar: float
    setup: dict[str, object]


class Sign(NamedTuple):
    """One number moved by so much: the figure's change must have `sign` in a `share` of cases."""

    moved: str
    figure: str
    sign: int
    share: float
    by: Callable[[Drawn], Drawn]
    reason: str = ""
    where: Callable[[Drawn], bool] = lambda _drawn: True


def drawn(seed: int) -> list[Drawn]:
    rng, found = np.random.default_rng(seed), []
    for _ in range(COUNT):
        style, bar = rng.integers(3), float(rng.uniform(6, 10))
        phases = ((pressure(bar),), soaked(float(rng.uniform(1.6, 2.4))), bloomed())[style]
        dose = float(rng.uniform(15, 20))
        setup = {
            "grind_um": float(rng.uniform(250, 380)),
            "rest_days": float(rng.uniform(4, 40)),
            "roast": str(rng.choice(["light", "medium", "dark"])),
            "dose_g": dose,
            "cup_g": dose * float(rng.uniform(1.8, 2.6)),
            "water_c": float(rng.uniform(88, 95)),
        }
        found.append(Drawn(phases, bar if style == 0 else 0.0, setup))
    return found


def by(name: str, step: float, default: float = 0.0) -> Callable[[Drawn], Drawn]:
    def moved(one: Drawn) -> Drawn:
        value = float(one.setup.get(name, default)) + step  # type: ignore[arg-type]
        return one._replace(setup=one.setup | {name: value})

    return moved


def faster(one: Drawn) -> Drawn:
    """A soaked shot with 0.3 mL/s more once it is soaked."""
    fill, hold = one.phases
    assert isinstance(hold.command, FlowCommand)
    return one._replace(phases=(fill, flow(hold.command.to + 0.3)))


def fallen(one: Drawn) -> Drawn:
    """A flat shot that falls to half its pressure, over twenty seconds from the tenth."""
    return one._replace(
        phases=(pressure(one.bar, None, seconds(10)), pressure(one.bar, one.bar / 2, over=20))
    )


def rested_longer(one: Drawn) -> Drawn:
    """A bloom of ten seconds more."""
    wet, _rest, *others = one.phases
    return one._replace(phases=(wet, off(seconds(40), kind="bloom"), *others))


def soaked_only(one: Drawn) -> bool:
    return len(one.phases) == 2


def bloomed_only(one: Drawn) -> bool:
    return len(one.phases) == 4


def harder(one: Drawn) -> Drawn:
    return one._replace(phases=(pressure(one.bar + 1),), bar=one.bar + 1)


def flat(one: Drawn) -> bool:
    return one.bar > 0


def coarse(one: Drawn) -> bool:
    return float(one.setup["grind_um"]) > 290  # type: ignore[arg-type]


def rested(one: Drawn) -> bool:
    return flat(one) and float(one.setup["rest_days"]) > 20  # type: ignore[arg-type]


def free(one: Drawn) -> bool:
    """Not held to a flow, whose time the puck cannot change."""
    return len(one.phases) != 2


SIGNS = (
    Sign("20 µm finer", "time", +1, ALWAYS, by("grind_um", -20), "", free),
    Sign("20 µm finer", "extraction", +1, 0.97, by("grind_um", -20),
         "below some 290 µm unevenness takes more than fineness gives", coarse),
    Sign("20 µm finer", "unevenness", +1, 0.95, by("grind_um", -20),
         "where both lanes are nearly spent they come nearer again"),
    Sign("1 g more coffee, same cup", "time", +1, 0.95, by("dose_g", 1),
         "a flow that is held brings the same cup, and a fuller basket leaves less head to fill"),
    Sign("1 g more coffee, same cup", "extraction", -1, 0.65, by("dose_g", 1),
         "where it is coarse, slower water takes back what the shorter ratio costs"),
    Sign("1 g more coffee, same cup", "strength", +1, ALWAYS, by("dose_g", 1)),
    Sign("3 °C hotter", "extraction", +1, ALWAYS, by("water_c", 3)),
    Sign("3 °C hotter", "time", -1, 0.97, by("water_c", 3), "thinner water, more eroded", free),
    Sign("10 days older", "time", -1, ALWAYS, by("rest_days", 10), "", flat),
    Sign("4 g more in the cup", "extraction", +1, ALWAYS, by("cup_g", 4)),
    Sign("4 g more in the cup", "strength", -1, ALWAYS, by("cup_g", 4)),
    Sign("4 g more in the cup", "time", +1, ALWAYS, by("cup_g", 4)),
    Sign("1 bar more", "time", -1, ALWAYS, harder, "gas makes fresh coffee denser", rested),
    Sign("0.3 mL/s more", "time", -1, 0.9, faster,
         "a fine puck has the relief valve open already", soaked_only),
    Sign("0.3 mL/s more", "peak", +1, 0.9, faster, "the same", soaked_only),
    Sign("0.3 mL/s more", "extraction", -1, 0.9, faster,
         "where pressure evens the wetting", soaked_only),
    Sign("falling pressure", "time", +1, ALWAYS, fallen, "", flat),
    Sign("falling pressure", "extraction", +1, 0.97, fallen, "over before it falls", flat),
    Sign("a bloom 10 s longer", "time", +1, ALWAYS, rested_longer, "", bloomed_only),
    Sign("a bloom 10 s longer", "extraction", -1, 0.6, rested_longer,
         "the puck cools, but gas goes on leaving a fresh one", bloomed_only),
    Sign("portafilter 20 °C warmer", "extraction", +1, ALWAYS, by("puck_start_c", 20, 45)),
    Sign("less even preparation", "extraction", -1, 0.97, by("unevenness", 0.15, 0.12)),
    Sign("less even preparation", "first_drip", -1, 0.95, by("unevenness", 0.15, 0.12),
         "a soak until the first drip ends with it"),
    Sign("5 % more fines", "time", +1, 0.97, by("fines_pct", 5, 20), "", free),
    Sign("4 mL more room in the basket", "first_drip", +1, ALWAYS,
         by("basket_volume_ml", 4, 46.2)),
)  # fmt: skip


def read(shot: Shot, figure: str) -> float:
    figures = shot.figures
    return {
        "time": figures.shot_time_s,
        "extraction": figures.extraction_yield_pct,
        "strength": figures.tds_pct,
        "first_drip": figures.first_drip_s,
        "unevenness": figures.unevenness,
        "peak": figures.peak_pressure_bar,
    }[figure]


def shares() -> dict[str, float]:
    """Of each sign, the share of set-ups in which it holds."""
    puck, many, found = Puck(cells=12, step_s=0.1), drawn(21), {}
    for sign in SIGNS:
        cases = [one for one in many if sign.where(one)]
        held = [
            sign.sign * (_read(puck, sign.by(one), sign.figure) - _read(puck, one, sign.figure)) > 0
            for one in cases
        ]
        assert len(held) > COUNT / 12
        found[f"{sign.moved}: {sign.figure}"] = float(np.mean(held))
    return found


def _read(puck: Puck, one: Drawn, figure: str) -> float:
    return read(puck.shot(*one.phases, **one.setup), figure)


class Signs(unittest.TestCase):
    def test_every_number_moves_the_shot_the_way_it_does_at_the_machine(self) -> None:
        found = shares()
        for sign in SIGNS:
            with self.subTest(f"{sign.moved}: {sign.figure}", why=sign.reason):
                share = found[f"{sign.moved}: {sign.figure}"]
                self.assertGreaterEqual(share, sign.share)
