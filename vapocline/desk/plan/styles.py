"""Styles to start from, fitted to the bench."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import fmean

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import NotFoundError
from vapocline.core.plan.start_water import StartWater, start_water
from vapocline.core.plan.styles.catalogue import School
from vapocline.core.plan.styles.fit import fit, style_named
from vapocline.core.plan.styles.ranking import Liked, Ranked, ranked
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import grinds_of, plan_for, setting_of
from vapocline.desk.context import Context
from vapocline.store.database import transaction
from vapocline.store.habits import read_liked_styles


class StyleWords(Answer):
    """A style as one reads of it before choosing it: `reason` is why it stands where it does for
    the bench, `against` what others hold against it."""

    key: str
    name: str
    purpose: str
    roasts: str
    drink: str
    expect: str
    ratio: float
    schools: list[School]
    reason: str
    against: str


class SetupChange(Answer):
    """What on the bench would change with it; None stays."""

    dose_g: float | None = None
    yield_g: float | None = None
    grind_setting: float | None = None
    water_c: float | None = None


class FittedStyle(Answer):
    """A style solved for the bench, what was solved in words, what else it wants of the bench."""

    key: str
    profile: Profile
    words: list[str]
    grind_um: float
    change: SetupChange
    prediction: Prediction


def list_styles(context: Context) -> list[StyleWords]:
    """Every style, the one that suits the bench best first. Raises Refused."""
    bench = read_bench(context)
    plan, _assumed = plan_for(bench, Profile(name="any"))
    roast = None if bench.coffee is None else bench.coffee.roast
    with transaction(context.sessions) as session:
        liked = _liked(read_liked_styles(session))
    return [_words(one) for one in ranked(plan.setup, bench.yield_g, roast, liked)]


def _liked(given: Sequence[tuple[str | None, float]]) -> dict[str, Liked]:
    """By how much each style was liked more than all else."""
    found = {}
    for key in {style for style, _points in given if style is not None}:
        own = [points for style, points in given if style == key]
        others = [points for style, points in given if style != key]
        if others:
            found[key] = Liked(fmean(own) - fmean(others), len(own))
    return found


def _words(one: Ranked) -> StyleWords:
    style = one.style
    return StyleWords(
        key=style.key,
        name=style.name,
        purpose=style.purpose,
        roasts=style.roasts,
        drink=style.drink,
        expect=style.expect,
        ratio=style.ratio,
        schools=list(style.schools),
        reason=one.reason,
        against=style.against,
    )


def propose_water(context: Context, profile: Profile) -> StartWater | None:
    """The water the profile is meant for, or else to begin with for the bench's roast before it is
    dialled in; None where it is set so. Raises Refused where the profile cannot run."""
    bench = read_bench(context)
    if bench.puck is not None:
        return None
    plan, _assumed = plan_for(bench, profile)
    known = bench.coffee is None or bench.dialled_in or bench.learnt_shots > 0
    return start_water(plan, None if known or bench.coffee is None else bench.coffee.roast)


def fit_style(context: Context, key: str, *, regrind: bool) -> FittedStyle:
    """Solve a style for what stands on the bench. Raises NotFoundError, Refused."""
    try:
        style = style_named(key)
    except StopIteration:
        raise NotFoundError(f"There is no style {key}.") from None
    bench = read_bench(context)
    empty = Profile(name=style.name)
    plan, _assumed = plan_for(bench, empty)
    fitted = fit(style, plan.setup, bench.yield_g, regrind=regrind, grinds_um=grinds_of(bench))
    setting = setting_of(bench, fitted.grind_um)
    return FittedStyle(
        key=key,
        profile=fitted.profile,
        words=fitted.words,
        grind_um=fitted.grind_um,
        change=SetupChange(
            yield_g=fitted.yield_g if fitted.yield_g != bench.yield_g else None,
            grind_setting=setting if setting != bench.grind_setting else None,
        ),
        prediction=fitted.prediction,
    )
