"""How a fit fares against its rivals on shots that were left out of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from statistics import fmean
from typing import Literal, NamedTuple

import numpy as np

from vapocline.core.base.arrays import Floats
from vapocline.core.base.document import Answer
from vapocline.core.learn.held_out import FIGURES, Guess, measured_of
from vapocline.core.learn.logged import LoggedShot

HELD_OUT_FROM = 3  # shots: with fewer, leaving one out leaves next to nothing
# A fit counts as worse than a rival if its mean error is larger by this factor and the difference
# exceeds this many standard errors: a rival that was luckier in three shots proves nothing. After
# five shots of 18 hidden truths, the fits chosen this way err by 0.69 units on new profiles, those
# chosen by the mean alone by 0.81.
WORSE, SURE_SES = 1.05, 2.0
# What weighs alike where errors are held against each other, the time by its share.
UNITS = {"first_drip_s": 1.0, "peak_pressure_bar": 0.3, "extraction_yield_pct": 0.5}
TIME_UNIT, FAR = 0.04, 5.0

Rival = Literal["nothing", "permeability", "last_time"]
BETTER = "It predicts shots that were left out better than its rivals."
NOT_WORSE = "No rival predicts shots that were left out better by more than chance."
RIVALS: dict[Rival, str] = {
    "nothing": "without any learning",
    "permeability": "with only the permeability learnt",
    "last_time": "as last time",
}


class Scores(Answer):
    """Errors on shots that were left out, medians; None where nothing was measured. `coverage` is
    the share of figures within p10 and p90, `pinball_pct` of the shot time."""

    shots: int
    time_pct: float | None
    first_drip_s: float | None
    peak_bar: float | None
    ey_points: float | None
    coverage: float | None
    pinball_pct: float | None


class Verdict(NamedTuple):
    """Whether what was learnt is used, in words; `simple` where only the permeability is."""

    used: bool
    because: str
    simple: bool = False


def as_last_time(counted: Sequence[LoggedShot]) -> list[Guess]:
    """Every shot as the one before it of its version, or else the one before it at all."""
    found = []
    for at, shot in enumerate(counted):
        before = [one for one in counted[:at] if one.version == shot.version] or counted[:at]
        for name in FIGURES:
            measured = measured_of(shot, name)
            last = measured_of(before[-1], name) if before else None
            if measured is not None and last is not None:
                found.append(Guess(shot.name, name, last, last, last, measured))
    return found


def judged(whole: list[Guess], rivals: dict[Rival, list[Guess]]) -> Verdict:
    """Each rival against it on what both predict: what errs more than a rival is not used."""
    lost = [name for name, theirs in rivals.items() if _errs_more(whole, theirs)]
    if not lost:
        best = not any(_is_ahead(theirs, whole) for theirs in rivals.values())
        return Verdict(True, BETTER if best else NOT_WORSE)
    simply = rivals["permeability"]
    beaten = [name for name in lost if name != "permeability" and _errs_more(simply, rivals[name])]
    if beaten:
        because = f"Shots that were left out are predicted better {RIVALS[beaten[0]]}."
        return Verdict(False, because)
    because = "Only the permeability is taken: it predicts shots that were left out better alone."
    return Verdict(True, because, simple=True)


def _errs_more(ours: list[Guess], theirs: list[Guess]) -> bool:
    """Whether a rival is better by more than chance, shot by shot."""
    us, them = _paired(ours, theirs)
    if us.size < HELD_OUT_FROM - 1:
        return False
    more = us - them
    sure = SURE_SES * float(more.std(ddof=1)) / math.sqrt(more.size)
    return bool(more.mean() > max((WORSE - 1) * them.mean(), sure))


def _is_ahead(theirs: list[Guess], ours: list[Guess]) -> bool:
    """Whether a rival erred less, be it by chance."""
    us, them = _paired(ours, theirs)
    return us.size > 0 and bool(them.mean() < us.mean())


def _paired(ours: list[Guess], theirs: list[Guess]) -> tuple[Floats, Floats]:
    """Sizes of both on every shot that both predict, figures of one shot together."""
    own = {(one.shot, one.figure): _size(one) for one in ours}
    pairs: dict[str, list[tuple[float, float]]] = {}
    for one in theirs:
        if (one.shot, one.figure) in own:
            pairs.setdefault(one.shot, []).append((own[one.shot, one.figure], _size(one)))
    us, them = np.array([np.mean(each, axis=0) for each in pairs.values()]).reshape(-1, 2).T
    return us, them


def _size(one: Guess) -> float:
    """How far a guess is off in units that weigh alike; a miss is a miss, however wide."""
    unit = UNITS[one.figure] if one.figure in UNITS else TIME_UNIT * one.measured
    return min(FAR, abs(one.off) / unit)


def scores(found: Sequence[Guess]) -> Scores:
    """Errors over guesses: medians, and the share within p10 and p90. A peak is no such figure: its
    range is the puck's, what was measured has the gauge's noise."""
    by = {name: [one for one in found if one.figure == name] for name in FIGURES}
    times = by["shot_time_s"]

    ranged = [one.within for one in found if one.figure != "peak_pressure_bar"]

    def middle(name: str) -> float | None:
        return _median([abs(one.off) for one in by[name]], 3)

    return Scores(
        shots=len({one.shot for one in found}),
        time_pct=_median([100 * abs(one.off) / one.measured for one in times], 2),
        first_drip_s=middle("first_drip_s"),
        peak_bar=middle("peak_pressure_bar"),
        ey_points=middle("extraction_yield_pct"),
        coverage=round(fmean(ranged), 3) if ranged else None,
        pinball_pct=_median([100 * one.pinball / one.measured for one in times], 2),
    )


def _median(values: Sequence[float], digits: int) -> float | None:
    return round(float(np.median(values)), digits) if values else None
