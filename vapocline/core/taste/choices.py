"""What forced choices say, in sentences: odd ones out, preferences in pairs, rankings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.taste.descriptions import Drink
from vapocline.core.taste.discrimination import (
    ALPHA,
    HALF_TELL,
    PLAIN_PREFERENCE,
    answers_needed,
    preference,
    triangle,
    two_sided_needed,
)
from vapocline.core.taste.ranking import LITTLE, bradley_terry, friedman
from vapocline.core.taste.tasting import BY_FIELD
from vapocline.core.taste.wording import listed


@dataclass(frozen=True)
class Choice:
    """One taster's answer in one round: the shot of the odd cup as found, or places of shots,
    1 for the first; equal places are a tie."""

    taster: str
    round: int
    question: str
    places: Mapping[int, float]
    right: bool | None = None  # of an odd one out


def odd_one_out(answers: Sequence[Choice], drinks: Sequence[Drink]) -> list[str]:
    """Whether two drinks can be told apart at all; where that was not shown, how many more answers
    it would take."""
    rights = [answer for answer in answers if answer.right is not None]
    if not rights:
        return ["No odd one was named."]
    right = sum(bool(answer.right) for answer in rights)
    found = triangle(right, len(rights))
    names = f"{drinks[0].name} and {drinks[1].name}"
    said = f"The odd one was found {right} of {len(rights)} times; guessing does as well "
    said += f"{_once(found.p_value)}."
    if found.believed:
        share = f"About {found.discriminators:.0%} of the answers found it without guessing"
        between = f"({found.discriminators_low:.0%} to {found.discriminators_high:.0%})."
        return [f"{names} can be told apart.", said, *_each_right(rights), f"{share} {between}"]
    needed = answers_needed(HALF_TELL)
    more = max(1, (needed or 0) - len(rights))
    return [
        f"{names}: no difference was shown.",
        said,
        *_each_right(rights),
        f"About {more} more answers would show a difference that half of the answers tell.",
    ]


def _once(p_value: float) -> str:
    return "every time" if p_value > 0.95 else f"1 time in {max(2, round(1 / p_value))}"


def _each_right(answers: Sequence[Choice]) -> Iterator[str]:
    tasters = sorted({answer.taster for answer in answers})
    if len(tasters) > 1:
        each = [
            f"{who} {sum(bool(a.right) for a in answers if a.taster == who)}"
            f" of {sum(a.taster == who for a in answers)}"
            for who in tasters
        ]
        yield f"{', '.join(each)}."


def chosen(answers: Sequence[Choice], drinks: Sequence[Drink], question: str) -> list[str]:
    """Which of two or more drinks is chosen, by whom."""
    wins = [[0.0] * len(drinks) for _ in drinks]
    for answer in answers:
        for one, other in combinations(answer.places, 2):
            step = answer.places[one] - answer.places[other]
            wins[one][other] += 0.5 if step == 0 else float(step < 0)
            wins[other][one] += 0.5 if step == 0 else float(step > 0)
    said = [
        sentence
        for first, second in combinations(range(len(drinks)), 2)
        for sentence in _pair(answers, (first, second), drinks, question)
    ]
    return [*said, *_order(wins, drinks)] if len(drinks) > 2 else said


def _pair(
    answers: Sequence[Choice], pair: tuple[int, int], drinks: Sequence[Drink], question: str
) -> Iterator[str]:
    own = [answer for answer in answers if set(answer.places) == set(pair)]
    if not own:
        return
    first, second = pair
    took = [_taken(answer, first, second) for answer in own]
    found = preference(took.count(first), took.count(second), took.count(None))
    top, least = (first, second) if found.first >= found.second else (second, first)
    more = f"{drinks[top].name} {_chosen_over(question)} {drinks[least].name}"
    total = found.first + found.second
    ties = f", {found.ties} undecided" if found.ties else ""
    times = f"{max(found.first, found.second)} of {total} times{ties}"
    split = _split(own, took, pair, drinks, question)
    if split:
        yield f"{split} Overall, {more} {times}."
    elif found.believed:
        by_chance = f"Indifferent tasters would choose like that {_once(found.p_value)}."
        yield f"{more}, {times}. {by_chance}"
    else:
        needed = max(1, (two_sided_needed(PLAIN_PREFERENCE) or 0) - total)
        yield (
            f"{more} {times}, which is not enough: indifferent tasters would choose like that "
            f"{_once(found.p_value)}. About {needed} more choices would show a plain preference."
        )


def _chosen_over(question: str) -> str:
    if question == "preferred":
        return "is preferred to"
    return f"is called {BY_FIELD[question].more} than"


def _taken(answer: Choice, first: int, second: int) -> int | None:
    step = answer.places[first] - answer.places[second]
    if step == 0:
        return None
    return first if step < 0 else second


def _split(
    answers: Sequence[Choice],
    took: Sequence[int | None],
    pair: tuple[int, int],
    drinks: Sequence[Drink],
    question: str,
) -> str | None:
    """Two camps, with who prefers which; None where chance could well make such camps."""
    each: dict[str, list[int]] = {}
    for answer, shot in zip(answers, took, strict=True):
        if shot is not None:
            each.setdefault(answer.taster, [0, 0])[pair.index(shot)] += 1
    if not {True, False} <= {a > b for a, b in each.values() if a != b}:
        return None
    split = camps_chance(list(each.values())) <= ALPHA
    verb = "prefers" if question == "preferred" else f"calls {BY_FIELD[question].more}"
    said = [
        f"{who} {verb} {drinks[pair[0] if a > b else pair[1]].name} {max(a, b)} of {a + b} times"
        for who, (a, b) in sorted(each.items())
        if a != b
    ]
    return f"They are split: {listed(said)}." if split else None


def camps_chance(each: Sequence[Sequence[int]], seed: int = 1) -> float:
    """How often tasters with the same preference differ so much by chance: Fisher's exact test over
    tasters, by random tables for more than two. `each` is how often a taster took either drink."""
    if len(each) < 2:
        return 1.0
    table = np.array(each)
    if not table.sum(axis=0).all():
        return 1.0
    if len(each) == 2:
        return float(scipy.stats.fisher_exact(table).pvalue)
    drawn = scipy.stats.MonteCarloMethod(n_resamples=4999, rng=np.random.default_rng(seed))
    return float(scipy.stats.fisher_exact(table, method=drawn).pvalue)


def _order(wins: Sequence[Sequence[float]], drinks: Sequence[Drink]) -> Iterator[str]:
    found = bradley_terry(wins)
    order = sorted(range(len(drinks)), key=lambda shot: -found.worth[shot])
    share = found.preferred(order[0], order[-1])
    names = listed([drinks[shot].name for shot in order], "then")
    sure = "" if found.believed(order[0], order[-1]) else ", which is not enough to be sure"
    chosen_by = f"the first would be chosen over the last {share:.0%} of the time{sure}"
    yield f"In order of preference: {names}; {chosen_by}."


def ranked(answers: Sequence[Choice], drinks: Sequence[Drink]) -> list[str]:
    """Whether the tasters' rankings agree by more than chance, and who ranks which first."""
    if not answers:
        return ["Nothing was ranked."]
    shots = sorted(answers[0].places)
    found = friedman([[answer.places[shot] for shot in shots] for answer in answers])
    order = sorted(range(len(shots)), key=lambda at: found.mean_places[at])
    names = listed([drinks[shots[at]].name for at in order], "then")
    agree = f"agreement W {found.agreement:.2f}; by chance {_once(found.p_value)}"
    bests = _firsts(answers, drinks)
    if len(answers) == 1:
        return [f"{answers[0].taster} ranks {names}. A single ranking shows no difference."]
    if found.believed:
        return [f"They rank {names} ({agree}).", *bests]
    far = "agree little" if found.agreement < LITTLE else "agree, but not enough to be sure"
    return [f"Their rankings {far} ({agree}).", *bests]


def _firsts(answers: Sequence[Choice], drinks: Sequence[Drink]) -> list[str]:
    """Who ranks which first, where they differ."""
    tops = {
        answer.taster: [s for s, at in answer.places.items() if at == min(answer.places.values())]
        for answer in answers
    }
    if len({shot for shots in tops.values() for shot in shots}) < 2:
        return []
    each = [f"{listed([drinks[s].name for s in shots])} by {who}" for who, shots in tops.items()]
    return [f"Ranked first: {', '.join(each)}."]
