"""What is claimed where there is nothing to claim, and found where there is something: made-up
houses of known truth, of two unlike kinds (`./vapo bench claims`)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from itertools import product

import numpy as np

from benchmarks.timing import Row
from tests.core.taste.choosing import DRINKS, QUESTIONS, claims, odd, paired, ranks
from tests.core.taste.worlds import House, concluded, liked_twice
from tests.core.trail.worlds import settled_at, verdicts_of
from vapocline.core.taste.choices import chosen, odd_one_out, ranked
from vapocline.core.taste.conclusions import Conclusions

WORLDS = 1000
STEP = 3.5  # points on one line that are to be found
SAID = ((0.7083, 0.775, "3 in 4"), (0.775, 0.85, "4 in 5"), (0.85, 0.925, "9 in 10"))


def claims_rows(worlds: int = WORLDS) -> list[Row]:
    """For `./vapo bench claims`: shares of so many worlds a row."""
    return [*_tables(worlds), *_choices(worlds), *_trail(worlds), *_odds(worlds)]


def _share(name: str, found: Iterator[bool] | list[bool], aim: str = "aim 5 or less") -> Row:
    every = list(found)
    return Row(name, 100 * sum(every) / len(every), None, "%", f"{aim}; {len(every)} worlds")


def _claims(found: Conclusions) -> bool:
    return bool(found.differ or found.split or found.changed)


def _claims_of_recipes(found: Conclusions) -> bool:
    return any(one.about == "recipes" for one in found.differ)


def _tables(worlds: int) -> Iterator[Row]:
    """Two tasters, ten lines."""
    for unlike, taster_sd, pull_sd, repeats, again in product(
        (False, True), (0.75, 1.5), (0.0, 0.7), (0, 6), (0, 6)
    ):
        house = House(2, taster_sd, pull_sd, repeats, again, unlike)
        kind = "unlike, " if unlike else ""
        known = f"{repeats} duplicates, {again} recipes pulled twice"
        name = f"{kind}tasters {taster_sd}, pulls {pull_sd}, {known}"
        # Where pulls differ their cups do: then only what is said of recipes is false.
        is_false = _claims_of_recipes if pull_sd and not again else _claims
        for cups in (2, 3):
            found = [is_false(concluded(house, seed, cups=cups)) for seed in range(worlds)]
            yield _share(f"{name}: {cups} alike", found)
        hits = [
            any(one.line == "sweetness" for one in found.differ)
            for seed in range(worlds // 4)
            for found in [concluded(house, seed, apart={"sweetness": STEP})]
        ]
        yield _share(f"{name}: {STEP} on one line found", hits, "the more the better")
    cooled = (concluded(House(1), s, warmths=("hot", "warm", "cool")) for s in range(worlds))
    yield _share("one taster, three warmths, alike", [_claims(found) for found in cooled])


def _choices(worlds: int) -> Iterator[Row]:
    for drinks, rounds, questions in ((2, 12, 1), (2, 12, 6), (4, 6, 6)):
        name = f"choices, {drinks} drinks, {questions} questions, {rounds} rounds"
        for last, what, aim in ((0.5, "alike", "aim 5 or less"), (0.9, "nine in ten", "")):
            draw = np.random.default_rng(21)
            yield _share(
                f"{name}: {what}",
                [
                    claims(chosen(
                        paired(draw, drinks, rounds, questions, last), DRINKS[:drinks],
                        QUESTIONS[:questions],
                    ))
                    for _ in range(worlds)
                ],
                aim or "the more the better",
            )  # fmt: skip
    yield _share(
        "pairs, looked at after every 8 choices to 40", _again(worlds, _pairs_claimed, 0.5)
    )
    yield _share(
        "the same, preferred nine times in ten",
        _again(worlds, _pairs_claimed, 0.9),
        "more is better",
    )
    yield _share("odd one out, after every 6 answers to 36", _again(worlds, _odd_claimed, 1 / 3))
    yield _share(
        "the same, half of the answers tell", _again(worlds, _odd_claimed, 2 / 3), "more is better"
    )
    draw = np.random.default_rng(22)
    for worse, what in ((0.0, "alike"), (3.0, "one worse: a whole order claimed")):
        said = [_ranking(draw, worse) for _ in range(worlds)]
        found = [
            not one[0].startswith("No clear order")
            if worse == 0
            else "The rest" not in " ".join(one)
            for one in said
        ]
        yield _share(f"eight tasters rank four cups, {what}", found)


def _again(
    worlds: int, judged: Callable[[np.random.Generator, float], bool], chance: float
) -> list[bool]:
    draw = np.random.default_rng(23)
    return [judged(draw, chance) for _ in range(worlds)]


def _pairs_claimed(draw: np.random.Generator, chance: float) -> bool:
    looks = [paired(draw, 2, 8, 1, chance) for _ in range(5)]
    return any(
        claims(chosen(look, DRINKS[:2], ("preferred",), [a for one in looks[:at] for a in one]))
        for at, look in enumerate(looks)
    )


def _odd_claimed(draw: np.random.Generator, chance: float) -> bool:
    looks = [[odd(n, draw.random() < chance) for n in range(6)] for _ in range(6)]
    return any(
        "can be told apart" in odd_one_out(look, DRINKS, [a for one in looks[:at] for a in one])[0]
        for at, look in enumerate(looks)
    )


def _ranking(draw: np.random.Generator, worse: float) -> list[str]:
    return ranked(ranks(draw, 8, worse), DRINKS)


def _trail(worlds: int) -> Iterator[Row]:
    for taster_sd, pull_sd in product((0.75, 1.5), (0.0, 0.7)):
        name = f"taster {taster_sd}, pulls {pull_sd}"
        nothing = partial(verdicts_of, taster_sd=taster_sd, pull_sd=pull_sd)
        found = [any(nothing(seed)) for seed in range(worlds)]
        yield _share(f"what worked, six moves of three pairs, {name}: nothing works", found)
        found = [nothing(seed, helps=3.0)[0] for seed in range(worlds // 4)]
        yield _share(f"what worked, {name}: one helps by 3 points", found, "more is better")
        found = [settled_at(seed, taster_sd, pull_sd) for seed in range(worlds)]
        yield _share(f"expectations, {name}: nothing happens", found)
        found = [settled_at(seed, taster_sd, pull_sd, 4.0) for seed in range(worlds // 4)]
        yield _share(f"expectations, {name}: 4 points more", found, "more is better")


def _odds(worlds: int) -> Iterator[Row]:
    """Half of the worlds without any effect: whether what is said probable is so that often."""
    every = [
        liked_twice(House(tasters, taster_sd, pull_sd, 0, again, unlike), seed, pairs)
        for unlike, taster_sd, pull_sd, tasters, pairs, again in product(
            (False, True), (0.75, 1.5), (0.0, 0.7), (1, 2), (1, 2, 4), (0, 6)
        )
        for seed in range(worlds // 2)
    ]
    for low, high, words in SAID:
        so = [true for chance, true in every if low <= chance < high]
        yield _share(f"odds called {words}, that are so", so, "aim within 5 of what is said")
