"""Differences between drinks with their errors, and which of many are significant together."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations, product
from typing import Literal, NamedTuple, Protocol, TypeVar

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.taste.panel import Panel
from vapocline.core.taste.spreads import LEAST_REPEATS, HouseSpreads, ScoreSpread, mean_of
from vapocline.core.taste.tasting import Warmth

LEAST_STEP_SD = 0.5  # points, between tasters' steps: whole scores cannot vary less

About = Literal["recipes", "cups"]
Shots = tuple[int, ...]


class StepEstimate(NamedTuple):
    """A difference, points, its standard error, and the degrees of freedom of that."""

    points: float
    error: float
    df: float

    @property
    def p_value(self) -> float:
        """How often nothing gives as much, two-sided."""
        return float(2 * scipy.stats.t.sf(abs(self.points) / self.error, self.df))

    def range(self, level: float = 0.95) -> tuple[float, float]:
        """Where the true difference lies, at a level."""
        half = float(scipy.stats.t.isf((1 - level) / 2, self.df)) * self.error
        return self.points - half, self.points + half


@dataclass(frozen=True)
class Contrast:
    """How far the second lies above the first on a line: the mean of `steps`, by taster, over those
    who scored both and whose spread is known, if it is of any. About recipes it compares their
    pulls; about cups only what was in them. `estimate` is None where no spread is known."""

    first: Shots
    second: Shots
    warmth: Warmth
    line: str
    about: About
    points: float
    steps: Mapping[str, float]
    estimate: StepEstimate | None

    @property
    def p_value(self) -> float:
        """Of no difference; 1 where it cannot be judged."""
        return 1.0 if self.estimate is None else self.estimate.p_value


@dataclass(frozen=True)
class Split:
    """Tasters who differ on which of two has more of a line: each one's step, and how often tasters
    who agree would differ so much."""

    first: Shots
    second: Shots
    warmth: Warmth
    line: str
    steps: Mapping[str, float]
    p_value: float

    @property
    def opposed(self) -> bool:
        """Whether one finds more of it and another less."""
        return min(self.steps.values()) < 0 < max(self.steps.values())


@dataclass(frozen=True)
class WarmthChange:
    """How far a shot's score on a line moved from the first warmth to the last."""

    shot: int
    line: str
    estimate: StepEstimate

    @property
    def p_value(self) -> float:
        """Of no change."""
        return self.estimate.p_value


class Tested(Protocol):
    """Something that was tested: how often nothing gives as much."""

    @property
    def p_value(self) -> float:
        """Between 0 and 1."""
        ...


TestedT = TypeVar("TestedT", bound=Tested)


def significant(tests: Sequence[TestedT], alpha: float) -> list[TestedT]:
    """Those of many tests that are significant together: where nothing differs, any of them is at
    most in a share `alpha` of cases. Source: S. Holm, Scand. J. Stat. 6 (1979)."""
    found: list[TestedT] = []
    for rank, test in enumerate(sorted(tests, key=lambda test: test.p_value)):
        if test.p_value > alpha / (len(tests) - rank):
            break
        found.append(test)
    return found


def contrasts(
    panel: Panel, spreads: HouseSpreads, recipes: Sequence[int], tasters: Sequence[str]
) -> Iterator[Contrast]:
    """Every two drinks on every line. `recipes` names the recipe of each shot by a number: where
    the spread between pulls is known, recipes are compared, else the cups alone."""
    for line in panel.lines:
        known = [taster for taster in tasters if spreads.of_pulls([taster], line)]
        on_line = _LineContrasts(panel, spreads, line, known or tasters)
        groups = _by_recipe(panel.shots, recipes) if known else [(shot,) for shot in panel.shots]
        for first, second in combinations(groups, 2):
            if contrast := on_line.contrast(first, second):
                yield contrast


def _by_recipe(shots: Iterable[int], recipes: Sequence[int]) -> list[Shots]:
    groups: dict[int, list[int]] = {}
    for shot in shots:
        groups.setdefault(recipes[shot], []).append(shot)
    return [tuple(group) for group in groups.values()]


@dataclass(frozen=True)
class _LineContrasts:
    """A line of a panel, the spreads it is judged by, and whose scores count."""

    panel: Panel
    spreads: HouseSpreads
    line: str
    tasters: Sequence[str]

    def contrast(self, first: Shots, second: Shots) -> Contrast | None:
        """Of two sides, by those who scored both; None where nobody did."""
        steps = {
            taster: high - low
            for taster in self.tasters
            if (low := self._mean(taster, first)) is not None
            and (high := self._mean(taster, second)) is not None
        }
        if not steps:
            return None
        pulls = self.spreads.of_pulls(list(steps), self.line)
        if pulls is None:
            return self._of_cups((first, second), self._judged(steps))
        points = float(np.mean(list(steps.values())))
        error = pulls.sd * math.sqrt(1 / len(first) + 1 / len(second))
        estimate = StepEstimate(points, error, pulls.df)
        return Contrast(
            first, second, self.panel.warmth, self.line, "recipes", points, steps, estimate
        )

    def _of_cups(self, sides: tuple[Shots, Shots], steps: dict[str, float]) -> Contrast:
        points = float(np.mean(list(steps.values())))
        known = [
            step_spread(
                self.spreads,
                taster,
                self.line,
                [sum(self.panel.cups(taster, s, self.line) for s in side) for side in sides],
            )
            for taster in steps
        ]
        estimate = _of_known(points, known) or _between_tasters(points, list(steps.values()))
        return Contrast(*sides, self.panel.warmth, self.line, "cups", points, steps, estimate)

    def _judged(self, steps: dict[str, float]) -> dict[str, float]:
        """Steps of tasters whose spread is known, if it is of any; all where there are enough to be
        compared among themselves."""
        known = {
            taster: step
            for taster, step in steps.items()
            if self.spreads.of_taster(taster, self.line) is not None
        }
        return steps if not known or len(steps) > LEAST_REPEATS else known

    def _mean(self, taster: str, shots: Shots) -> float | None:
        """A taster's mean over the pulls they scored."""
        given = [self.panel.score(taster, shot, self.line) for shot in shots]
        known = [points for points in given if points is not None]
        return float(np.mean(known)) if known else None


def step_spread(
    spreads: HouseSpreads, taster: str, line: str, cups: Sequence[int]
) -> ScoreSpread | None:
    """Of a taster's step between two means over so many cups each; None where unknown."""
    own = spreads.of_taster(taster, line)
    return own and ScoreSpread(own.sd * math.sqrt(sum(1 / count for count in cups)), own.df)


def _of_known(points: float, steps: Sequence[ScoreSpread | None]) -> StepEstimate | None:
    """The mean over tasters; None unless all their spreads are known."""
    known = [one for one in steps if one is not None]
    return StepEstimate(points, *mean_of(known)) if len(known) == len(steps) else None


def _between_tasters(points: float, steps: Sequence[float]) -> StepEstimate | None:
    """By how far enough tasters differ among themselves."""
    if len(steps) <= LEAST_REPEATS:
        return None
    sd = max(float(np.std(steps, ddof=1)), LEAST_STEP_SD)
    return StepEstimate(points, sd / math.sqrt(len(steps)), len(steps) - 1)


def splits(panel: Panel, spreads: HouseSpreads, found: Sequence[Contrast]) -> Iterator[Split]:
    """Of each contrast at this warmth, whether its tasters differ by more than they repeat.
    Cochran's Q on steps weighted by their variances, by the F distribution of the least known."""
    for contrast in found:
        if contrast.warmth != panel.warmth or len(contrast.steps) < 2:
            continue
        sides = contrast.first, contrast.second
        known = [
            step_spread(
                spreads,
                taster,
                contrast.line,
                [sum(panel.cups(taster, shot, contrast.line) for shot in side) for side in sides],
            )
            for taster in contrast.steps
        ]
        if (p_value := _disagreement(list(contrast.steps.values()), known)) is not None:
            yield Split(*sides, contrast.warmth, contrast.line, contrast.steps, p_value)


def _disagreement(steps: Sequence[float], known: Sequence[ScoreSpread | None]) -> float | None:
    """How often tasters who agree differ so much; None where a spread is unknown."""
    spreads = [spread for spread in known if spread is not None]
    if len(spreads) < len(steps):
        return None
    weights = np.array([1 / spread.sd**2 for spread in spreads])
    mean = float((weights * steps).sum() / weights.sum())
    q = float((weights * (np.array(steps) - mean) ** 2).sum())
    freedom = len(steps) - 1
    return float(scipy.stats.f.sf(q / freedom, freedom, min(spread.df for spread in spreads)))


def warmth_changes(first: Panel, last: Panel, spreads: HouseSpreads) -> Iterator[WarmthChange]:
    """Each shot on each line, over the tasters who scored it at both warmths."""
    for line, shot in product(first.lines, first.shots):
        steps: list[float] = []
        known: list[ScoreSpread | None] = []
        for taster in first.tasters:
            was, now = first.score(taster, shot, line), last.score(taster, shot, line)
            if was is not None and now is not None:
                cups = [panel.cups(taster, shot, line) for panel in (first, last)]
                steps.append(now - was)
                known.append(step_spread(spreads, taster, line, cups))
        if steps and (estimate := _of_known(float(np.mean(steps)), known)):
            yield WarmthChange(shot, line, estimate)
