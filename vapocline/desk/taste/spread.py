"""How far a house's tasters and pulls lie apart, from everything that was scored."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import chain, pairwise
from statistics import fmean
from typing import cast, get_args

from sqlalchemy.orm import Session

from vapocline.core.taste.odds import effect_sd, pair_spread
from vapocline.core.taste.panel import TasterScore, repeats_in
from vapocline.core.taste.spreads import HouseSpreads, RepeatedPulls, house_spreads
from vapocline.core.taste.tasting import Served, Warmth
from vapocline.core.trail.line import PulledRecipe, recipes_of
from vapocline.store import taste
from vapocline.store.tables import ScoreRow, ShotRow
from vapocline.store.taste import TastedPull

MOST_PULLS = 2000  # tasted ones, the newest, that repeats are looked for among


def spreads_here(session: Session) -> HouseSpreads:
    """What the house knows of its tasters and of its pulls."""
    alike: dict[str, list[TasterScore]] = {}  # what was in milk repeats nothing straight
    for name, score, shot_id in taste.read_repeated_scores(session):
        warmth = cast("Warmth", score.warmth)
        given = TasterScore(name, shot_id, warmth, score.line, score.points)
        alike.setdefault(score.served, []).append(given)
    repeats = (one for way in alike.values() for one in repeats_in(way))
    return house_spreads(repeats, _repeated_pulls(session))


def effect_sd_here(session: Session, spreads: HouseSpreads) -> float:
    """How many points this house's changes moved liking: from each coffee's tasted pulls to the
    next of another recipe, by who liked both."""
    by_coffee: dict[int, list[TastedPull]] = {}
    for pull in taste.read_untouched_pulls(session, limit=MOST_PULLS):
        by_coffee.setdefault(pull.coffee_id, []).append(pull)
    changed = [
        (before.id, after.id)
        for pulls in by_coffee.values()
        for (before, first), (after, second) in pairwise(
            zip(pulls, recipes_of([_recipe(one) for one in pulls]), strict=True)
        )
        if first != second
    ]
    liked: dict[int, dict[str, list[float]]] = {}
    for shot_id, name, score in taste.read_scores_of(session, list(chain(*changed))):
        if score.line == "liking":
            liked.setdefault(shot_id, {}).setdefault(name, []).append(score.points)
    return effect_sd(
        _moved(liked[one], liked[other], spreads)
        for one, other in changed
        if liked.get(one, {}).keys() & liked.get(other, {}).keys()
    )


def _moved(
    before: Mapping[str, list[float]], after: Mapping[str, list[float]], spreads: HouseSpreads
) -> tuple[float, float]:
    """By how many points liking moved, and the variance of that by chance."""
    who = sorted(before.keys() & after.keys())
    own = [spreads.of_taster(name, "liking") for name in who]
    pair = pair_spread(spreads.seen_of_pulls(who, "liking"), own)
    return fmean(fmean(after[name]) - fmean(before[name]) for name in who), pair.sd**2


def _repeated_pulls(session: Session) -> list[RepeatedPulls]:
    """Recipes that were pulled and tasted more than once, of one bag, untouched by a hand."""
    together: dict[tuple[int | None, ...], list[TastedPull]] = {}
    for pull in taste.read_untouched_pulls(session, limit=MOST_PULLS):
        key = pull.coffee_id, pull.bag_id, pull.machine_id, pull.grinder_id, pull.version_id
        together.setdefault(key, []).append(pull)
    repeated = [group for pulls in together.values() for group in _repeats(pulls)]
    scores: dict[int, list[tuple[str, ScoreRow]]] = {}
    numbers = [number for group in repeated for number in group]
    for shot_id, name, score in taste.read_scores_of(session, numbers):
        scores.setdefault(shot_id, []).append((name, score))
    return [
        pulls
        for group in repeated
        for pulls in _tasted_alike([scores.get(number, []) for number in group])
    ]


def _repeats(pulls: Sequence[TastedPull]) -> Iterator[list[int]]:
    groups: dict[int, list[int]] = {}
    recipes = recipes_of([_recipe(one) for one in pulls])
    for pull, recipe in zip(pulls, recipes, strict=True):
        groups.setdefault(recipe, []).append(pull.id)
    return (group for group in groups.values() if len(group) > 1)


def _tasted_alike(pulls: Sequence[Sequence[tuple[str, ScoreRow]]]) -> Iterator[RepeatedPulls]:
    """For each way of serving the warmth that most pulls were tasted at: a pull is one observation,
    however often its cup was scored as it cooled."""
    for served in get_args(Served):
        ways = [[_means(pull, served, warmth) for pull in pulls] for warmth in get_args(Warmth)]
        best = max(ways, key=lambda way: sum(map(bool, way)))
        tasted = tuple(pull for pull in best if pull)
        if len(tasted) > 1:
            yield RepeatedPulls(tasted)


def _means(
    scores: Iterable[tuple[str, ScoreRow]], served: Served, warmth: Warmth
) -> Mapping[tuple[str, str], float]:
    given: dict[tuple[str, str], list[float]] = {}
    for name, score in scores:
        if (score.served, score.warmth) == (served, warmth):
            given.setdefault((name, score.line), []).append(score.points)
    return {key: fmean(points) for key, points in given.items()}


def _recipe(pull: TastedPull | ShotRow) -> PulledRecipe:
    return PulledRecipe(
        machine=str(pull.machine_id),
        grinder=str(pull.grinder_id),
        basket=str(pull.basket_id),
        preparation=str(pull.preparation_id),
        phases=str(pull.version_id),
        grind_setting=math.nan if pull.grind_setting is None else pull.grind_setting,
        dose_g=pull.dose_g,
        water_c=pull.water_c,
        yield_g=pull.target_yield_g,
    )


def recipe_numbers(rows: Sequence[ShotRow]) -> list[int]:
    """Each shot's recipe by a number: what was pulled alike has the same."""
    return recipes_of([_recipe(row) for row in rows])
