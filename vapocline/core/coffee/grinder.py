"""What stands on the shelf besides machines: coffees with their bags, grinders, baskets."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from typing import Any, NamedTuple, Protocol, Self

import numpy as np
import scipy  # its parts are imported where they are first used
from pydantic import model_validator
from pydantic_core import PydanticCustomError

from vapocline.core.base.document import Document, Name, Note
from vapocline.core.base.problems import Problem, Refused
from vapocline.core.base.quantities import (
    RANGES,
    FinesPct,
    GrindSetting,
    GrindStep,
    GrindUm,
    RetentionG,
    SizeSpread,
)

# One standard deviation of the logarithm of a size: 8 in 10 lie within 1.28 of them.
UNKNOWN_SIZE_SPREAD = 0.22  # of a usual espresso grind by a grinder nobody described: ± 28 %
DIAL_SIZE_SPREAD = 0.12  # where it is only known at which number espresso usually lies: ± 15 %

EIGHT_IN_TEN = 1.28  # standard deviations to either side of a normal distribution


def within_pct(size_spread: float) -> float:
    """To how many per cent, either way, 8 in 10 sizes of a spread lie."""
    return 100 * EIGHT_IN_TEN * size_spread


class Grinder(Document):
    """A grinder and its calibration: settings, rising, and the nominal size each gives, µm.

    `fines_pct` is the share of a dose it grinds to fines at 300 µm, None where it is not known.
    `size_spread` is how far all its sizes together may be off, one standard deviation of their
    logarithm: 0 where they were measured. `step` is how far apart its clicks are, None where it is
    stepless; `retention_g` stays inside until more is ground.
    """

    name: Name
    settings: tuple[GrindSetting, ...]
    grind_um: tuple[GrindUm, ...]
    fines_pct: FinesPct | None = None
    size_spread: SizeSpread = 0
    step: GrindStep | None = None
    retention_g: RetentionG = 0
    note: Note = ""

    @model_validator(mode="after")
    def _monotone(self) -> Self:
        try:
            refuse_bad_points(self.settings, self.grind_um)
        except Refused as refused:
            problem = refused.problems[0]
            ctx = {"field": problem.field, "got": problem.got, "accepted": problem.accepted}
            raise PydanticCustomError("calibration", "points", ctx) from None
        return self


LEAST_POINTS = 2


def refuse_bad_points(settings: Sequence[float], grind_um: Sequence[float]) -> None:
    """Raise Refused, naming the point, unless the calibration rises (or falls) throughout and has
    enough points."""
    if len(settings) != len(grind_um) or len(settings) < LEAST_POINTS:
        got = f"{len(settings)} settings and {len(grind_um)} sizes"
        raise Refused([Problem("points", got, f"{LEAST_POINTS} or more pairs of setting and µm")])
    for i, (before, after) in enumerate(pairwise(settings), 1):
        if after <= before:
            accepted = f"more than {before:g}: settings in rising order"
            raise Refused([Problem(f"settings.{i}", f"{after:g}", accepted)])
    rises = grind_um[-1] > grind_um[0]
    for i, (before, after) in enumerate(pairwise(grind_um), 1):
        if (after <= before) if rises else (after >= before):
            accepted = f"{'more' if rises else 'less'} than {before:g}: sizes that only "
            accepted += "rise" if rises else "fall"
            raise Refused([Problem(f"grind_um.{i}", f"{after:g}", accepted)])


class Mix(NamedTuple):
    """A dose of which a part was ground at another size: its mean, µm, and how far off that may be,
    one standard deviation of its logarithm."""

    grind_um: float
    spread: float


def mixed_with(grind_um: float, before_um: float, retention_g: float, dose_g: float) -> Mix:
    """A dose ground after another setting that was not purged. Between half and all of what stayed
    inside comes out with it: our estimate."""
    most = min(1.0, retention_g / dose_g)
    apart = math.log(before_um / grind_um)
    mean, spread = 0.75 * most * apart, most * abs(apart) / 2 / math.sqrt(12)  # of a flat one
    return Mix(round(grind_um * math.exp(mean), 1), round(spread, 4))


@lru_cache(maxsize=32)
def _curve(settings: tuple[float, ...], grind_um: tuple[float, ...]) -> Any:
    """Made once a grinder: every forecast asks for its bench's size."""
    return scipy.interpolate.PchipInterpolator(settings, grind_um)


def grind_um_at(settings: Sequence[float], grind_um: Sequence[float], setting: float) -> float:
    """Nominal size at a setting, µm, by a monotone curve through the grinder's points.

    Beyond the outermost points the end slope goes on. Raises Refused where that leaves the range
    the model takes. Source of the curve: Fritsch and Butland 1984, as scipy's PCHIP.
    """
    curve = _curve(tuple(settings), tuple(grind_um))
    inside = float(np.clip(setting, settings[0], settings[-1]))
    size = float(curve(inside) + curve.derivative()(inside) * (setting - inside))
    bounds = RANGES["grind_um"]
    if not bounds.low <= size <= bounds.high:
        raise Refused(
            [Problem("grind_setting", f"{setting:g}, which is {size:.0f} µm", f"{bounds}")]
        )
    return size


def setting_for(settings: Sequence[float], grind_um: Sequence[float], size_um: float) -> float:
    """The setting that gives a size, by the same curve turned round, to a hundredth.

    A size beyond the grinder's outermost points gives the nearest of them.
    """
    between = np.linspace(settings[0], settings[-1], 2001)
    sizes = _curve(tuple(settings), tuple(grind_um))(between)
    return round(float(between[int(np.argmin(np.abs(sizes - size_um)))]), 2)


class GrinderDial(Protocol):
    """A grinder's points, and how far apart its clicks are, None where it is stepless."""

    @property
    def settings(self) -> Sequence[float]: ...
    @property
    def grind_um(self) -> Sequence[float]: ...
    @property
    def step(self) -> float | None: ...


STEPLESS = 0.1  # how finely a setting is proposed where there are no clicks


def setting_on(dial: GrinderDial, size_um: float) -> float:
    """The setting nearest to a size that a hand can set: on a click, or to a tenth."""
    return on_click(dial, setting_for(dial.settings, dial.grind_um, size_um))


def on_click(dial: GrinderDial, setting: float) -> float:
    """The click nearest to a setting, within the outermost points."""
    step = dial.step or STEPLESS
    low, high = (round(edge / step, 6) for edge in (dial.settings[0], dial.settings[-1]))
    first, last = math.ceil(low), math.floor(high)
    if first > last:  # no click lies between them
        return round(setting, 3)
    return round(min(last, max(first, round(setting / step))) * step, 3)
