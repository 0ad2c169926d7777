"""Shots side by side: what differs between them, whether that can be attributed, and whether a
difference in taste is large enough to believe."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from statistics import fmean
from typing import TypeAlias, get_args

from vapocline.core.base.amounts import amount, change, grams
from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.result import Result
from vapocline.core.taste.ages import MOST_APART_S, clock
from vapocline.core.taste.as_run import (
    AsRun,
    corrections_apart,
    hands_apart,
    stops_apart,
)
from vapocline.core.taste.conclusions import Conclusions, conclude
from vapocline.core.taste.descriptions import NOT_RECIPES, odds_sentence
from vapocline.core.taste.odds import PROBABLY
from vapocline.core.taste.panel import Panel, TasterScore
from vapocline.core.taste.spreads import HouseSpreads
from vapocline.core.taste.tasting import BY_FIELD, Served, Tasting, Warmth
from vapocline.core.taste.wording import listed

# More steps than these between two profiles of one name, or of two names, are no list to read.
MOST_STEPS, MOST_STEPS_APART = 8, 4
LEAST_DOSE_G = 0.1


@dataclass(frozen=True)
class ShotRecipe:
    """What went into a shot besides its profile."""

    coffee: str | None
    bag: str | None
    rest_days: float | None
    dose_g: float
    wanted_dose_g: float
    yield_g: float
    basket: str | None
    grinder: str | None
    grind_setting: float | None
    machine: str
    water_c: float
    water: str | None = None
    preparation: str | None = None
    mode: str | None = None


@dataclass(frozen=True)
class TastedCup:
    """What a taster found in a cup: how old it was then, and whether it was stirred."""

    tasting: Tasting
    taster: str
    age_s: float | None = None
    stirred: bool = False


@dataclass(frozen=True)
class ComparedShot:
    """One shot as a comparison needs it; `name` is what a sentence calls it."""

    name: str
    recipe: ShotRecipe
    run: AsRun
    result: Result
    tastings: Sequence[TastedCup] = field(default_factory=tuple)


@dataclass(frozen=True)
class Difference:
    """One thing that is not alike: its name, both values as written, and the step between them.

    `parts` are the single steps of what is simply another thing.
    """

    what: str
    first: str
    second: str
    words: str
    parts: tuple[str, ...] = ()


@dataclass(frozen=True)
class Cups:
    """Both shots as one taster scored them, tasted the same way: every score given, by attribute
    (the mean where several cups of a shot were scored), and the lines on which the cups differ
    significantly, by all who tasted both that way."""

    taster: str
    warmth: Warmth
    served: Served
    first: dict[str, float]
    second: dict[str, float]
    significant: list[str]


@dataclass(frozen=True)
class _Tasted:
    """All cups of a shot that one taster tasted in one way: mean scores by attribute."""

    taster: str
    warmth: Warmth
    served: Served
    scores: dict[str, float]
    words: tuple[str, ...]
    age_s: float | None
    stirred: bool

    @property
    def liking(self) -> float | None:
        return self.scores.get("liking")


_Both: TypeAlias = tuple[_Tasted, _Tasted]


@dataclass(frozen=True)
class Comparison:
    """What was done differently, what resulted, and how it tasted; `caution` if confounded."""

    done: list[Difference]
    came: list[Difference]
    tasted: list[Difference]
    cups: list[Cups]
    verdict: str
    caution: str | None


def compare(first: ComparedShot, second: ComparedShot, spreads: HouseSpreads) -> Comparison:
    """Name what differs between two shots, causes separate from results."""
    done = differences_as_run(first, second)
    alike = list(_alike(first.tastings, second.tastings))
    recipes = [0, 1] if done else [0, 0]
    found = {
        served: conclude(_panels([first, second], served), spreads, recipes)
        for served in dict.fromkeys(before.served for before, _ in alike)
    }
    return Comparison(
        done=done,
        came=list(_results(first.result, second.result)),
        tasted=list(_tastes(alike, found)),
        cups=[_cups(before, after, found) for before, after in alike],
        verdict=_verdict(first, second, alike, found),
        caution=_caution(done),
    )


def scores_of(pulled: Sequence[ComparedShot], warmth: Warmth, served: Served) -> list[TasterScore]:
    """The scores of shots at one warmth, served one way; shots by their place."""
    return [
        TasterScore(cup.taster, index, warmth, line, points, cup.age_s, cup.stirred)
        for index, one in enumerate(pulled)
        for cup in one.tastings
        if (cup.tasting.warmth, cup.tasting.served) == (warmth, served)
        for line, points in cup.tasting.scores().items()
    ]


def _panels(pulled: Sequence[ComparedShot], served: Served) -> list[Panel]:
    """What was scored, served one way, warmth by warmth."""
    given = [(warmth, scores_of(pulled, warmth, served)) for warmth in get_args(Warmth)]
    return [Panel(scores, warmth) for warmth, scores in given if scores]


def differences_as_run(first: ComparedShot, second: ComparedShot) -> list[Difference]:
    """What was done differently: recipe, profile, hands, and cups tasted at another age."""
    return [
        *_recipe(first.recipe, second.recipe),
        *_profile(first.run.profile, second.run.profile),
        *_hands(first.run, second.run),
        *_handling(list(_alike(first.tastings, second.tastings))),
    ]


def _cups(before: _Tasted, after: _Tasted, found: Mapping[Served, Conclusions]) -> Cups:
    differ = [one.line for one in found[before.served].differ if one.warmth == before.warmth]
    return Cups(
        before.taster, before.warmth, before.served, before.scores, after.scores, sorted(differ)
    )


def _verdict(
    first: ComparedShot,
    second: ComparedShot,
    alike: Sequence[_Both],
    found: Mapping[Served, Conclusions],
) -> str:
    """Which of the two was liked more, by the cups tasted alike, and whether that can be told."""
    scores = [
        (before.liking, after.liking, before)
        for before, after in alike
        if before.liking is not None and after.liking is not None
    ]
    if not scores:
        return "Which is better is unknown until both are scored for liking, tasted alike."
    several = len({cup.taster for _, _, cup in scores}) > 1
    cups = "; ".join(
        f"{now:.3g} against {was:.3g}, {cup.warmth}{f' by {cup.taster}' if several else ''}"
        for was, now, cup in scores
    )
    names = (first.name, second.name)
    if first.name == second.name:
        names = ("The first", "The second")
    return _liking_words(cups, names, list(found.values()))


def _liking_words(cups: str, names: tuple[str, str], ways: Sequence[Conclusions]) -> str:
    """What may be claimed of liking, or else its odds; `cups` are the scores in words."""
    if split := [one for way in ways for one in way.split if one.line == "liking"]:
        return f"They are split on which is better, {split[0].warmth}: {cups}."
    if differ := [one for way in ways for one in way.differ if one.line == "liking"]:
        name = names[differ[0].points > 0]
        if differ[0].about == "cups":
            return f"The cup of {name} was liked more: {cups}. {NOT_RECIPES}"
        return f"{name} was liked more: {cups}."
    said = f"Which is liked more cannot be told: {cups}."
    odds = [one for way in ways for one in way.odds if one.odds.better >= PROBABLY]
    if not odds:
        return said
    best = max(odds, key=lambda one: one.odds.better)
    return f"{said} {odds_sentence(best.odds, names, best.pulls_to_settle)}"


def _caution(done: Sequence[Difference]) -> str | None:
    """What keeps the results from being put down to one cause; None where nothing does."""
    causes = list(dict.fromkeys(difference.what for difference in done))
    if not causes:
        return "Nothing was done differently: these differences are the spread of repeats."
    if len(causes) > 1:
        return f"{listed(causes).capitalize()} changed together; the result has no single cause."
    if any(difference.parts for difference in done):
        return "Two different profiles: the result has no single cause."
    if len(done) > 1:
        return f"The {causes[0]} changed in {len(done)} places; try one of them alone."
    return None


def _recipe(a: ShotRecipe, b: ShotRecipe) -> Iterator[Difference]:
    yield from _text("coffee", a.coffee, b.coffee)
    if a.coffee == b.coffee:
        yield from _text("bag", a.bag, b.bag)
        yield from _number("rest", "days", a.rest_days, b.rest_days, 0, least=2)
    if a.wanted_dose_g == b.wanted_dose_g and abs(a.dose_g - b.dose_g) >= LEAST_DOSE_G:
        was, now = grams(a.dose_g, 1), grams(b.dose_g, 1)
        said = f"dose off: {was}, then {now} where {grams(a.wanted_dose_g, 1)} was wanted"
        yield Difference("dose", was, now, said)
    else:
        yield from _number("dose", "g", a.dose_g, b.dose_g, 1, least=LEAST_DOSE_G)
    yield from _number("yield goal", "g", a.yield_g, b.yield_g, 1, least=0.1)
    yield from _text("basket", a.basket, b.basket)
    yield from _text("grinder", a.grinder, b.grinder)
    if a.grinder == b.grinder:
        yield from _number("grind", "", a.grind_setting, b.grind_setting, 2, least=0.01)
    yield from _text("machine", a.machine, b.machine)
    if a.machine == b.machine:
        yield from _text("mode", a.mode, b.mode)
    yield from _number("water", "°C", a.water_c, b.water_c, 1, least=0.1)
    yield from _text("brewing water", a.water, b.water)
    yield from _text("preparation", a.preparation, b.preparation)


def _profile(a: Profile, b: Profile) -> Iterator[Difference]:
    """Step by step; where the profiles are simply different ones, that, with the steps folded."""
    steps = profile_differences(a, b)
    if len(steps) > (MOST_STEPS if a.name == b.name else MOST_STEPS_APART):
        words = "the profiles are simply different ones"
        yield Difference("profile", a.name, b.name, words, tuple(steps))
        return
    for words in steps:
        yield Difference("profile", a.name, b.name, words)


def _hands(a: AsRun, b: AsRun) -> Iterator[Difference]:
    """What was done by hand while it ran."""
    if both := corrections_apart(a, b):
        yield from _text("corrections", *both)
    if both := stops_apart(a, b):
        yield from _text("stop", *both)
    if apart := hands_apart(a, b):
        mean, unit = apart
        words = f"{mean:.1f} {unit} apart on average"
        yield Difference("hand", "as held", "as held", f"hand {words}")


def _results(a: Result, b: Result) -> Iterator[Difference]:
    yield from _number("shot time", "s", a.shot_time_s, b.shot_time_s, 1, least=0.3)
    yield from _number("first drip", "s", a.first_drip_s, b.first_drip_s, 1, least=0.2)
    # What was not measured is no difference; a stop or a first drip that never came is one.
    for what, unit, was, now, least in (
        ("yield", "g", a.yield_g, b.yield_g, 0.2),
        ("peak", "bar", a.peak_pressure_bar, b.peak_pressure_bar, 0.1),
        ("water used", "mL", a.water_in_ml, b.water_in_ml, 0.5),
        ("strength", "%", a.tds_pct, b.tds_pct, 0.1),
        ("extraction", "%", a.extraction_yield_pct, b.extraction_yield_pct, 0.3),
    ):
        if was is not None and now is not None:
            yield from _number(what, unit, was, now, 1, least=least)


def _handling(alike: Sequence[_Both]) -> Iterator[Difference]:
    """Cups that were tasted at unlike ages, or one stirred and the other not."""
    for before, after in alike:
        ages = [age for age in (before.age_s, after.age_s) if age is not None]
        if len(ages) == 2 and abs(ages[1] - ages[0]) > MOST_APART_S:
            yield from _text("cup age", clock(ages[0]), clock(ages[1]))
            return
        if before.stirred != after.stirred:
            said = [("stirred" if cup.stirred else "not stirred") for cup in (before, after)]
            yield from _text("cup", said[0], said[1])
            return


def _tastes(alike: Sequence[_Both], found: Mapping[Served, Conclusions]) -> Iterator[Difference]:
    """Lines on which cups tasted alike differ significantly, as the mean of those who count; and
    the words that one cup got and the other did not."""
    for served, way in found.items():
        for contrast in way.differ:
            line = contrast.line
            both = [
                (before.scores[line], after.scores[line])
                for before, after in alike
                if (before.served, before.warmth) == (served, contrast.warmth)
                and before.taster in contrast.steps
            ]
            was, now = fmean(a for a, _ in both), fmean(b for _, b in both)
            digits = 0 if was.is_integer() and now.is_integer() else 1
            name = f"{BY_FIELD[line].name.lower()}, {contrast.warmth}"
            yield from _number(name, "", was, now, digits, least=0.0)
    for before, after in alike:
        yield from _words(before, after)


def _words(before: _Tasted, after: _Tasted) -> Iterator[Difference]:
    """Flavour words that one taster found in one cup and not in the other."""
    was, now = before.words, after.words
    if not was or not now:  # none given is not none there
        return
    gained = [word for word in now if word not in was]
    lost = [word for word in was if word not in now]
    said = [f"gained {', '.join(gained)}"] if gained else []
    said += [f"lost {', '.join(lost)}"] if lost else []
    if said:
        yield Difference("words", ", ".join(was), ", ".join(now), "; ".join(said))


def _alike(a: Sequence[TastedCup], b: Sequence[TastedCup]) -> Iterator[_Both]:
    """What was tasted the same way of both, so that the scores can be set side by side."""
    first, second = _by_way(a), _by_way(b)
    for way, before in first.items():
        if after := second.get(way):
            yield before, after


def _by_way(cups: Sequence[TastedCup]) -> dict[tuple[str, Warmth, Served], _Tasted]:
    """Cups by whose they are and how they were tasted; repeats of one way count once."""
    groups: dict[tuple[str, Warmth, Served], list[TastedCup]] = {}
    for cup in cups:
        key = (cup.taster, cup.tasting.warmth, cup.tasting.served)
        groups.setdefault(key, []).append(cup)
    return {way: _mean_of(way, group) for way, group in groups.items()}


def _mean_of(way: tuple[str, Warmth, Served], cups: Sequence[TastedCup]) -> _Tasted:
    scores: dict[str, list[int]] = {}
    for cup in cups:
        for line, points in cup.tasting.scores().items():
            scores.setdefault(line, []).append(points)
    ages = [cup.age_s for cup in cups if cup.age_s is not None]
    return _Tasted(
        *way,
        scores={line: fmean(given) for line, given in scores.items()},
        words=tuple(dict.fromkeys(word for cup in cups for word in cup.tasting.words)),
        age_s=fmean(ages) if ages else None,
        stirred=any(cup.stirred for cup in cups),
    )


def _text(what: str, a: str | None, b: str | None) -> Iterator[Difference]:
    if a != b:
        first, second = a or "not said", b or "not said"
        yield Difference(what, first, second, f"{what} {first}, then {second}")


def _number(
    what: str, unit: str, a: float | None, b: float | None, digits: int, *, least: float
) -> Iterator[Difference]:
    """A difference of at least `least`; smaller ones are not worth a word."""
    if a is None or b is None:
        if a is not b:
            known = [amount(x, unit, digits) if x is not None else "none" for x in (a, b)]
            yield Difference(what, known[0], known[1], f"{what} {known[0]}, then {known[1]}")
        return
    if abs(b - a) < least - 1e-9:
        return
    first, second = (amount(x, unit, digits) for x in (a, b))
    yield Difference(what, first, second, f"{what} {change(b - a, unit, digits)}")
