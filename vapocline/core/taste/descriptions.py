"""What scored cups say, in a few sentences drawn from the list of conclusions."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from vapocline.core.taste.conclusions import Conclusions, LikingOdds
from vapocline.core.taste.contrasts import About, Contrast, Shots
from vapocline.core.taste.extraction import Extraction, extraction_alike
from vapocline.core.taste.odds import PROBABLY, Odds, in_words
from vapocline.core.taste.panel import Panel
from vapocline.core.taste.spreads import LEAST_REPEATS
from vapocline.core.taste.tasting import BY_FIELD, Warmth
from vapocline.core.taste.wording import listed, number_word

MOST_PAIRS = 2  # pairs of drinks put into words; the table has them all
MOST_LINES = 3  # on which a pair is said to differ, in a sentence
NOT_RECIPES = (
    "This holds for these cups. How far two pulls of one recipe differ is not known here, so for "
    "the recipes there are only odds."
)


@dataclass(frozen=True)
class Drink:
    """A shot as a sentence names it, and its extraction where it was measured."""

    name: str
    extraction: Extraction | None = None


class TasteVerdict(NamedTuple):
    """What may be claimed, the most important first, and in `notes` what it does not say."""

    says: list[str]
    notes: list[str]


def verdict(found: Conclusions, panels: Sequence[Panel], drinks: Sequence[Drink]) -> TasteVerdict:
    """A few sentences; the table has the rest."""
    shots = {shot for panel in panels for shot in panel.shots}
    if not shots:
        return TasteVerdict(["Nothing was scored."], [])
    if len(shots) == 1:
        name = drinks[shots.pop()].name
        alone = f"{name} was tasted alone: there is nothing to compare it with."
        return TasteVerdict([alone], [])
    said = [
        *_splits(found, drinks),
        *_differences(found, drinks, several=len(panels) > 1),
        *_changes(found, drinks, [panel.warmth for panel in panels]),
        *_unexplained(found, drinks),
    ]
    alike = [*_alike(found, drinks)]
    said = [*(said or ["No clear difference."]), *alike]
    said += _probably(found, drinks, alike=bool(alike))
    cups = any(one.about == "cups" for one in found.differ) or bool(found.split)
    return TasteVerdict(said, [*([NOT_RECIPES] if cups else []), *_unknown(found)])


def _differences(found: Conclusions, drinks: Sequence[Drink], *, several: bool) -> Iterator[str]:
    """What differs, the pairs of drinks that differ on most lines first."""
    pairs: dict[tuple[Warmth, Shots, Shots, About], list[Contrast]] = {}
    for one in found.differ:
        pairs.setdefault((one.warmth, one.first, one.second, one.about), []).append(one)
    most = sorted(pairs.items(), key=lambda item: -len(item[1]))
    for (warmth, first, second, _about), apart in most[:MOST_PAIRS]:
        words = _comparatives(apart)
        at = f"{warmth.capitalize()}, " if several else ""
        yield f"{at}{_name(second, drinks)} is {words} than {_name(first, drinks)}."
    left = len(pairs) - MOST_PAIRS
    if left > 0:
        yield f"{left} more {'pair differs' if left == 1 else 'pairs differ'}."


def _comparatives(apart: Sequence[Contrast]) -> str:
    """Liking first, then the surest of the other lines."""
    in_order = sorted(apart, key=lambda one: (one.line != "liking", one.p_value))
    words = [_comparative(one.line, one.points) for one in in_order[:MOST_LINES]]
    more = len(in_order) - MOST_LINES
    if more > 0:
        words.append(f"otherwise on {number_word(more)} more {'line' if more == 1 else 'lines'}")
    return listed(words)


def _comparative(line: str, points: float) -> str:
    attribute = BY_FIELD[line]
    return attribute.more if points > 0 else attribute.less


def _name(shots: Shots, drinks: Sequence[Drink]) -> str:
    return drinks[shots[0]].name


def _splits(found: Conclusions, drinks: Sequence[Drink]) -> Iterator[str]:
    for one in sorted(found.split, key=lambda split: split.line != "liking")[:MOST_PAIRS]:
        sides = (
            (one.second, [taster for taster, step in one.steps.items() if step > 0]),
            (one.first, [taster for taster, step in one.steps.items() if step < 0]),
        )
        more, by = BY_FIELD[one.line].more, "by" if one.line == "liking" else "for"
        camps = [f"{_name(shots, drinks)} is {more} {by} {listed(who)}" for shots, who in sides]
        yield f"They are split, {one.warmth}: {listed(camps)}."


def _changes(
    found: Conclusions, drinks: Sequence[Drink], warmths: Sequence[Warmth]
) -> Iterator[str]:
    """How each drink changed from the first warmth to the last."""
    for shot in sorted({change.shot for change in found.changed}):
        words = [
            _comparative(change.line, change.estimate.points)
            for change in found.changed
            if change.shot == shot
        ]
        name = drinks[shot].name
        yield f"{name} is {listed(words)} when {warmths[-1]} than when {warmths[0]}."


def _unexplained(found: Conclusions, drinks: Sequence[Drink]) -> Iterator[str]:
    """Pairs with the same extraction, within its error, that taste different."""
    pairs = dict.fromkeys((one.first, one.second) for one in found.differ)
    for first, second in pairs:
        one, other = (drinks[shots[0]].extraction for shots in (first, second))
        if one and other and extraction_alike(one, other):
            yield (
                f"{_name(first, drinks)} and {_name(second, drinks)} have the same extraction "
                f"({_extraction(one)} and {_extraction(other)}): the number does not explain this."
            )


def _extraction(one: Extraction) -> str:
    return f"{one.value_pct:.1f} ± {one.error_pct:.1f} %"


def _alike(found: Conclusions, drinks: Sequence[Drink]) -> Iterator[str]:
    for one in found.alike[:1]:
        yield (
            f"{_name(one.second, drinks)} and {_name(one.first, drinks)} are liked alike, within "
            "a point."
        )


def _probably(found: Conclusions, drinks: Sequence[Drink], *, alike: bool) -> Iterator[str]:
    """The odds of the surest pair, where nothing is claimed of liking."""
    lines = {one.line for one in found.differ} | {one.line for one in found.split}
    if "liking" in lines or alike or not found.odds:
        return
    best = max(found.odds, key=lambda one: one.odds.better)
    yield odds_words(best, drinks)


def odds_words(one: LikingOdds, drinks: Sequence[Drink]) -> str:
    """What is probable of two recipes' liking, and what would settle it."""
    first, second = _name(one.first, drinks), _name(one.second, drinks)
    return odds_sentence(one.odds, (first, second), one.pulls_to_settle)


def odds_sentence(odds: Odds, names: tuple[str, str], more: int | None) -> str:
    """The same of two named recipes."""
    if names[0] == names[1]:
        names = "the first", "the second"
    better = names[1] if odds.more >= odds.less else names[0]
    if odds.better < PROBABLY:
        return "Which is liked more is open."
    said = f"{better[0].upper()}{better[1:]} is probably liked more: {in_words(odds.better)}."
    if more is not None:
        said += f" {_more_pulls(more).capitalize()} of each would make that 9 in 10, or undo it."
    return said


def odds_beside(one: LikingOdds) -> str:
    """The same beside a picture that names the two."""
    if one.odds.better < PROBABLY:
        return "open"
    said = in_words(one.odds.better)
    if one.pulls_to_settle is None:
        return said
    return f"{said}; {_more_pulls(one.pulls_to_settle)} of each make it 9 in 10, or undo it"


def _more_pulls(count: int) -> str:
    return "one more pull" if count == 1 else f"{number_word(count)} more pulls"


def _unknown(found: Conclusions) -> Iterator[str]:
    """Whose repeats are missing, and how to give them."""
    if not found.unknown:
        return
    each = listed([f"{who} ({count} of {LEAST_REPEATS})" for who, count in found.unknown.items()])
    repeat = "repeats" if len(found.unknown) == 1 else "repeat"
    said = f"How well {each} {repeat} is not known yet: hide a duplicate among the cups."
    judged = any(one.estimate is not None for one in found.contrasts)
    yield f"{said} Until then only the others’ scores count." if judged else said


def basis_words(found: Conclusions) -> str:
    """What the differences are compared with, in words."""
    known = [one for one in found.contrasts if one.estimate is not None]
    if not known:
        return (
            "Nothing is claimed: nobody here has scored the same drink twice often enough. Hide a "
            "duplicate among the cups in four tastings to find out how small a difference you "
            "notice."
        )
    lines = len({one.line for one in known})
    by = "pulls of one recipe" if known[0].about == "recipes" else "the same drink scored twice"
    return (
        f"Compared with how far {by} lie apart. {len(known)} differences on {lines} lines are "
        "tested together: where nothing differs, one such result in twenty claims any."
    )
