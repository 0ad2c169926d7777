"""What is claimed where there is nothing to claim, and found where there is something: made-up
houses of known truth, of two unlike kinds (`./vapo bench claims`)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
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
    kinds = list(product((False, True), (0.75, 1.5), (0.0, 0.7)))
    tables = [
        House(2, taster_sd, pull_sd, repeats, again, unlike)
        for unlike, taster_sd, pull_sd in kinds
        for repeats, again in product((0, 6), (0, 6))
    ]
    liked = [
        (House(tasters, taster_sd, pull_sd, 0, again, unlike), pairs)
        for unlike, taster_sd, pull_sd in kinds
        for tasters, pairs, again in product((1, 2), (1, 2, 4), (0, 6))
    ]
    with ProcessPoolExecutor() as workers:
        rows = [workers.submit(_table, worlds, house) for house in tables]
        rows += [workers.submit(each, worlds) for each in (_warmths, _choices, _trail)]
        odds = [workers.submit(_liked, worlds // 2, *each) for each in liked]
        return [
            *(row for part in rows for row in part.result()),
            *_odds([said for part in odds for said in part.result()]),
        ]


def _share(name: str, found: Iterator[bool] | list[bool], aim: str = "aim 5 or less") -> Row:
    every = list(found)
    return Row(name, 100 * sum(every) / len(every), None, "%", f"{aim}; {len(every)} worlds")


def _claims(found: Conclusions) -> bool:
    return bool(found.differ or found.split or found.changed)


def _claims_of_recipes(found: Conclusions) -> bool:
    return any(one.about == "recipes" for one in found.differ)


def _table(worlds: int, house: House) -> list[Row]:
    """Two tasters, ten lines."""
    kind = "unlike, " if house.unlike else ""
    known = f"{house.repeats} duplicates, {house.pulls_again} recipes pulled twice"
    name = f"{kind}tasters {house.taster_sd}, pulls {house.pull_sd}, {known}"
    # Where pulls differ their cups do: then only what is said of recipes is false.
    is_false = _claims_of_recipes if house.pull_sd and not house.pulls_again else _claims
    rows = []
    for cups in (2, 3):
        found = [is_false(concluded(house, seed, cups=cups)) for seed in range(worlds)]
        rows.append(_share(f"{name}: {cups} alike", found))
    hits = [
        any(one.line == "sweetness" for one in found.differ)
        for seed in range(worlds // 4)
        for found in [concluded(house, seed, apart={"sweetness": STEP})]
    ]
    return [*rows, _share(f"{name}: {STEP} on one line found", hits, "the more the better")]


def _warmths(worlds: int) -> list[Row]:
    cooled = (concluded(House(1), s, warmths=("hot", "warm", "cool")) for s in range(worlds))
    return [_share("one taster, three warmths, alike", [_claims(found) for found in cooled])]


def _choices(worlds: int) -> list[Row]:
    return [*_chosen(worlds), *_looked_again(worlds)]


def _chosen(worlds: int) -> Iterator[Row]:
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


def _looked_again(worlds: int) -> Iterator[Row]:
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


def _trail(worlds: int) -> list[Row]:
    return [row for each in product((0.75, 1.5), (0.0, 0.7)) for row in _changes(worlds, *each)]


def _changes(worlds: int, taster_sd: float, pull_sd: float) -> Iterator[Row]:
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


def _liked(worlds: int, house: House, pairs: int) -> list[tuple[float, bool]]:
    """Half of the worlds without any effect."""
    return [liked_twice(house, seed, pairs) for seed in range(worlds)]


def _odds(said: list[tuple[float, bool]]) -> Iterator[Row]:
    """Whether what is said probable is so that often."""
    for low, high, words in SAID:
        so = [true for chance, true in said if low <= chance < high]
        yield _share(f"odds called {words}, that are so", so, "aim within 5 of what is said")
