"""Styles to start from, fitted to the bench."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.base.problems import NotFoundError
from vapocline.core.plan.styles.catalogue import STYLES, School, Style
from vapocline.core.plan.styles.fit import fit, style_named
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.desk.bench.bench import read_bench
from vapocline.desk.bench.setup import grinds_of, plan_for, setting_of
from vapocline.desk.context import Context


class StyleWords(Answer):
    """A style as one reads of it before choosing it."""

    key: str
    name: str
    purpose: str
    roasts: str
    drink: str
    expect: str
    ratio: float
    schools: list[School]


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


def list_styles() -> list[StyleWords]:
    """Every style, in the order of the shelf."""
    return [_words(style) for style in STYLES]


def _words(style: Style) -> StyleWords:
    return StyleWords(
        key=style.key,
        name=style.name,
        purpose=style.purpose,
        roasts=style.roasts,
        drink=style.drink,
        expect=style.expect,
        ratio=style.ratio,
        schools=list(style.schools),
    )


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
