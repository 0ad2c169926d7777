"""What if: the same profile with one thing about the coffee, dose or water a little different."""

from __future__ import annotations

from vapocline.core.base.document import Answer
from vapocline.core.base.quantities import RANGES
from vapocline.core.puck.answer import Prediction
from vapocline.core.puck.plan import Plan, Setup
from vapocline.core.puck.predict import predict
from vapocline.core.puck.ranges import side_by_side

EVERY = 2  # samples: a small picture needs no more
VARIANTS: tuple[tuple[str, str, float], ...] = (
    ("grind_um", "finer", -10.0),
    ("grind_um", "coarser", +10.0),
    ("dose_g", "less coffee", -0.5),
    ("dose_g", "more coffee", +0.5),
    ("rest_days", "fresher", -5.0),
    ("rest_days", "older", +7.0),
    ("water_c", "cooler", -2.0),
    ("water_c", "hotter", +2.0),
)
UNITS = {"grind_um": "µm", "dose_g": "g", "rest_days": "days", "water_c": "°C"}


class Variant(Answer):
    """One thing changed: from what to what, and what the shot then does; curves thinned out."""

    what: str
    name: str
    before: float
    after: float
    unit: str
    shot_time_change_s: float | None
    extraction_yield_change_points: float | None
    tds_change_points: float | None
    shot_time_s: float | None
    extraction_yield_pct: float | None
    time_s: list[float]
    pressure_bar: list[float]
    cup_out_ml_s: list[float]


def what_if(plan: Plan) -> list[Variant]:
    """Each variant that stays in range. Raises Refused where the plan cannot run."""
    plan = plan.model_copy(update={"members": 1})
    here = predict(plan)
    changed = [
        (what, name, by, setup)
        for what, name, by in VARIANTS
        if (setup := _changed(plan.setup, what, by)) is not None
    ]
    shots = side_by_side(lambda one: predict(plan.model_copy(update={"setup": one[3]})), changed)
    return [
        _variant((what, name), (plan.setup, setup), here, shot)
        for (what, name, _by, setup), shot in zip(changed, shots, strict=True)
    ]


def _changed(setup: Setup, what: str, by: float) -> Setup | None:
    """The setup with one thing changed within its range; None where it stands at its end."""
    bounds, now = RANGES[what], float(getattr(setup, what))
    value = round(min(bounds.high, max(bounds.low, now + by)), 1)
    return None if value == now else setup.model_copy(update={what: value})


def _variant(
    named: tuple[str, str], setups: tuple[Setup, Setup], here: Prediction, shot: Prediction
) -> Variant:
    (what, name), (before, after) = named, setups
    stop = shot.shot_time_s.value or 0.0
    series = shot.series
    kept = [i for i, t in enumerate(series.time_s) if t <= stop][::EVERY]
    return Variant(
        what=what,
        name=name,
        before=float(getattr(before, what)),
        after=float(getattr(after, what)),
        unit=UNITS[what],
        shot_time_change_s=_change(here.shot_time_s.value, shot.shot_time_s.value),
        extraction_yield_change_points=_change(
            here.extraction_yield_pct.value, shot.extraction_yield_pct.value
        ),
        tds_change_points=_change(here.tds_pct.value, shot.tds_pct.value),
        shot_time_s=shot.shot_time_s.value,
        extraction_yield_pct=shot.extraction_yield_pct.value,
        time_s=[series.time_s[i] for i in kept],
        pressure_bar=[series.pressure_bar[i] for i in kept],
        cup_out_ml_s=[series.cup_out_ml_s[i] for i in kept],
    )


def _change(was: float | None, now: float | None) -> float | None:
    return None if was is None or now is None else round(now - was, 1)
