"""How far scores of the same thing lie apart: one drink twice by one taster, and two pulls of one
recipe by the same tasters. Nothing is assumed: what was not repeated often enough is not known."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from statistics import fmean
from typing import NamedTuple

import numpy as np
import scipy  # its parts are imported where they are first used

LEAST_REPEATS = 4  # below, neither a taster nor a recipe has a spread of its own
LEAST_SD = 0.3  # scores in whole points cannot vary less
REPEATABILITY = 2.77  # standard deviations: 95 % of the differences of repeats (ISO 5725-6)
DEFAULT_STEP = 2.0  # points, of a taster whose spread is unknown
MOST_PRIOR_SHARE = 1  # prior degrees of freedom from other lines, for each own one


class ScoreSpread(NamedTuple):
    """A standard deviation, in points, and the degrees of freedom it is known with."""

    sd: float
    df: float


@dataclass(frozen=True)
class Repeated:
    """One drink scored more than once by the same taster in the same way: the scores given."""

    taster: str
    line: str
    scores: tuple[float, ...]


ScoresOfPull = Mapping[tuple[str, str], float]  # by taster and line, several cups averaged


@dataclass(frozen=True)
class RepeatedPulls:
    """One recipe pulled more than once, alike and untouched, and tasted in the same way."""

    pulls: tuple[ScoresOfPull, ...]


@dataclass(frozen=True)
class HouseSpreads:
    """What a house knows of its tasters' and its pulls' spreads."""

    _tasters: Mapping[tuple[str, str], ScoreSpread] = field(default_factory=dict)
    _repeats: Mapping[tuple[str, str], int] = field(default_factory=dict)
    _recipes: Sequence[RepeatedPulls] = ()
    _panels: dict[tuple[str, ...], dict[str, ScoreSpread]] = field(default_factory=dict)
    _seen: dict[tuple[tuple[str, ...], str], ScoreSpread | None] = field(default_factory=dict)

    def of_taster(self, taster: str, line: str) -> ScoreSpread | None:
        """Of a taster's single scores of the same drink; None before four repeats."""
        return self._tasters.get((taster, line))

    def repeats_of(self, taster: str, line: str) -> int:
        """How many repeats a taster gave on a line."""
        return self._repeats.get((taster, line), 0)

    def noticeable_points(self, taster: str, line: str) -> float:
        """The repeatability limit of one taster, as a unit of size: nothing is claimed by it. The
        default where the taster's spread is unknown."""
        own = self.of_taster(taster, line)
        return DEFAULT_STEP if own is None else REPEATABILITY * own.sd

    def of_pulls(self, tasters: Sequence[str], line: str) -> ScoreSpread | None:
        """Of the tasters' mean score between pulls of one recipe, their own spread included; None
        before four repeats.

        Where they did not taste enough repeats together, the mean of their own variances bounds
        that of their mean: as if all that differs were the pull.
        """
        together = self._of_panel(tuple(tasters)).get(line)
        if together is not None or len(tasters) < 2:
            return together
        own = [self._of_panel((taster,)).get(line) for taster in tasters]
        known = [one for one in own if one is not None]
        if len(known) < len(own):
            return None
        variance = float(np.mean([one.sd**2 for one in known]))
        return ScoreSpread(float(np.sqrt(variance)), min(one.df for one in known))

    def seen_of_pulls(self, tasters: Sequence[str], line: str) -> ScoreSpread | None:
        """The same with however few repeats there are, for odds, which reckon with how few they
        are; None without any."""
        key = tuple(tasters), line
        if key not in self._seen:
            squares, df = self._squares(*key)
            self._seen[key] = ScoreSpread(float(np.sqrt(squares / df)), df) if df else None
        return self._seen[key]

    def _of_panel(self, tasters: tuple[str, ...]) -> dict[str, ScoreSpread]:
        """Of every line that these tasters scored on enough repeats."""
        if tasters not in self._panels:
            own = {
                line: ScoreSpread(max(LEAST_SD, float(np.sqrt(squares / df))), df)
                for line in {line for one in self._recipes for p in one.pulls for _, line in p}
                for squares, df in [self._squares(tasters, line)]
                if df >= LEAST_REPEATS
            }
            self._panels[tasters] = moderated(own)
        return self._panels[tasters]

    def _squares(self, tasters: tuple[str, ...], line: str) -> tuple[float, int]:
        """The sum of squares about each recipe's mean, and its degrees of freedom."""
        squares, df = 0.0, 0
        for recipe in self._recipes:
            means = [
                fmean([pull[taster, line] for taster in tasters])
                for pull in recipe.pulls
                if all((taster, line) in pull for taster in tasters)
            ]
            if len(means) > 1:
                middle = fmean(means)
                squares += sum((one - middle) ** 2 for one in means)
                df += len(means) - 1
        return squares, df


def mean_of(spreads: Sequence[ScoreSpread]) -> ScoreSpread:
    """Of a mean of independent values; degrees of freedom after Satterthwaite (1946)."""
    squares = [one.sd**2 for one in spreads]
    whole = sum(squares)
    df = whole**2 / sum(square**2 / one.df for square, one in zip(squares, spreads, strict=True))
    return ScoreSpread(float(np.sqrt(whole)) / len(spreads), df)


def house_spreads(
    repeats: Iterable[Repeated], recipes: Iterable[RepeatedPulls] = ()
) -> HouseSpreads:
    """Spreads within tasters, pooled by degrees of freedom over drinks scored twice or more and
    moderated over each taster's lines, with the pulls that spreads between pulls are computed
    from."""
    squares: dict[tuple[str, str], float] = defaultdict(float)
    counts: dict[tuple[str, str], int] = defaultdict(int)
    for one in repeats:
        if len(one.scores) > 1:
            middle = fmean(one.scores)
            squares[one.taster, one.line] += sum((each - middle) ** 2 for each in one.scores)
            counts[one.taster, one.line] += len(one.scores) - 1
    found: dict[tuple[str, str], ScoreSpread] = {}
    for taster in {taster for taster, _line in counts}:
        enough = {
            line: ScoreSpread(max(LEAST_SD, float(np.sqrt(squares[taster, line] / count))), count)
            for (who, line), count in counts.items()
            if who == taster and count >= LEAST_REPEATS
        }
        found |= {(taster, line): spread for line, spread in moderated(enough).items()}
    return HouseSpreads(found, dict(counts), tuple(recipes))


def moderated(own: Mapping[str, ScoreSpread]) -> dict[str, ScoreSpread]:
    """Variances shrunk towards their common value, the more the more alike they are.

    Source: G. K. Smyth, Stat. Appl. Genet. Mol. Biol. 3 (2004), 3. The prior's degrees of freedom
    are bounded, since a taster's lines do not err independently, and no variance is lowered: lines
    that repeat unequally well would otherwise come out as different too often.
    """
    if len(own) < 3:
        return dict(own)
    psi, trigamma = scipy.special.digamma, scipy.special.polygamma
    half = np.array([one.df / 2 for one in own.values()])
    logs = np.log([one.sd**2 for one in own.values()]) - psi(half) + np.log(half)
    excess = float(np.var(logs, ddof=1) - np.mean(trigamma(1, half)))
    least = float(min(one.df for one in own.values()))
    prior_df = MOST_PRIOR_SHARE * least
    if excess > 0:
        prior_df = min(prior_df, 2 * _inverse_trigamma(excess))
    common = float(np.exp(np.mean(logs)))
    if excess > 0:
        common *= float(np.exp(psi(prior_df / 2) - np.log(prior_df / 2)))
    found = {}
    for line, one in own.items():
        variance = max(one.sd**2, (one.df * one.sd**2 + prior_df * common) / (one.df + prior_df))
        found[line] = ScoreSpread(float(np.sqrt(variance)), one.df + prior_df)
    return found


def _inverse_trigamma(value: float) -> float:
    """Newton's method as in the source above, its appendix."""
    x = 0.5 + 1 / value
    for _ in range(30):
        tri = float(scipy.special.polygamma(1, x))
        step = tri * (1 - tri / value) / float(scipy.special.polygamma(2, x))
        x += step
        if abs(step) < 1e-8 * x:
            break
    return float(x)
