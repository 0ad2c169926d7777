"""Differences between drinks with what is known of their error, and which of many may be told."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
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
    who scored both and are known, if any is. About recipes it compares their pulls; about cups only
    what was in them.
    `estimate` is None where no spread is known to judge it by."""

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


def told(tests: Sequence[TestedT], alpha: float) -> list[TestedT]:
    """Those of many tests that may be told, so that where nothing differs anything at all is told
    at most at `alpha`. Source: S. Holm, Scand. J. Stat. 6 (1979)."""
    found: list[TestedT] = []
    for rank, one in enumerate(sorted(tests, key=lambda test: test.p_value)):
        if one.p_value > alpha / (len(tests) - rank):
            break
        found.append(one)
    return found


def contrasts(
    panel: Panel, spreads: HouseSpreads, recipes: Sequence[int], tasters: Sequence[str]
) -> Iterator[Contrast]:
    """Every two drinks on every line. `recipes` names the recipe of each shot by a number: where
    the spread between pulls is known, recipes are compared, else the cups alone."""
    for line in panel.lines:
        on_line = _OnLine(panel, spreads, line)
        pulls = spreads.of_pulls(tasters, line)
        groups = _by_recipe(panel.shots, recipes) if pulls else [(shot,) for shot in panel.shots]
        for first, second in combinations(groups, 2):
            if one := on_line.contrast(first, second, tasters, pulls):
                yield one


def _by_recipe(shots: Iterable[int], recipes: Sequence[int]) -> list[Shots]:
    groups: dict[int, list[int]] = {}
    for shot in shots:
        groups.setdefault(recipes[shot], []).append(shot)
    return [tuple(group) for group in groups.values()]


@dataclass(frozen=True)
class _OnLine:
    """A line of a panel, and the spreads it is judged by."""

    panel: Panel
    spreads: HouseSpreads
    line: str

    def contrast(
        self, first: Shots, second: Shots, tasters: Sequence[str], pulls: ScoreSpread | None
    ) -> Contrast | None:
        """Of two sides, by those who scored both; None where nobody did."""
        steps = {
            taster: high - low
            for taster in tasters
            if (low := self._mean(taster, first)) is not None
            and (high := self._mean(taster, second)) is not None
        }
        if not steps:
            return None
        if pulls is not None and len(steps) < len(tasters):
            pulls = self.spreads.of_pulls(list(steps), self.line)
        if pulls is None:
            steps = self._judged(steps)
        points = float(np.mean(list(steps.values())))
        about: About = "cups" if pulls is None else "recipes"
        if pulls is not None:
            error = pulls.sd * math.sqrt(1 / len(first) + 1 / len(second))
            estimate: StepEstimate | None = StepEstimate(points, error, pulls.df)
        else:
            known = self.step_spreads((first, second), list(steps))
            estimate = _of_known(points, known) or _between_tasters(points, list(steps.values()))
        return Contrast(first, second, self.panel.warmth, self.line, about, points, steps, estimate)

    def _judged(self, steps: dict[str, float]) -> dict[str, float]:
        """Those of tasters who are known, if any is; of all where they judge among themselves."""
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

    def step_spreads(
        self, sides: tuple[Shots, Shots], tasters: Sequence[str]
    ) -> list[ScoreSpread | None]:
        """Of each taster's step between two sides, from what they repeat; None where unknown."""
        found: list[ScoreSpread | None] = []
        for taster in tasters:
            own = self.spreads.of_taster(taster, self.line)
            cups = [sum(self.panel.cups(taster, s, self.line) for s in side) for side in sides]
            scale = math.sqrt(sum(1 / count for count in cups))
            found.append(None if own is None else ScoreSpread(own.sd * scale, own.df))
        return found


def _of_known(points: float, steps: Sequence[ScoreSpread | None]) -> StepEstimate | None:
    """The mean over tasters who are all known."""
    known = [one for one in steps if one is not None]
    return StepEstimate(points, *mean_of(known)) if len(known) == len(steps) else None


def _between_tasters(points: float, steps: Sequence[float]) -> StepEstimate | None:
    """Where some are not known: enough tasters judge by how far they differ among themselves."""
    if len(steps) <= LEAST_REPEATS:
        return None
    sd = max(float(np.std(steps, ddof=1)), LEAST_STEP_SD)
    return StepEstimate(points, sd / math.sqrt(len(steps)), len(steps) - 1)


def splits(panel: Panel, spreads: HouseSpreads, found: Sequence[Contrast]) -> Iterator[Split]:
    """Of each contrast, whether its tasters differ by more than they repeat. Cochran's Q on steps
    weighed by their variances, by the F distribution of the least known of them."""
    for one in found:
        who = list(one.steps)
        if one.warmth != panel.warmth:
            continue
        known = _OnLine(panel, spreads, one.line).step_spreads((one.first, one.second), who)
        if len(who) < 2 or any(spread is None for spread in known):
            continue
        weights = np.array([1 / spread.sd**2 for spread in known if spread is not None])
        steps = np.array([one.steps[taster] for taster in who])
        mean = float((weights * steps).sum() / weights.sum())
        q = float((weights * (steps - mean) ** 2).sum())
        df = min(spread.df for spread in known if spread is not None)
        p_value = float(scipy.stats.f.sf(q / (len(who) - 1), len(who) - 1, df))
        yield Split(one.first, one.second, one.warmth, one.line, one.steps, p_value)


def warmth_changes(first: Panel, last: Panel, spreads: HouseSpreads) -> Iterator[WarmthChange]:
    """Each shot on each line, over the tasters who scored it at both warmths."""
    for line in first.lines:
        for shot in first.shots:
            steps: dict[str, float] = {}
            known: list[ScoreSpread | None] = []
            for taster in first.tasters:
                was, now = first.score(taster, shot, line), last.score(taster, shot, line)
                if was is None or now is None:
                    continue
                own = spreads.of_taster(taster, line)
                scale = math.sqrt(sum(1 / p.cups(taster, shot, line) for p in (first, last)))
                steps[taster] = now - was
                known.append(None if own is None else ScoreSpread(own.sd * scale, own.df))
            if not steps:
                continue
            points = float(np.mean(list(steps.values())))
            if estimate := _of_known(points, known):
                yield WarmthChange(shot, line, estimate)
