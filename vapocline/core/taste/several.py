"""Several shots side by side: sorted by liking, with what may be claimed of it, and what was done
differently from the first of them, as run."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from vapocline.core.base.grouping import grouped_alike
from vapocline.core.taste.ages import age_warnings
from vapocline.core.taste.compare import (
    ComparedShot,
    Difference,
    differences_as_run,
    scores_of,
)
from vapocline.core.taste.conclusions import Conclusions, conclude
from vapocline.core.taste.contrasts import Contrast
from vapocline.core.taste.descriptions import Drink, TasteVerdict, verdict
from vapocline.core.taste.panel import Panel
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import Served, Warmth
from vapocline.core.taste.wording import listed

REPEATS = ("shot_time_s", "yield_g", "peak_pressure_bar", "extraction_yield_pct")


@dataclass(frozen=True)
class RankedShot:
    """One shot among several.

    `liking` is the mean over tasters, `centred` how far it lies above what each gave on average;
    `beats` are the shots it is liked significantly more than, `too_close` those where neither is.
    `done` is what was done differently from the first shot named. `scores` are means over tasters
    by line, and `significant` the lines on which it differs significantly from the first shot.
    """

    index: int
    liking: float | None
    centred: float | None
    tasters: int
    beats: tuple[int, ...]
    too_close: tuple[int, ...]
    done: list[Difference]
    scores: dict[str, float]
    significant: tuple[str, ...]


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
    in words and what not, and what their comparison suffers from."""

    warmth: Warmth
    served: Served
    places: list[RankedShot]
    spreads: list[RepeatSpread]
    says: list[str]
    notes: list[str]
    warnings: list[str]


def compare_several(
    pulled: Sequence[ComparedShot], spreads: HouseSpreads, warmth: Warmth, served: Served
) -> Several:
    """Set shots side by side as they were run, by cups tasted at one warmth, served one way."""
    given = scores_of(pulled, warmth, served)
    panel = Panel(given, warmth)
    recipes = grouped_alike(pulled, lambda one, other: not differences_as_run(one, other))
    found = conclude([panel], spreads, recipes)
    said = verdict(found, [panel], [Drink(one.name) for one in pulled])
    done = [differences_as_run(pulled[0], one) for one in pulled]
    places = [_place(panel, found, index, done[index]) for index in range(len(pulled))]
    places.sort(key=lambda one: (one.liking is None, -(one.centred or 0), -(one.liking or 0)))
    return Several(
        warmth=warmth,
        served=served,
        places=places,
        spreads=_spreads(pulled, recipes),
        says=_says(pulled, panel, said, done),
        notes=said.notes,
        warnings=age_warnings(given),
    )


def _place(panel: Panel, found: Conclusions, index: int, done: list[Difference]) -> RankedShot:
    liking = panel.mean(index, "liking")
    scores = {line: mean.points for line in panel.lines if (mean := panel.mean(index, line))}
    beside = [_seen_from(one, index) for one in found.contrasts if one.line == "liking"]
    beaten = {other for other, above in _differing(found, index, "liking") if above}
    return RankedShot(
        index=index,
        liking=None if liking is None else liking.points,
        centred=panel.centred_liking(index),
        tasters=0 if liking is None else liking.tasters,
        beats=tuple(sorted(beaten)),
        too_close=tuple(
            other
            for others in beside
            for other in others
            if other not in beaten and index not in dict(_differing(found, other, "liking"))
        ),
        done=done,
        scores=scores,
        significant=tuple(line for line in scores if 0 in dict(_differing(found, index, line))),
    )


def _seen_from(one: Contrast, index: int) -> tuple[int, ...]:
    """The shots on the other side of a contrast; none where the shot is in neither."""
    if index in one.first:
        return one.second
    return one.first if index in one.second else ()


def _differing(found: Conclusions, index: int, line: str) -> Iterator[tuple[int, bool]]:
    """The shots that one differs from significantly on a line, and whether it lies above."""
    for one in found.differ:
        if one.line == line:
            above = (one.points > 0) == (index in one.second)
            yield from ((other, above) for other in _seen_from(one, index))


def _spreads(pulled: Sequence[ComparedShot], recipes: Sequence[int]) -> list[RepeatSpread]:
    """Repeats: shots between which nothing was done differently."""
    groups: dict[int, list[int]] = {}
    for index, recipe in enumerate(recipes):
        groups.setdefault(recipe, []).append(index)
    return [
        RepeatSpread(pulled[group[0]].name, tuple(group), _deviations([pulled[i] for i in group]))
        for group in groups.values()
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
    pulled: Sequence[ComparedShot],
    panel: Panel,
    said: TasteVerdict,
    done: Sequence[list[Difference]],
) -> list[str]:
    likings = [panel.mean(index, "liking") for index in range(len(pulled))]
    if sum(one is not None for one in likings) < 2:
        return [
            "Which is better is unknown until they are scored for liking, tasted alike.",
            *_causes(done),
        ]
    return [*said.says, *_apart(pulled, panel), *_causes(done)]


def _apart(pulled: Sequence[ComparedShot], panel: Panel) -> Iterator[str]:
    """Shots that nobody scored beside the first one scored."""
    scored = [s for s in range(len(pulled)) if panel.mean(s, "liking") is not None]
    for one in scored[1:]:
        both = [
            taster
            for taster in panel.tasters
            if all(panel.score(taster, s, "liking") is not None for s in (scored[0], one))
        ]
        if not both:
            names = pulled[scored[0]].name, pulled[one].name
            yield f"No taster scored both {names[0]} and {names[1]}: they cannot be compared."
            return


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
