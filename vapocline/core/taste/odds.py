"""How probable it is that one recipe is liked more than another, before anything is certain.

Half of all changes do nothing; the others move a score by about as much as this house's own
changes did. What is not known of the spread is averaged over, not left out.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.base.arrays import Floats
from vapocline.core.taste.spreads import ScoreSpread

NOTHING_SHARE = 0.5  # of changes, before any cup
EFFECT_SD, EFFECT_WEIGHT = 1.0, 4  # points; changes of the house that this counts as
LEAST_EFFECT_SD = 0.5
_EFFECTS = ((0.5, 0.7), (0.4, 1.2), (0.1, 3.0))  # shares of changes, and how large they are to that
TASTER_SD, PULL_SD, SPREAD_WEIGHT = 1.1, 0.5, 8.0  # before anything was repeated, and its weight
SURE = 0.9
PROBABLY = 0.7083  # nearer to three in four than to two in three
MOST_PULLS = 12  # more of each: nobody asks
_QUANTILES = (np.arange(24) + 0.5) / 24  # of the spread, that is averaged over


class Odds(NamedTuple):
    """The probabilities that the second is liked more, alike, less."""

    more: float
    alike: float
    less: float

    @property
    def better(self) -> float:
        """Of the one that is probably liked more."""
        return max(self.more, self.less)


class PairEvidence(NamedTuple):
    """What is known of a difference: its mean in points, the standard deviation of one pair of
    pulls, the degrees of freedom of that, and how many pairs the mean is worth."""

    points: float
    sd: float
    df: float
    pairs: float


def odds_of(evidence: PairEvidence, effect_sd: float = EFFECT_SD) -> Odds:
    """Conjugate normals with a point mass at no difference, averaged over the variance's scaled
    inverse chi-squared distribution. Source: Bishop 2006, 2.3; Mitchell and Beauchamp 1988."""
    variances = (
        evidence.sd**2 * evidence.df / scipy.special.chdtri(evidence.df, _QUANTILES)
    ) / evidence.pairs
    more = less = 0.0
    alike = NOTHING_SHARE * float(_density(evidence.points, variances).sum())
    for share, scale in _EFFECTS:
        slab = (scale * effect_sd) ** 2
        weight = (1 - NOTHING_SHARE) * share * _density(evidence.points, variances + slab)
        mean = evidence.points * slab / (slab + variances)
        above = scipy.special.ndtr(mean / np.sqrt(slab * variances / (slab + variances)))
        more += float((weight * above).sum())
        less += float((weight * (1 - above)).sum())
    whole = more + alike + less
    return Odds(more / whole, alike / whole, less / whole)


def _density(points: float, variances: Floats) -> Floats:
    found: Floats = np.exp(-(points**2) / (2 * variances)) / np.sqrt(2 * math.pi * variances)
    return found


def pair_spread(pulls: ScoreSpread | None, tasters: Sequence[ScoreSpread | None]) -> ScoreSpread:
    """Of one pair of pulls, as the mean of some tasters: what was seen of pulls, before that what
    is known of each taster, and what is usual of pulls."""
    own = [TASTER_SD**2 if one is None else one.sd**2 for one in tasters]
    usual = PULL_SD**2 + sum(own) / len(own) ** 2
    squares, df = SPREAD_WEIGHT * usual, SPREAD_WEIGHT
    if pulls is not None:
        squares, df = squares + pulls.df * pulls.sd**2, df + pulls.df
    return ScoreSpread(math.sqrt(2 * squares / df), df)


def effect_sd(differences: Iterable[tuple[float, float]]) -> float:
    """How far this house's changes moved a score, points: from each change's difference and its
    variance by chance; the usual size counts as a few changes."""
    squares = [points**2 - chance for points, chance in differences]
    whole = sum(squares) + EFFECT_WEIGHT * EFFECT_SD**2
    # Half of all changes are taken to do nothing: those that do something moved it by twice that.
    found = whole / (len(squares) * (1 - NOTHING_SHARE) + EFFECT_WEIGHT)
    return max(LEAST_EFFECT_SD, math.sqrt(max(0.0, found)))


def pulls_to_settle(evidence: PairEvidence, effect_sd: float = EFFECT_SD) -> int | None:
    """How many more pulls of each, if they go on alike, would make nine in ten of it; None where
    that is so already, or beyond reason."""
    if odds_of(evidence, effect_sd).better >= SURE:
        return None
    for more in range(1, MOST_PULLS + 1):
        later = evidence._replace(pairs=evidence.pairs + more)
        if odds_of(later, effect_sd).better >= SURE:
            return more
    return None


def in_words(chance: float) -> str:
    """A chance as a person says it: 3 in 4. Rounded to what the calibration can carry."""
    said = [(0.5, "1 in 2"), (0.6, "3 in 5"), (2 / 3, "2 in 3"), (0.75, "3 in 4"),
            (0.8, "4 in 5"), (0.9, "9 in 10"), (0.95, "19 in 20")]  # fmt: skip
    return min(said, key=lambda one: abs(one[0] - chance))[1]
