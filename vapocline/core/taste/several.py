"""Several shots side by side: sorted by liking, with what can be believed of it, and what was done
differently from the first of them, as run."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from vapocline.core.taste.ages import age_warnings
from vapocline.core.taste.believable import Believable
from vapocline.core.taste.compare import ComparedShot, Difference, differences_as_run
from vapocline.core.taste.panel import Panel, TasterScore
from vapocline.core.taste.tasting import Served, Warmth
from vapocline.core.taste.wording import listed

REPEATS = ("shot_time_s", "yield_g", "peak_pressure_bar", "extraction_yield_pct")


@dataclass(frozen=True)
class RankedShot:
    """One shot among several.

    `liking` is the mean over tasters, `centred` how far it lies above what each gave on average;
    `beats` are the shots it is liked more than, `too_close` those where that is uncertain.
    `done` is what was done differently from the first shot named. `scores` are means over tasters
    by line, and `noticeable` the lines on which it noticeably differs from the first shot.
    """

    index: int
    liking: float | None
    centred: float | None
    tasters: int
    beats: tuple[int, ...]
    too_close: tuple[int, ...]
    done: list[Difference]
    scores: dict[str, float]
    noticeable: tuple[str, ...]


@dataclass(frozen=True)
class RepeatSpread:
    """How far repeats of one version lie apart: how many, and the standard deviation of each
    figure that all of them have."""

    name: str
    shots: tuple[int, ...]
    deviations: dict[str, float]


@dataclass(frozen=True)
class Several:
    """Shots sorted by liking, unknown last; the spread of repeats among them, what is said of them
    in words, and what their comparison suffers from."""

    warmth: Warmth
    served: Served
    places: list[RankedShot]
    spreads: list[RepeatSpread]
    says: list[str]
    warnings: list[str]


def compare_several(
    pulled: Sequence[ComparedShot], smallest: Believable, warmth: Warmth, served: Served
) -> Several:
    """Set shots side by side as they were run, by cups tasted at one warmth, served one way."""
    given = _given(pulled, warmth, served)
    panel = Panel(given, smallest)
    done = [differences_as_run(pulled[0], one) for one in pulled]
    places = [_place(panel, index, done[index]) for index in range(len(pulled))]
    places.sort(key=lambda one: (one.liking is None, -(one.centred or 0), -(one.liking or 0)))
    return Several(
        warmth=warmth,
        served=served,
        places=places,
        spreads=_spreads(pulled),
        says=_says(pulled, places, done),
        warnings=age_warnings(given),
    )


def _given(pulled: Sequence[ComparedShot], warmth: Warmth, served: Served) -> list[TasterScore]:
    return [
        TasterScore(cup.taster, index, warmth, line, points, cup.age_s, cup.stirred)
        for index, one in enumerate(pulled)
        for cup in one.tastings
        if (cup.tasting.warmth, cup.tasting.served) == (warmth, served)
        for line, points in cup.tasting.scores().items()
    ]


def _place(panel: Panel, index: int, done: list[Difference]) -> RankedShot:
    liking = panel.mean(index, "liking")
    scores = {line: mean.points for line in panel.lines if (mean := panel.mean(index, line))}
    apart = [one for line in scores if (one := panel.apart(0, index, line))] if index else []
    beside = {
        other: one
        for other in panel.shots
        if other != index and (one := panel.apart(other, index, "liking")) is not None
    }
    return RankedShot(
        index=index,
        liking=None if liking is None else liking.points,
        centred=panel.centred_liking(index),
        tasters=0 if liking is None else liking.tasters,
        beats=tuple(other for other, one in beside.items() if one.believed and one.points > 0),
        too_close=tuple(other for other, one in beside.items() if not one.believed),
        done=done,
        scores=scores,
        noticeable=tuple(one.line for one in apart if one.believed),
    )


def _spreads(pulled: Sequence[ComparedShot]) -> list[RepeatSpread]:
    """Repeats: shots of one name between which nothing was done differently."""
    groups: list[list[int]] = []
    for index, one in enumerate(pulled):
        same = next((g for g in groups if not differences_as_run(pulled[g[0]], one)), None)
        if same is None:
            groups.append([index])
        else:
            same.append(index)
    return [
        RepeatSpread(pulled[group[0]].name, tuple(group), _deviations([pulled[i] for i in group]))
        for group in groups
        if len(group) > 1
    ]


def _deviations(repeats: Sequence[ComparedShot]) -> dict[str, float]:
    found = {}
    for figure in REPEATS:
        values = [getattr(one.result, figure) for one in repeats]
        if all(value is not None for value in values):
            found[figure] = float(np.std(values, ddof=1))
    return found


def _says(
    pulled: Sequence[ComparedShot], places: Sequence[RankedShot], done: Sequence[list[Difference]]
) -> list[str]:
    return [*_liking(pulled, places), *_causes(done)]


def _liking(pulled: Sequence[ComparedShot], places: Sequence[RankedShot]) -> Iterator[str]:
    """Whether the shot liked best beats the others, of those that share a taster with it."""
    known = [place for place in places if place.liking is not None]
    if len(known) < 2:
        yield "Which is better is unknown until they are scored for liking, tasted alike."
        return
    best, others = known[0], {place.index for place in known[1:]}
    name = pulled[best.index].name
    beaten, close = _names(pulled, best.beats), _names(pulled, best.too_close)
    if beaten:
        yield f"{name} is liked more than {beaten}."
    if close:
        yield (
            f"Whether it is better than {close} is uncertain."
            if beaten
            else f"{name} was liked most, but not by enough to be sure that it beats {close}."
        )
    if apart := _names(pulled, sorted(others - {*best.beats, *best.too_close})):
        yield f"No taster scored both {name} and {apart}: they cannot be compared."


def _names(pulled: Sequence[ComparedShot], indexes: Sequence[int]) -> str:
    return listed(list(dict.fromkeys(pulled[index].name for index in indexes)))


def _causes(done: Sequence[list[Difference]]) -> Iterator[str]:
    """Whether what differs in the result can have a single cause."""
    causes = {line.what for lines in done for line in lines}
    if not causes:
        yield "Nothing was done differently: these differences are the spread of repeats."
    elif any(line.parts for lines in done for line in lines):
        yield "Their profiles are simply different ones: no difference has a single cause."
    elif len(causes) > 1 and _together(done):
        names = listed(sorted(causes))
        yield f"{names.capitalize()} changed together: no difference has a single cause."


def _together(done: Sequence[list[Difference]]) -> bool:
    """Whether between any two shots more than one thing changed."""
    sets = [{line.words for line in lines} for lines in done]
    return any(len({*a} ^ {*b}) > 1 for a, b in combinations(sets, 2))
