"""What scored cups allow to say: one list, from which sentences, table and picture are drawn.

Where nothing differs, at most one result in twenty says anything: all lines, pairs and warmths of a
result are tested together (Holm).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import NamedTuple

from vapocline.core.taste.contrasts import (
    Contrast,
    Shots,
    Split,
    WarmthChange,
    contrasts,
    significant,
    splits,
    warmth_changes,
)
from vapocline.core.taste.discrimination import ALPHA
from vapocline.core.taste.odds import (
    EFFECT_SD,
    Odds,
    PairEvidence,
    odds_of,
    pair_spread,
    pulls_to_settle,
)
from vapocline.core.taste.panel import Panel
from vapocline.core.taste.spreads import LEAST_REPEATS, HouseSpreads
from vapocline.core.taste.tasting import Warmth

SPLIT_SHARE = 0.1  # of the error rate, for tasters called split
WARMTH_SHARE = 0.2  # and for changes from warmth to warmth, where there is more than one
WORTH = 1.0  # points of liking that matter: closer than this is as good as alike


@dataclass(frozen=True)
class LikingOdds:
    """How probably the second recipe is liked more than the first, and how many more pulls of each,
    if they go on alike, would make that nine in ten."""

    first: Shots
    second: Shots
    odds: Odds
    pulls_to_settle: int | None


@dataclass(frozen=True)
class Conclusions:
    """Everything that was compared, and what of it is significant.

    `unknown` are tasters who have not repeated enough, by their repeats of the least known line;
    `alike` are those liked within what matters of each other.
    """

    contrasts: Sequence[Contrast]
    differ: Sequence[Contrast] = ()
    split: Sequence[Split] = ()
    changed: Sequence[WarmthChange] = ()
    alike: Sequence[Contrast] = ()
    odds: Sequence[LikingOdds] = ()
    unknown: Mapping[str, int] = field(default_factory=dict)

    def is_significant(self, one: Contrast) -> bool:
        """Whether a difference may be claimed."""
        return _key(one) in map(_key, self.differ)

    def is_split(self, one: Contrast) -> bool:
        """Whether tasters are split on it."""
        return _key(one) in map(_key, self.split)


def _key(one: Contrast | Split) -> tuple[Shots, Shots, Warmth, str]:
    return one.first, one.second, one.warmth, one.line


def conclude(
    panels: Sequence[Panel],
    spreads: HouseSpreads,
    recipes: Sequence[int],
    tasters: Collection[str] | None = None,
    effect_sd: float = EFFECT_SD,
) -> Conclusions:
    """Compare what was scored, warmth by warmth, by some of its tasters or all. `recipes` names
    each shot's recipe by a number; changes of the house move a score by some `effect_sd` points."""
    every = {taster for panel in panels for taster in panel.tasters}
    who = sorted(every if tasters is None else every.intersection(tasters))
    compared = [one for panel in panels for one in contrasts(panel, spreads, recipes, who)]
    levels = error_rates(len(who), len(panels))
    disagreements = [one for panel in panels for one in splits(panel, spreads, compared)]
    split = [one for one in significant(disagreements, levels.splits) if one.opposed]
    camps = {_key(one) for one in split}
    judged = [one for one in compared if one.estimate is not None]
    return Conclusions(
        contrasts=compared,
        differ=[one for one in significant(judged, levels.differences) if _key(one) not in camps],
        split=split,
        changed=_changed(panels, spreads, levels.changes),
        alike=[one for one in judged if one.line == "liking" and _is_alike(one)],
        odds=_odds(panels, spreads, recipes, who, effect_sd),
        unknown=_unknown(compared, panels, spreads),
    )


class ErrorRates(NamedTuple):
    """How often each kind of claim may be false, of the one result in twenty."""

    differences: float
    splits: float
    changes: float


def error_rates(tasters: int, warmths: int) -> ErrorRates:
    """For so many tasters and warmths."""
    changes = WARMTH_SHARE * ALPHA if warmths > 1 else 0.0
    splits = SPLIT_SHARE * (ALPHA - changes) if tasters > 1 else 0.0
    return ErrorRates(ALPHA - changes - splits, splits, changes)


def _changed(panels: Sequence[Panel], spreads: HouseSpreads, alpha: float) -> list[WarmthChange]:
    if len(panels) < 2:
        return []
    return significant(list(warmth_changes(panels[0], panels[-1], spreads)), alpha)


def _is_alike(one: Contrast) -> bool:
    """Two one-sided tests at 5 %: the 90 % range lies within what matters."""
    if one.estimate is None:
        return False
    low, high = one.estimate.range(0.9)
    return low > -WORTH and high < WORTH


def _unknown(
    compared: Sequence[Contrast], panels: Sequence[Panel], spreads: HouseSpreads
) -> dict[str, int]:
    """Who would be judged and is not: the fewest repeats on a line they scored."""
    if not any(one.about == "cups" and not _whole(one, panels) for one in compared):
        return {}
    fewest: dict[str, int] = {}
    for panel in panels:
        for taster in panel.tasters:
            lines = [line for line in panel.lines if _scored(panel, taster, line)]
            counts = [spreads.repeats_of(taster, line) for line in lines]
            if counts and min(counts) < LEAST_REPEATS:
                fewest[taster] = min(counts)
    return fewest


def _whole(one: Contrast, panels: Sequence[Panel]) -> bool:
    """Whether everybody who scored both counts in a contrast, and it is judged."""
    panel = next(panel for panel in panels if panel.warmth == one.warmth)
    both = [
        taster
        for taster in panel.tasters
        if all(
            any(panel.score(taster, shot, one.line) is not None for shot in side)
            for side in (one.first, one.second)
        )
    ]
    return one.estimate is not None and len(one.steps) == len(both)


def _scored(panel: Panel, taster: str, line: str) -> bool:
    return any(panel.score(taster, shot, line) is not None for shot in panel.shots)


def _odds(
    panels: Sequence[Panel],
    spreads: HouseSpreads,
    recipes: Sequence[int],
    who: Sequence[str],
    effect_sd: float,
) -> list[LikingOdds]:
    """By liking, hot, warm and cool of a cup taken together as one observation."""
    liked: dict[tuple[str, int], list[float]] = {}
    for panel in panels:
        for taster in who:
            for shot in panel.shots:
                if (points := panel.score(taster, shot, "liking")) is not None:
                    liked.setdefault((taster, shot), []).append(points)
    means = {key: sum(given) / len(given) for key, given in liked.items()}
    pulls: dict[int, list[int]] = {}
    for shot in sorted({shot for _, shot in means}):
        pulls.setdefault(recipes[shot], []).append(shot)
    found = []
    for first, second in combinations([tuple(group) for group in pulls.values()], 2):
        evidence = _evidence(means, spreads, (first, second), who)
        if evidence is not None:
            odds = odds_of(evidence, effect_sd)
            found.append(LikingOdds(first, second, odds, pulls_to_settle(evidence, effect_sd)))
    return found


def _evidence(
    means: Mapping[tuple[str, int], float],
    spreads: HouseSpreads,
    sides: tuple[Shots, Shots],
    who: Sequence[str],
) -> PairEvidence | None:
    steps: dict[str, float] = {}
    for taster in who:
        own = [[means[taster, s] for s in side if (taster, s) in means] for side in sides]
        if all(own):
            steps[taster] = sum(own[1]) / len(own[1]) - sum(own[0]) / len(own[0])
    if not steps:
        return None
    spread = pair_spread(
        spreads.seen_of_pulls(list(steps), "liking"),
        [spreads.of_taster(taster, "liking") for taster in steps],
    )
    pairs = 2 / (1 / len(sides[0]) + 1 / len(sides[1]))
    return PairEvidence(sum(steps.values()) / len(steps), spread.sd, spread.df, pairs)
