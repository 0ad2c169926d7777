"""What helps to design a shot on the bench: styles, suggestions, goals, sliders and what-ifs."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from vapocline.core.check import refuse_unrunnable
from vapocline.core.grind import setting_for
from vapocline.core.plan import Plan
from vapocline.core.problems import NotFoundError, Problem, Refused
from vapocline.core.profile import Profile
from vapocline.core.puck.adjustable import adjustables_of
from vapocline.core.puck.answer import Answer, Prediction
from vapocline.core.puck.goal import Allowed, Found, Goal, Want, seek
from vapocline.core.puck.predict import predict
from vapocline.core.simple import Slid, Sliders, slide
from vapocline.core.styles.catalogue import STYLES, School, Style
from vapocline.core.styles.fit import DEFAULT_GRINDS_UM, fit, style_named
from vapocline.core.suggest import Ask, Suggested, suggest
from vapocline.core.whatif import Variant, what_if
from vapocline.desk.bench import Bench, plan_for, read_bench
from vapocline.desk.context import Desk
from vapocline.desk.profiles import read_history


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


class AdjustableOut(Answer):
    """One number a goal may move."""

    what: str
    name: str
    value: float
    step: float
    unit: str


class Sought(Answer):
    """What a goal found: the profile and the change of the bench, and the shot it should give."""

    found: Found
    change: SetupChange
    prediction: Prediction


class GoalAsked(BaseModel):
    """What is wanted of a profile on the bench, and the one or two numbers that may move."""

    model_config = ConfigDict(extra="forbid")

    profile: Profile
    wants: tuple[Want, ...]
    moves: tuple[Allowed, ...]


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


def fit_style(desk: Desk, key: str, *, regrind: bool) -> FittedStyle:
    """Solve a style for what stands on the bench. Raises NotFoundError, Refused."""
    try:
        style = style_named(key)
    except StopIteration:
        raise NotFoundError(f"There is no style {key}.") from None
    bench = read_bench(desk)
    empty = Profile(name=style.name)
    plan, _assumed = plan_for(bench, empty)
    fitted = fit(style, plan.setup, bench.yield_g, regrind=regrind, grinds_um=_grinds_of(bench))
    setting = _setting(bench, fitted.grind_um)
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


def _grinds_of(bench: Bench) -> tuple[float, float]:
    if bench.grinder is None:
        return DEFAULT_GRINDS_UM
    return min(bench.grinder.grind_um), max(bench.grinder.grind_um)


def _setting(bench: Bench, size_um: float) -> float | None:
    if bench.grinder is None:
        return None
    return round(setting_for(bench.grinder.settings, bench.grinder.grind_um, size_um), 1)


def ask_suggestion(desk: Desk, profile: Profile, ask: Ask) -> Suggested:
    """Work out a suggestion for a draft on the bench. Raises Refused."""
    return suggest(_plan(desk, profile), ask)


def what_if_on_bench(desk: Desk, profile: Profile) -> list[Variant]:
    """A draft under a little more or less of everything. Raises Refused."""
    return what_if(_plan(desk, profile))


def slide_on_bench(desk: Desk, profile: Profile, sliders: Sliders) -> Slid:
    """Move a draft by the simple sliders. Raises Refused."""
    return slide(_plan(desk, profile), sliders)


def list_adjustables(desk: Desk, profile: Profile) -> list[AdjustableOut]:
    """Every number of a draft on the bench that a goal may move. Raises Refused."""
    plan = _plan(desk, profile)
    refuse_unrunnable(plan)
    return [
        AdjustableOut(what=one.path, name=one.name, value=one.value, step=one.step, unit=one.unit)
        for one in adjustables_of(plan)
        if one.path != "setup.rest_days"  # nobody turns that
    ]


def seek_on_bench(desk: Desk, asked: GoalAsked) -> Sought:
    """Find what brings a draft on the bench to what is wanted. Raises Refused."""
    bench = read_bench(desk)
    plan, _assumed = plan_for(bench, asked.profile)
    if not asked.wants or not asked.moves:
        field = "wants" if not asked.wants else "moves"
        raise Refused([Problem(field, "none", "at least one")])
    moves = tuple(_within_reach(bench, move) for move in asked.moves)
    found = seek(Goal(plan=plan, wants=asked.wants, moves=moves))
    values = {move.what: move.after for move in found.moves}
    grind = values.get("setup.grind_um")
    return Sought(
        found=found,
        change=SetupChange(
            dose_g=values.get("setup.dose_g"),
            water_c=values.get("setup.water_c"),
            grind_setting=None if grind is None else _setting(bench, grind),
        ),
        prediction=predict(found.plan),
    )


def _within_reach(bench: Bench, move: Allowed) -> Allowed:
    """A grind within what the grinder gives, where nothing else was said."""
    if move.what != "setup.grind_um" or move.low is not None or move.high is not None:
        return move
    low, high = _grinds_of(bench)
    return Allowed(what=move.what, low=low, high=high)


class RecipeWithin(Answer):
    """What the dose's tolerance does to a profile's newest version, and where to stop it."""

    profile_name: str
    shortest_s: float
    longest_s: float
    stop_at_g: float | None


def recipe_within(desk: Desk, profile_id: int) -> RecipeWithin:
    """A saved profile at both ends of the dose's tolerance. Raises NotFoundError, Refused."""
    profile = read_history(desk, profile_id).newest.profile
    bench = read_bench(desk)
    plan, _assumed = plan_for(bench, profile)
    dose, off = bench.dose_g, bench.dose_tolerance_g
    doses = [min(40.0, max(5.0, dose + by)) for by in (-off, off)]
    ends = [
        predict(
            plan.model_copy(update={"setup": plan.setup.model_copy(update={"dose_g": one})})
        ).shot_time_s.value
        or 0.0
        for one in doses
    ]
    here = predict(plan)
    stop, cup = profile.stop.cup_g, here.cup_g.value
    stop_at = None
    if here.stopped_on == "cup_g" and stop is not None and cup is not None:
        stop_at = round(bench.yield_g - (cup - stop), 1)
    return RecipeWithin(
        profile_name=profile.name,
        shortest_s=min(ends),
        longest_s=max(ends),
        stop_at_g=stop_at,
    )


def _plan(desk: Desk, profile: Profile) -> Plan:
    return plan_for(read_bench(desk), profile)[0]
