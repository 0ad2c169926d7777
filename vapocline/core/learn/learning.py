"""Learning from a coffee's shots by a grinder on a machine: what moved, whether it predicts what
was left out better than its rivals, and what may be used of it."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from itertools import combinations
from statistics import NormalDist
from typing import Literal, NamedTuple

from vapocline.core.base.document import Answer, Versioned, nested_parts_changed
from vapocline.core.learn.fit import (
    PULL,
    VARIANTS,
    Fit,
    Made,
    VariantOf,
    fit,
    free_names,
    made_of,
)
from vapocline.core.learn.held_out import Guess, guess, guesses
from vapocline.core.learn.judging import (
    HELD_OUT_FROM,
    Rival,
    Scores,
    Verdict,
    as_last_time,
    judged,
    scores,
)
from vapocline.core.learn.logged import LoggedShot, counts
from vapocline.core.learn.observed import Observed, observed
from vapocline.core.puck.knowledge import Knowledge, Learnt
from vapocline.core.puck.unknowns import UNKNOWNS, Unknown, UnknownLevel

MOST_SHOTS = 12  # the newest: older ones teach little more
# But for a measured strength, without which nothing is known of what was dissolved: so many of them
# are kept, in the place of the oldest of the newest.
KEPT_STRENGTHS = 3
OUTLIER = 2.5  # of the usual difference from pull to pull
PULLS_WEIGHT, HELD_WEIGHT = 5, 8  # shots that what was assumed counts as
RANGE_SDS = 2.563  # from p10 to p90 of a normal distribution
FAR_SDS = 3.0  # what was left out and lies further off counts as so far
TIME_FOLLOWS = 0.75  # how far ln-time follows ln-permeability, nearly
LEAST_MODEL_SPREAD, LEAST_MODEL_SOLIDS = 0.02, 0.008
# Pucks of one way differ too, of ln-unevenness, from pull to pull; ours.
PULL_UNEVENNESS = 0.25
LEAST_SHOTS_EACH = 3  # before two preparations, or two baskets, are compared
FALSE_CLAIMS = 0.05  # how often a difference may be claimed where there is none


class LeftOut(Answer):
    """A shot that taught nothing, and why."""

    shot: str
    because: str


class Outlier(Answer):
    """A shot that ran unlike the others, by so much permeability, %; it counts less."""

    shot: str
    permeability_pct: float


class Parameter(Answer):
    """One unknown: how far it lies off what is assumed, before and after; factors by logarithm."""

    name: str
    level: UnknownLevel
    prior: float
    prior_sd: float
    value: float
    sd: float


class VariantTaught(Answer):
    """How far one preparation's unevenness, or one basket's permeability, lies off what is assumed,
    by logarithm, and from how many shots."""

    name: str
    shots: int
    value: float
    sd: float


class VariantComparison(Answer):
    """How much more uneven one preparation was than another, or how much more easily one basket let
    water through, by logarithm; `clear` where that is more than chance."""

    more: str
    less: str
    value: float
    sd: float
    clear: bool


class VariantsTaught(Answer):
    """What was learnt of the preparations, or of the baskets, and every two of them compared."""

    variants: tuple[VariantTaught, ...] = ()
    comparisons: tuple[VariantComparison, ...] = ()


class Learning(Versioned):
    """What shots taught. `knowledge` is what predictions take where it is `used`, of pucks made in
    whatever way; `made` gives that of one."""

    UPGRADES = (nested_parts_changed,)

    format: Literal["vapocline/learnt"] = "vapocline/learnt"
    version: Literal[2] = 2
    shots: int
    counted: list[str]
    left_out: list[LeftOut]
    outliers: list[Outlier]
    parameters: list[Parameter]
    preparations: VariantsTaught = VariantsTaught()  # of unevenness
    baskets: VariantsTaught = VariantsTaught()  # of permeability
    held_out: Scores | None
    rivals: dict[Rival, Scores]
    used: bool
    because: str
    knowledge: Knowledge

    def variants(self, of: VariantOf) -> VariantsTaught:
        """What was learnt of preparations, or of baskets."""
        return self.preparations if of == "preparation" else self.baskets

    def made(self, made: Made) -> Knowledge:
        """What predictions take of a puck made in one way."""
        found = self.knowledge
        for of, name in made.items():
            found = _made(found, of, name, self.variants(of).variants, len(self.counted))
        return found


class _Trial(NamedTuple):
    """A fit and how it predicts what was left out of it."""

    fit: Fit
    guesses: list[Guess]


# Called with the progress, from 0 to 1.
Report = Callable[[float], None]
READ_AT, FITTED_AT, TRIED_AT = 0.15, 0.5, 0.8  # measured on five shots


def learn(
    shots: Sequence[LoggedShot],
    start: Knowledge | None = None,
    report: Report = lambda _share: None,
) -> Learning:
    """Learn from shots in order of time, from what was believed before. Raises Cancelled."""
    before = start or Knowledge()
    looked_at = [(shot, counts(shot)) for shot in shots]
    counted = to_learn_from([shot for shot, why in looked_at if why is None])
    said = _Said(
        before,
        counted,
        [LeftOut(shot=shot.name, because=why) for shot, why in looked_at if why is not None],
    )
    if not counted:
        return _answer(said, None, {}, Verdict(False, "No shot counts yet."))
    ready = [observed(shot) for shot in counted]
    report(READ_AT)
    found = fit(ready, before, free_names(ready))
    report(FITTED_AT)
    whole = _trial(found, counted)
    report(TRIED_AT)
    by_plan = sum(shot.by_plan for shot in counted)
    if by_plan < HELD_OUT_FROM:
        because = f"With {_shots(by_plan)} run by plan the fit cannot be tested on others yet."
        return _answer(said, whole, {}, Verdict(True, because))
    simple = _trial(fit(ready, before, _simplest_names(ready)), counted)
    rivals: dict[Rival, list[Guess]] = {
        "nothing": [one for shot in counted for one in guess(shot, None)],
        "permeability": simple.guesses,
        "last_time": as_last_time(counted),
    }
    verdict = judged(whole.guesses, rivals)
    return _answer(said, simple if verdict.simple else whole, rivals, verdict)


def to_learn_from(counted: Sequence[LoggedShot]) -> list[LoggedShot]:
    """The newest, and the newest of the older ones whose strength was measured where the newest
    have few."""
    older, newest = list(counted[:-MOST_SHOTS]), list(counted[-MOST_SHOTS:])
    lacks = KEPT_STRENGTHS - sum(shot.tds_pct is not None for shot in newest)
    kept = [shot for shot in older if shot.tds_pct is not None][-lacks:] if lacks > 0 else []
    unmeasured = [at for at, shot in enumerate(newest) if shot.tds_pct is None]
    given_up = set(unmeasured[: len(kept)])
    return [*kept, *(shot for at, shot in enumerate(newest) if at not in given_up)]


def simplest(shots: Sequence[LoggedShot]) -> Knowledge:
    """What shots that count teach if only the permeability is learnt. Raises Cancelled."""
    ready = [observed(shot) for shot in shots]
    return _knowledge(_trial(fit(ready, Knowledge(), _simplest_names(ready)), shots))


class _Said(NamedTuple):
    """What learning began with."""

    before: Knowledge
    counted: Sequence[LoggedShot]
    left_out: list[LeftOut]


def _trial(found: Fit, counted: Sequence[LoggedShot]) -> _Trial:
    return _Trial(found, guesses(found, counted) if len(counted) > 1 else [])


def _simplest_names(ready: Sequence[Observed]) -> tuple[str, ...]:
    """How the puck passes water, and with a measured strength what only that teaches."""
    strength = any(one.tds_pct is not None for one in ready)
    return (PULL, *(one.name for one in UNKNOWNS if strength and one.needs_strength))


def _answer(
    said: _Said, chosen: _Trial | None, rivals: dict[Rival, list[Guess]], verdict: Verdict
) -> Learning:
    before, counted = said.before, said.counted
    taught = before if chosen is None else _knowledge(chosen)
    return Learning(
        shots=len(counted) + len(said.left_out),
        counted=[shot.name for shot in counted],
        left_out=said.left_out,
        outliers=[] if chosen is None else _outliers(chosen.fit, counted),
        parameters=[_parameter(one, before, taught) for one in UNKNOWNS],
        preparations=_variants(chosen, counted, "preparation"),
        baskets=_variants(chosen, counted, "basket"),
        held_out=scores(chosen.guesses) if chosen is not None and chosen.guesses else None,
        rivals={name: scores(theirs) for name, theirs in rivals.items()},
        used=verdict.used,
        because=verdict.because,
        knowledge=taught,
    )


def _parameter(unknown: Unknown, before: Knowledge, after: Knowledge) -> Parameter:
    was, now = before.of(unknown.name), after.of(unknown.name)
    return Parameter(
        name=unknown.name, level=unknown.level,
        prior=was.mean, prior_sd=was.sd, value=now.mean, sd=now.sd,
    )  # fmt: skip


def _variants(
    chosen: _Trial | None, counted: Sequence[LoggedShot], of: VariantOf
) -> VariantsTaught:
    if chosen is None or VARIANTS[of].unknown not in chosen.fit.names:
        return VariantsTaught()
    taught = []
    for name, shots in _counts_of(counted, of).items():
        value, sd = chosen.fit.of_variant(of, name)
        taught.append(VariantTaught(name=name, shots=shots, value=value, sd=sd))
    return VariantsTaught(
        variants=tuple(taught), comparisons=compare_variants(chosen.fit, counted, of)
    )


def _counts_of(counted: Sequence[LoggedShot], of: VariantOf) -> dict[str, int]:
    """How many shots were of each that somebody named."""
    named = [name for one in counted if (name := made_of(one)[of])]
    return dict(sorted(Counter(named).items()))


def compare_variants(
    found: Fit, counted: Sequence[LoggedShot], of: VariantOf
) -> tuple[VariantComparison, ...]:
    """Compare every two preparations, or baskets, with enough shots each. All comparisons together
    claim a difference by chance no more often than one would (Bonferroni)."""
    if of not in found.varied:
        return ()
    counts = _counts_of(counted, of)
    pairs = list(combinations([one for one in counts if counts[one] >= LEAST_SHOTS_EACH], 2))
    return tuple(_compared(found, counts, of, pair, len(pairs)) for pair in pairs)


def _compared(
    found: Fit, counts: Mapping[str, int], of: VariantOf, pair: tuple[str, str], pairs: int
) -> VariantComparison:
    off, sd = found.difference(of, *pair)
    # A pull's own permeability is fitted; its own unevenness is not.
    pull = PULL_UNEVENNESS if of == "preparation" else 0.0
    sd = math.hypot(sd, pull * math.sqrt(sum(1 / counts[one] for one in pair)))
    more, less = pair if off >= 0 else pair[::-1]
    clear = abs(off) > NormalDist().inv_cdf(1 - FALSE_CLAIMS / 2 / pairs) * sd
    return VariantComparison(more=more, less=less, value=abs(off), sd=sd, clear=clear)


def _made(
    knowledge: Knowledge, of: VariantOf, name: str, taught: Sequence[VariantTaught], counted: int
) -> Knowledge:
    """Knowledge of pucks of one variant; wider for one never used where all were of another."""
    unknown, spread = VARIANTS[of]
    known = next((variant for variant in taught if variant.name == name), None)
    if known is not None:
        return _with(knowledge, unknown, known.value, known.sd)
    if name and len(taught) == 1 and taught[0].shots == counted:
        was = knowledge.of(unknown)
        return _with(knowledge, unknown, was.mean, math.hypot(was.sd, spread))
    return knowledge


def _with(knowledge: Knowledge, unknown: str, mean: float, sd: float) -> Knowledge:
    """The same knowledge with another of its unknowns, as far as the others go with it."""
    own = Learnt(name=unknown, mean=round(mean, 5), sd=round(sd, 5))
    learnt = tuple(own if one.name == unknown else one for one in knowledge.learnt)
    return knowledge.model_copy(update={"learnt": learnt})


def _outliers(found: Fit, counted: Sequence[LoggedShot]) -> list[Outlier]:
    """Pulls that ran unlike the others of the same coffee."""
    if len(counted) < HELD_OUT_FROM:
        return []
    far = OUTLIER * found.start.pull_spread
    return [
        Outlier(shot=shot.name, permeability_pct=round(100 * math.expm1(own), 1))
        for shot, (own, _sd) in zip(counted, found.pulls(), strict=True)
        if abs(own) > far
    ]


def _knowledge(trial: _Trial) -> Knowledge:
    """What was learnt, with its spreads re-estimated: how pulls differ, what the model misses."""
    knowledge, start = trial.fit.knowledge, trial.fit.start
    pulls = [own**2 + sd**2 for own, sd in trial.fit.pulls()]
    pull_var = (PULLS_WEIGHT * start.pull_spread**2 + sum(pulls)) / (PULLS_WEIGHT + len(pulls))
    times = [_as_ln(one, one.measured * TIME_FOLLOWS) for one in trial.guesses
             if one.figure == "shot_time_s"]  # fmt: skip
    yields = [_as_ln(one, one.measured) for one in trial.guesses
              if one.figure == "extraction_yield_pct"]  # fmt: skip
    return knowledge.model_copy(
        update={
            "pull_spread": round(math.sqrt(pull_var), 4),
            "model_spread": _widened(start.model_spread, times, LEAST_MODEL_SPREAD),
            "model_solids": _widened(start.model_solids, yields, LEAST_MODEL_SOLIDS),
        }
    )


def _as_ln(one: Guess, unit: float) -> tuple[float, float]:
    """How far a guess was off, and how far it may be by its range, over a unit."""
    return one.off / unit, (one.high - one.low) / RANGE_SDS / unit


def _widened(spread: float, errors: Sequence[tuple[float, float]], least: float) -> float:
    """The model's own error, so that ranges are as wide as what was left out says; the assumed one
    counts like that number of shots."""
    more = sum(min(off**2, FAR_SDS**2 * wide**2) - wide**2 for off, wide in errors)
    var = spread**2 + more / (HELD_WEIGHT + len(errors))
    return round(math.sqrt(max(least**2, var)), 4)


def _shots(count: int) -> str:
    return "one shot" if count == 1 else f"{count} shots"
