"""Two shots side by side: what differs between them, and whether that can be attributed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from vapocline.core.profile.differences import profile_differences
from vapocline.core.profile.profile import Profile
from vapocline.core.shot.result import Result
from vapocline.core.taste.as_run import (
    AsRun,
    corrections_apart,
    hands_apart,
    stops_apart,
)
from vapocline.core.taste.tasting import ATTRIBUTES, Served, Tasting, Warmth

# More steps than these between two profiles of one name, or of two names, are no list to read.
MOST_STEPS, MOST_STEPS_APART = 8, 4


@dataclass(frozen=True)
class ShotRecipe:
    """What went into a shot besides its profile."""

    coffee: str | None
    rest_days: float | None
    dose_g: float
    yield_g: float
    basket: str | None
    grinder: str | None
    grind_setting: float | None
    machine: str
    water_c: float


@dataclass(frozen=True)
class Pulled:
    """One shot as a comparison needs it; `name` is what a sentence calls it."""

    name: str
    recipe: ShotRecipe
    run: AsRun
    result: Result
    tastings: Sequence[Tasting] = field(default_factory=tuple)


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
    """One cup of each shot, tasted the same way: every score given, by attribute."""

    warmth: Warmth
    served: Served
    first: dict[str, int]
    second: dict[str, int]


@dataclass(frozen=True)
class Comparison:
    """What was done differently, what came of it, and how it tasted; `caution` if confounded."""

    done: list[Difference]
    came: list[Difference]
    tasted: list[Difference]
    cups: list[Cups]
    verdict: str
    caution: str | None


def compare(first: Pulled, second: Pulled) -> Comparison:
    """Name what differs between two shots, causes separate from results."""
    done = [
        *_recipe(first.recipe, second.recipe),
        *_profile(first.run.profile, second.run.profile),
        *_hands(first.run, second.run),
    ]
    return Comparison(
        done=done,
        came=list(_results(first.result, second.result)),
        tasted=list(_tastes(first.tastings, second.tastings)),
        cups=[
            Cups(a.warmth, a.served, a.scores(), b.scores())
            for a, b in _alike(first.tastings, second.tastings)
        ],
        verdict=_verdict(first, second),
        caution=_caution(done),
    )


def _verdict(first: Pulled, second: Pulled) -> str:
    """Which of the two was liked more, by the cups tasted alike."""
    scores = [
        (before.liking, after.liking, before)
        for before, after in _alike(first.tastings, second.tastings)
        if before.liking is not None and after.liking is not None
    ]
    if not scores:
        return "Which is better is unknown until both are scored for liking, tasted alike."
    cups = "; ".join(f"{now} against {was}, {cup.warmth}" for was, now, cup in scores)
    step = sum(now - was for was, now, _ in scores)
    if step == 0:
        return f"Both were liked as much: {cups}."
    better = second if step > 0 else first
    name = better.name
    if first.name == second.name:
        name = f"The {'second' if better is second else 'first'}"
    return f"{name} was liked more: {cups}."


def _caution(done: Sequence[Difference]) -> str | None:
    """What keeps the results from being put down to one cause; None where nothing does."""
    causes = list(dict.fromkeys(difference.what for difference in done))
    if not causes:
        return "Nothing was done differently: these differences are the spread of repeats."
    if len(causes) > 1:
        named = f"{', '.join(causes[:-1])} and {causes[-1]}"
        return f"{named.capitalize()} changed together; the result has no single cause."
    if any(difference.parts for difference in done):
        return "Two different profiles: the result has no single cause."
    if len(done) > 1:
        return f"The {causes[0]} changed in {len(done)} places; try one of them alone."
    return None


def _recipe(a: ShotRecipe, b: ShotRecipe) -> Iterator[Difference]:
    yield from _text("coffee", a.coffee, b.coffee)
    if a.coffee == b.coffee:
        yield from _number("rest", "days", a.rest_days, b.rest_days, 0, least=2)
    yield from _number("dose", "g", a.dose_g, b.dose_g, 1, least=0.1)
    yield from _number("yield goal", "g", a.yield_g, b.yield_g, 1, least=0.1)
    yield from _text("basket", a.basket, b.basket)
    yield from _text("grinder", a.grinder, b.grinder)
    if a.grinder == b.grinder:
        yield from _number("grind", "", a.grind_setting, b.grind_setting, 2, least=0.01)
    yield from _text("machine", a.machine, b.machine)
    yield from _number("water", "°C", a.water_c, b.water_c, 1, least=0.1)


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


def _tastes(a: Sequence[Tasting], b: Sequence[Tasting]) -> Iterator[Difference]:
    """Scores of cups tasted alike: the same warmth, served the same way."""
    for before, after in _alike(a, b):
        was, now = before.scores(), after.scores()
        for attribute in ATTRIBUTES:
            if attribute.field in was and attribute.field in now:
                yield from _number(
                    f"{attribute.name.lower()}, {before.warmth}",
                    "",
                    was[attribute.field],
                    now[attribute.field],
                    0,
                    least=1,
                )


def _alike(a: Sequence[Tasting], b: Sequence[Tasting]) -> Iterator[tuple[Tasting, Tasting]]:
    """Pairs of cups that were tasted the same way, so that their scores can be set side by side."""
    for before in a:
        for after in b:
            if (before.warmth, before.served) == (after.warmth, after.served):
                yield before, after


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
            known = [f"{x:.{digits}f} {unit}".strip() if x is not None else "none" for x in (a, b)]
            yield Difference(what, known[0], known[1], f"{what} {known[0]}, then {known[1]}")
        return
    if abs(b - a) < least - 1e-9:
        return
    first, second = (f"{x:.{digits}f} {unit}".strip() for x in (a, b))
    step = f"{b - a:+.{digits}f} {unit}".strip()
    yield Difference(what, first, second, f"{what} {step}")
