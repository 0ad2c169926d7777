"""What can be said of a bench while its five answers are given. Nothing is stored."""

from __future__ import annotations

from functools import lru_cache

from vapocline.core.base.document import Answer
from vapocline.core.begin.answers import Answers, CoffeeAnswer, GrinderAnswer, dial_of
from vapocline.core.begin.forecast import begin_forecast, bench_of
from vapocline.core.begin.narrowing import Narrowing, narrowings
from vapocline.core.coffee.coffee import days_since
from vapocline.core.coffee.grinder import setting_for
from vapocline.core.plan.grind_range import sizes_that_take
from vapocline.core.plan.styles.fit import DEFAULT_GRINDS_UM, StyleFit, fit, style_named
from vapocline.core.plan.styles.ranking import Ranked, ranked
from vapocline.core.profile.profile import Profile
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Members, Plan
from vapocline.desk.context import Context

SHOWN = 3  # styles to begin with
GRIND_MEMBERS = 64


class BeginForecast(Answer):
    """A plain shot on the bench as said so far, and how long its coffee has rested."""

    prediction: Prediction
    profile: Profile
    dose_g: float
    yield_g: float
    rest_days: float | None


class BeginStyle(Answer):
    """A style that suits, solved for the bench: its curve, why, and the grind to begin with: in
    `setting` of the grinder, 8 in 10 such coffees between `low` and `high`; None without one."""

    key: str
    name: str
    reason: str
    profile: Profile
    prediction: Prediction
    grind_um: float
    setting: float | None
    low: float | None
    high: float | None


def forecast_begin(context: Context, answers: Answers, members: Members = 1) -> BeginForecast:
    """A plain shot with what is known. Raises Refused."""
    rested = rested_days(context, answers.coffee)
    bench = bench_of(answers, rested)
    return BeginForecast.model_construct(
        prediction=_predicted(answers.model_dump_json(), rested, members),
        profile=bench.profile,
        dose_g=answers.dose_g,
        yield_g=answers.yield_g,
        rest_days=rested,
    )


@lru_cache(maxsize=64)
def _predicted(answers_json: str, rested: float | None, members: int) -> Prediction:
    return begin_forecast(Answers.model_validate_json(answers_json), rested, members)


def what_narrows(context: Context, answers: Answers) -> list[Narrowing]:
    """What would narrow the shot time most. Raises Refused."""
    return narrowings(answers, rested_days(context, answers.coffee))


def begin_styles(context: Context, answers: Answers) -> list[BeginStyle]:
    """The styles that suit the bench best, each solved for it. Raises Refused."""
    setup = bench_of(answers, rested_days(context, answers.coffee)).setup
    roast = None if answers.coffee is None else answers.coffee.roast
    best = ranked(setup, answers.yield_g, roast, {})[:SHOWN]
    return [_begin_style(one, answers, _solved(context, one.style.key, answers)) for one in best]


def solved_style(context: Context, answers: Answers, key: str) -> StyleFit:
    """A style solved for the bench. Raises Refused."""
    return _solved(context, key, answers)


def _solved(context: Context, key: str, answers: Answers) -> StyleFit:
    return _fitted(answers.model_dump_json(), rested_days(context, answers.coffee), key)


@lru_cache(maxsize=64)
def _fitted(answers_json: str, rested: float | None, key: str) -> StyleFit:
    answers = Answers.model_validate_json(answers_json)
    setup = bench_of(answers, rested).setup
    low, high = DEFAULT_GRINDS_UM
    if answers.grinder is not None:
        sizes = dial_of(answers.grinder)[1]
        low, high = min(sizes), max(sizes)
    return fit(style_named(key), setup, answers.yield_g, grinds_um=(low, high))


def _begin_style(one: Ranked, answers: Answers, found: StyleFit) -> BeginStyle:
    setting, low, high = grinds_to_begin_with(answers.grinder, found)
    return BeginStyle.model_construct(
        key=one.style.key,
        name=one.style.name,
        reason=one.reason,
        profile=found.profile,
        prediction=found.prediction,
        grind_um=found.grind_um,
        setting=setting,
        low=low,
        high=high,
    )


def grinds_to_begin_with(
    grinder: GrinderAnswer | None, found: StyleFit
) -> tuple[float | None, float | None, float | None]:
    """The setting for a solved style, and those that 8 in 10 such coffees would need."""
    if grinder is None:
        return None, None, None
    settings, sizes = dial_of(grinder)
    plan = Plan(setup=found.setup, profile=found.profile, members=GRIND_MEMBERS)
    finest, coarsest = min(sizes), max(sizes)
    ends = [min(max(one, finest), coarsest) for one in sizes_that_take(plan)]
    digits = 0 if grinder.stepped else 1
    middle, *others = (
        round(setting_for(settings, sizes, one), digits) for one in (found.grind_um, *ends)
    )
    return middle, min(others), max(others)


def rested_days(context: Context, coffee: CoffeeAnswer | None) -> float | None:
    """Days since roasting, None where that is not known; a date to come counts as today."""
    if coffee is None:
        return None
    return days_since(coffee.roasted_on, context.today())
