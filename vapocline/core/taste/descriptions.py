"""What scored cups say, in sentences, with nothing that cannot be believed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
import scipy  # its parts are imported where they are first used

from vapocline.core.taste.believable import HOUSE_WEIGHT, TWICE, Believable
from vapocline.core.taste.discrimination import ALPHA
from vapocline.core.taste.extraction import Extraction, extraction_alike
from vapocline.core.taste.panel import Apart, Panel
from vapocline.core.taste.ranking import LITTLE
from vapocline.core.taste.tasting import BY_FIELD
from vapocline.core.taste.wording import listed, number_word

MOST_PAIRS = 3  # pairs of drinks put into words; the chart shows them all


@dataclass(frozen=True)
class Drink:
    """A shot as a sentence names it, and its extraction where it was measured."""

    name: str
    extraction: Extraction | None = None


def described(panel: Panel, drinks: Sequence[Drink]) -> list[str]:
    """What differs, for whom, which is liked, and what lies too close to tell."""
    if not panel.shots:
        return ["Nothing was scored."]
    if len(panel.shots) == 1:
        return [_alone(panel, drinks)]
    found = list(panel.every_apart())
    return [
        *_differences(panel, found, drinks),
        *_liking(panel, drinks),
        *_too_close(panel, found),
        *_by_chance(panel, found),
        *_unexplained(panel, found, drinks),
    ]


def _alone(panel: Panel, drinks: Sequence[Drink]) -> str:
    name = drinks[panel.shots[0]].name
    return f"{name} was tasted alone: there is nothing to compare it with."


def _differences(panel: Panel, found: Sequence[Apart], drinks: Sequence[Drink]) -> Iterator[str]:
    """What can be believed of each pair of drinks, the pairs that differ most first."""
    pairs: dict[tuple[int, int], list[Apart]] = {}
    for one in found:
        if one.believed and one.line != "liking" and not one.split:
            pairs.setdefault((one.first, one.second), []).append(one)
    if not pairs:
        yield "No difference is large enough to believe."
    most = sorted(pairs.items(), key=lambda item: -len(item[1]))[:MOST_PAIRS]
    for (first, second), apart in most:
        words = [_comparative(one) for one in apart]
        who = _who_tells(panel.tasters, apart)
        yield f"{drinks[second].name} is {listed(words)} than {drinks[first].name}; {who}."


def _comparative(apart: Apart) -> str:
    return _comparative_of(apart.line, apart.points)


def _comparative_of(line: str, step: float) -> str:
    return BY_FIELD[line].more if step > 0 else BY_FIELD[line].less


def _who_tells(tasters: Sequence[str], apart: Sequence[Apart]) -> str:
    telling = [who for who in tasters if all(one.leans.get(who) for one in apart)]
    if len(telling) == len(tasters):
        return f"{_all(tasters)} could tell"
    if telling:
        return f"{listed(telling)} could tell"
    alone = "neither taster" if len(tasters) == 2 else "no taster"
    return f"only the average shows it, {alone} alone"


def _liking(panel: Panel, drinks: Sequence[Drink]) -> Iterator[str]:
    """Which is liked more; where tasters are split, that, with who likes which."""
    likings = [one for a, b in combinations(panel.shots, 2) if (one := panel.apart(a, b, "liking"))]
    if not likings:
        return
    if any(one.split for one in likings):
        yield f"They are split on which is better: {_each_best(panel, drinks)}."
        return
    believed = [one for one in likings if one.believed]
    if not believed:
        least = max(one.least for one in likings)
        yield f"Which is better cannot be told: likings are less than {least:.1f} points apart."
        return
    best = max(panel.shots, key=lambda shot: panel.centred_liking(shot) or 0.0)
    beaten = [_beaten(one, best) for one in believed if best in (one.first, one.second)]
    if under := [shot for shot in beaten if shot is not None]:
        names = listed([drinks[shot].name for shot in under])
        yield f"{drinks[best].name} is liked more than {names}."
    else:
        yield f"No one cup is liked best: {_each_best(panel, drinks)}."


def _beaten(apart: Apart, best: int) -> int | None:
    """Which shot the best one lies above, None where it lies below."""
    if (apart.points > 0) != (apart.second == best):
        return None
    return apart.first if apart.second == best else apart.second


def _each_best(panel: Panel, drinks: Sequence[Drink]) -> str:
    said = []
    for taster in panel.tasters:
        best = panel.best_of(taster)
        if best and len(best) < len(panel.shots):
            said.append(f"{taster} prefers {listed([drinks[s].name for s in best], 'or')}")
        elif best:
            said.append(f"{taster} likes them alike")
    return ", ".join(said)


def _too_close(panel: Panel, found: Sequence[Apart]) -> Iterator[str]:
    told = {one.line for one in found if one.believed or one.split}
    close = [BY_FIELD[line].name.lower() for line in panel.lines if line not in told]
    close = [name for name in close if name != "liking"]
    if close and told:
        count = len(panel.tasters)
        who = "this taster" if count == 1 else f"these {number_word(count)} tasters"
        yield f"Differences in {listed(close)} are too small for {who} to tell."
    split = [one for one in found if one.split and one.line != "liking"]
    for line in dict.fromkeys(one.line for one in split):
        yield f"On {BY_FIELD[line].name.lower()} the tasters disagree."


def _by_chance(panel: Panel, found: Sequence[Apart]) -> Iterator[str]:
    """A warning where chance alone could explain what was found. Differences between several drinks
    on one line depend on each other: how often chance makes one of them large enough is the
    studentized range of that number of drinks (Tukey)."""
    lines = {one.line for one in found}
    out = len({one.line for one in found if one.believed})
    by_chance = scipy.stats.studentized_range.sf(TWICE, len(panel.shots), np.inf)
    if out and scipy.stats.binom.sf(out - 1, len(lines), by_chance) > ALPHA:
        differ = "one differs" if out == 1 else f"{number_word(out)} differ"
        yield (
            f"Of {len(lines)} lines {differ}, which could be chance alone: "
            "taste again before relying on it."
        )


def _unexplained(panel: Panel, found: Sequence[Apart], drinks: Sequence[Drink]) -> Iterator[str]:
    """Pairs with the same extraction, within its error, that taste different."""
    for first, second in combinations(panel.shots, 2):
        one, other = drinks[first].extraction, drinks[second].extraction
        tasted = any(
            apart.believed for apart in found if (apart.first, apart.second) == (first, second)
        )
        if tasted and extraction_alike(one, other) and one and other:
            yield (
                f"{drinks[first].name} and {drinks[second].name} have the same extraction "
                f"({_extraction(one)} and {_extraction(other)}): the number does not explain this."
            )


def _extraction(one: Extraction) -> str:
    return f"{one.value_pct:.1f} ± {one.error_pct:.1f} %"


def over_warmth(
    first: Panel, last: Panel, drinks: Sequence[Drink], warmths: tuple[str, str]
) -> list[str]:
    """How each drink changed from the first warmth to the last, as far as can be believed."""
    said = []
    for shot in first.shots:
        words = [
            _comparative_of(line, change)
            for line in first.lines
            for change in [_change(first, last, shot, line)]
            if change is not None
        ]
        if words:
            said.append(
                f"{drinks[shot].name} is {listed(words)} when {warmths[1]} than when {warmths[0]}."
            )
    return said


def _change(first: Panel, last: Panel, shot: int, line: str) -> float | None:
    """How far a drink's score moved, over the tasters who scored it both times; None where that
    is too little to believe."""
    who = [
        taster
        for taster in first.tasters
        if first.score(taster, shot, line) is not None
        and last.score(taster, shot, line) is not None
    ]
    was, now = (panel.mean(shot, line, who) if who else None for panel in (first, last))
    if was is None or now is None:
        return None
    change = now.points - was.points
    return change if abs(change) >= first.smallest.of_mean(who, line) else None


def agreement(panel: Panel) -> str | None:
    """How far the tasters agree on the order of liking; None where there is nothing to compare."""
    found = panel.ranking()
    if found is None:
        return None
    far = "agree" if found.believed else "agree, but not enough to be sure"
    if found.agreement < LITTLE:
        far = "agree little"
    return f"Their rankings by liking {far} (W {found.agreement:.2f})."


def rests_on(smallest: Believable, tasters: Sequence[str]) -> str:
    """What the smallest believable differences are based on, in words."""
    counts = {taster: smallest.repeats_of(taster) for taster in tasters}
    if not any(counts.values()):
        return (
            "The smallest believable differences are default values: nobody has scored the same "
            "drink twice yet. Hide a duplicate among the cups to measure your own."
        )
    each = listed([f"{_repeats(count)} for {who}" for who, count in counts.items()])
    return (
        f"The smallest believable differences are based on {each}; with fewer than "
        f"{number_word(HOUSE_WEIGHT)}, the average of the house weighs more."
    )


def _repeats(count: int) -> str:
    return "1 repeat" if count == 1 else f"{count or 'no'} repeats"


def _all(tasters: Sequence[str]) -> str:
    if len(tasters) == 2:
        return "both"
    return tasters[0] if len(tasters) == 1 else f"all {number_word(len(tasters))}"
