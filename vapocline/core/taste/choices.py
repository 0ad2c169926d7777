"""What forced choices say, in sentences: odd ones out, preferences in pairs, rankings."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from itertools import combinations

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.taste.descriptions import Drink
from vapocline.core.taste.discrimination import (
    CAMPS,
    FIRST_LOOK,
    HALF_TELL,
    LATER_LOOKS,
    PLAIN_PREFERENCE,
    Preference,
    answers_needed,
    choice_evidence,
    preference,
    triangle,
    triangle_evidence,
    two_sided_needed,
)
from vapocline.core.taste.ranking import DRAWS, friedman
from vapocline.core.taste.tasting import BY_FIELD
from vapocline.core.taste.wording import listed

MOST_OPEN = 3  # undecided pairs that are named in a sentence


@dataclass(frozen=True)
class Choice:
    """One taster's answer in one round: the shot of the odd cup as found, or places of shots,
    1 for the first; equal places are a tie."""

    taster: str
    round: int
    question: str
    places: Mapping[int, float]
    right: bool | None = None  # of an odd one out


def odd_one_out(
    answers: Sequence[Choice], drinks: Sequence[Drink], earlier: Sequence[Choice] = ()
) -> list[str]:
    """Whether two drinks can be told apart at all; where that was not shown, how many more answers
    it would take. With answers of `earlier` tastings all are judged together, by a test that holds
    however often one looks."""
    rights = [answer for answer in answers if answer.right is not None]
    before = [answer for answer in earlier if answer.right is not None]
    if not rights:
        return ["No odd one was named."]
    every = [*before, *rights]
    right = sum(bool(answer.right) for answer in every)
    found = triangle(right, len(every))
    names = f"{drinks[0].name} and {drinks[1].name}"
    said = f"The odd one was found {right} of {len(every)} times; guessing does as well "
    said += f"{_once(found.p_value)}."
    if before:
        differ = triangle_evidence(right, len(every)) >= 1 / (LATER_LOOKS + CAMPS)
        said += " " + _looked_again(len(before))
    else:
        differ = found.p_value <= FIRST_LOOK
    if differ:
        share = f"About {found.discriminators:.0%} of the answers found it without guessing"
        between = f"({found.discriminators_low:.0%} to {found.discriminators_high:.0%})."
        return [
            f"The cups of {names} can be told apart.",
            said,
            *_each_right(rights),
            f"{share} {between}",
        ]
    needed = answers_needed(HALF_TELL)
    more = max(1, (needed or 0) - len(every))
    return [
        f"{names}: no difference was shown.",
        said,
        *_each_right(rights),
        f"About {more} more answers would show a difference that half of the answers tell.",
    ]


def _looked_again(before: int) -> str:
    return f"{before} of them are from earlier tastings, so it takes more of them to be sure."


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


@dataclass(frozen=True)
class _Pair:
    """Two drinks and one question: the answers that had both, and how they came out. `p_value` is
    of no preference, over all pairs of the question together."""

    question: str
    pair: tuple[int, int]
    answers: Sequence[Choice]
    found: Preference
    p_value: float
    camps_p_value: float
    evidence: float  # that of earlier tastings too

    @property
    def top(self) -> tuple[int, int]:
        """The drink chosen more often, then the other."""
        return self.pair if self.found.first >= self.found.second else (self.pair[1], self.pair[0])


def chosen(
    answers: Sequence[Choice],
    drinks: Sequence[Drink],
    questions: Sequence[str],
    earlier: Sequence[Choice] = (),
) -> list[str]:
    """Which of two or more drinks is chosen, by whom, question by question. All questions and pairs
    are tested together; with answers of `earlier` tastings, by a test that holds however often one
    looks."""
    every = [one for question in questions for one in _pairs(answers, drinks, question, earlier)]
    if not every:
        return ["Nothing was chosen."]
    split = [one for one in every if one.camps_p_value <= CAMPS / len(every)]
    if earlier:
        clear = [one for one in every if one.evidence >= len(every) / LATER_LOOKS]
    else:
        clear = _significant(every)
    said = [*(_split_words(one, drinks) for one in split)]
    said += [_preferred(one, drinks) for one in clear if one not in split]
    left = [one for one in every if one not in clear and one not in split]
    if left:
        said += _open(left, drinks, alone=not said)
    return said


def _pairs(
    answers: Sequence[Choice], drinks: Sequence[Drink], question: str, earlier: Sequence[Choice]
) -> list[_Pair]:
    own = [answer for answer in answers if answer.question == question]
    wins = [_wins(own, shot) for shot in range(len(drinks))]
    two = list(combinations(range(len(drinks)), 2))
    games = tuple(sum(set(answer.places) == set(pair) for answer in own) for pair in two)
    found = []
    for pair in two:
        both = [answer for answer in own if set(answer.places) == set(pair)]
        before = [a for a in earlier if a.question == question and set(a.places) == set(pair)]
        if not both:
            continue
        took = [_taken(answer, *pair) for answer in both]
        counted = preference(*(took.count(one) for one in (*pair, None)))
        p_value = counted.p_value
        if len(drinks) > 2:
            p_value = range_chance(abs(wins[pair[0]] - wins[pair[1]]), games)
        all_took = took + [_taken(answer, *pair) for answer in before]
        found.append(
            _Pair(
                question,
                pair,
                both,
                counted,
                p_value,
                _camps_of(both, took, pair),
                choice_evidence(all_took.count(pair[0]), all_took.count(pair[1])),
            )
        )
    return found


def _wins(answers: Sequence[Choice], shot: int) -> float:
    """In how many answers a drink was chosen, ties as a half."""
    return sum(
        0.5 if len(set(answer.places.values())) == 1 else float(answer.places[shot] == 1)
        for answer in answers
        if shot in answer.places
    )


@cache
def range_chance(apart: float, games: tuple[int, ...], seed: int = 1) -> float:
    """How often, of drinks that are all chosen alike, the one chosen most and the one chosen least
    lie so far apart, by random draws; `games` are the answers of every two drinks."""
    drinks = round((1 + math.sqrt(1 + 8 * len(games))) / 2)
    pairs = list(combinations(range(drinks), 2))
    first = np.random.default_rng(seed).binomial(games, 0.5, (DRAWS, len(pairs)))
    wins = np.zeros((DRAWS, drinks))
    for at, (one, other) in enumerate(pairs):
        wins[:, one] += first[:, at]
        wins[:, other] += games[at] - first[:, at]
    ranges = wins.max(axis=1) - wins.min(axis=1)
    return float(((ranges >= apart - 1e-9).sum() + 1) / (DRAWS + 1))


def _significant(every: Sequence[_Pair]) -> list[_Pair]:
    """Holm over questions by the surest pair of each; within one its pairs are tested together."""
    questions: dict[str, list[_Pair]] = {}
    for one in every:
        questions.setdefault(one.question, []).append(one)
    in_order = sorted(questions.values(), key=lambda pairs: min(one.p_value for one in pairs))
    found: list[_Pair] = []
    for rank, pairs in enumerate(in_order):
        bound = FIRST_LOOK / (len(in_order) - rank)
        believed = [one for one in pairs if one.p_value <= bound]
        if not believed:
            break
        found += believed
    return found


def _preferred(one: _Pair, drinks: Sequence[Drink]) -> str:
    return f"{_more(one, drinks)}, {_times(one)}."


def _more(one: _Pair, drinks: Sequence[Drink]) -> str:
    top, least = one.top
    return f"{drinks[top].name} {_chosen_over(one.question)} {drinks[least].name}"


def _times(one: _Pair) -> str:
    found = one.found
    ties = f", {found.ties} undecided" if found.ties else ""
    return f"{max(found.first, found.second)} of {found.first + found.second} times{ties}"


def _open(left: Sequence[_Pair], drinks: Sequence[Drink], *, alone: bool) -> Iterator[str]:
    """What was chosen without its being enough to tell, and how many more answers would do."""
    counted = [f"{_more(one, drinks)} {_times(one)}" for one in left[:MOST_OPEN]]
    more = f", and {len(left) - MOST_OPEN} more" if len(left) > MOST_OPEN else ""
    yield f"{'Not' if alone else 'The rest is not'} enough to tell: {'; '.join(counted)}{more}."
    if alone:
        fewest = min(one.found.first + one.found.second for one in left)
        needed = max(1, (two_sided_needed(PLAIN_PREFERENCE) or 0) - fewest)
        yield f"About {needed} more choices would show a plain preference."


def _chosen_over(question: str) -> str:
    if question == "preferred":
        return "is preferred to"
    return f"is called {BY_FIELD[question].more} than"


def _taken(answer: Choice, first: int, second: int) -> int | None:
    step = answer.places[first] - answer.places[second]
    if step == 0:
        return None
    return first if step < 0 else second


def _each_took(
    answers: Sequence[Choice], took: Sequence[int | None], pair: tuple[int, int]
) -> dict[str, list[int]]:
    """How often each taster took either drink."""
    each: dict[str, list[int]] = {}
    for answer, shot in zip(answers, took, strict=True):
        if shot is not None:
            each.setdefault(answer.taster, [0, 0])[pair.index(shot)] += 1
    return each


def _camps_of(
    answers: Sequence[Choice], took: Sequence[int | None], pair: tuple[int, int]
) -> float:
    """How often chance alone makes two such camps; 1 where all lean the same way."""
    each = _each_took(answers, took, pair)
    if not {True, False} <= {a > b for a, b in each.values() if a != b}:
        return 1.0
    return camps_chance(list(each.values()))


def _split_words(one: _Pair, drinks: Sequence[Drink]) -> str:
    """Two camps, with who prefers which."""
    took = [_taken(answer, *one.pair) for answer in one.answers]
    alike: dict[tuple[int, str], list[str]] = {}
    for who, (a, b) in sorted(_each_took(one.answers, took, one.pair).items()):
        if a != b:
            drink = one.pair[0] if a > b else one.pair[1]
            alike.setdefault((drink, f"{max(a, b)} of {a + b} times"), []).append(who)
    said = [
        f"{listed(who)} {_verb(one.question, len(who))} {drinks[drink].name} {often}"
        + (" each" if len(who) > 1 else "")
        for (drink, often), who in alike.items()
    ]
    return f"They are split: {listed(said)}."


def _verb(question: str, people: int) -> str:
    s = "s" if people == 1 else ""
    return f"prefer{s}" if question == "preferred" else f"call{s} {BY_FIELD[question].more}"


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


def ranked(answers: Sequence[Choice], drinks: Sequence[Drink]) -> list[str]:
    """Whether the tasters' rankings agree by more than chance, and who ranks which first."""
    if not answers:
        return ["Nothing was ranked."]
    shots = sorted(answers[0].places)
    found = friedman([[answer.places[shot] for shot in shots] for answer in answers])
    agree = f"agreement W {found.agreement:.2f}; by chance {_once(found.p_value)}"
    bests = _firsts(answers, drinks)
    if len(answers) == 1:
        order = sorted(range(len(shots)), key=lambda at: found.mean_places[at])
        names = listed([drinks[shots[at]].name for at in order], "then")
        return [f"{answers[0].taster} ranks {names}. A single ranking shows no difference."]
    if found.distinct_pairs:
        return [*_apart(found.distinct_pairs, [drinks[shot].name for shot in shots], agree), *bests]
    if found.believed:
        said = "Their rankings agree more than chance would, but no two cups can be told apart"
        return [f"{said} ({agree}).", *bests]
    return [f"No clear order ({agree}).", *bests]


def _apart(pairs: Sequence[tuple[int, int]], names: Sequence[str], agree: str) -> Iterator[str]:
    """Cups with those they are ranked significantly above."""
    below: dict[int, tuple[int, ...]] = {}
    for better, worse in pairs:
        below[better] = (*below.get(better, ()), worse)
    above: dict[tuple[int, ...], list[str]] = {}
    for better, under in below.items():
        above.setdefault(under, []).append(names[better])
    for at, (under, over) in enumerate(sorted(above.items(), key=lambda item: -len(item[0]))):
        how = f" ({agree})" if at == 0 else ""
        verb = "is" if len(over) == 1 else "are"
        yield f"{listed(over)} {verb} ranked above {listed([names[one] for one in under])}{how}."
    if len(pairs) < len(names) * (len(names) - 1) // 2:
        yield "The rest cannot be told apart."


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
