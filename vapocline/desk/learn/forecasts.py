"""Forecasts as they were made before their shots, beside what happened: never made again."""

from __future__ import annotations

from datetime import datetime

from pydantic import ValidationError
from sqlalchemy.orm import Session

from vapocline.core.base.document import Answer
from vapocline.core.puck.answer import Figure
from vapocline.desk.context import Context
from vapocline.store import shelf
from vapocline.store.database import transaction
from vapocline.store.learn import PastForecast, Together, read_past_forecasts

MOST = 20


class ForecastLine(Answer):
    """Forecast and measured time of a shot, s; the forecast had learnt from `learnt_shots`."""

    shot_id: int
    started_at: datetime
    profile: str
    learnt_shots: int
    value: float
    p10: float
    p90: float
    measured: float

    @property
    def within(self) -> bool:
        """Whether it fell into the range."""
        return self.p10 <= self.measured <= self.p90


class ForecastRecord(Answer):
    """The last forecasts of what stands on the bench, the newest first, of shots that ran as
    planned; how many of them fell `within` their range."""

    within: int
    lines: list[ForecastLine]


def read_forecast_record(context: Context, limit: int = MOST) -> ForecastRecord:
    """How forecasts for the coffee, grinder and machine on the bench have fared."""
    with transaction(context.sessions) as session:
        bench = shelf.read_bench(session, context.bench_id)
        if bench.coffee_id is None or bench.grinder_id is None:
            return ForecastRecord(within=0, lines=[])
        together = Together(bench.coffee_id, bench.grinder_id, bench.machine_id)
        return forecasts_together(session, together, limit)


def forecasts_together(session: Session, together: Together, limit: int = MOST) -> ForecastRecord:
    """How forecasts for a coffee, grinder and machine have fared."""
    found = [_line(one) for one in read_past_forecasts(session, together, limit=limit)]
    lines = [line for line in found if line is not None]
    return ForecastRecord(within=sum(line.within for line in lines), lines=lines)


def _line(one: PastForecast) -> ForecastLine | None:
    """None where no range was given."""
    try:
        time = Figure.model_validate(one.shot_time_s)
    except ValidationError:
        return None
    if time.value is None or time.p10 is None or time.p90 is None or time.p10 == time.p90:
        return None
    return ForecastLine(
        shot_id=one.shot_id,
        started_at=one.started_at,
        profile=one.profile,
        learnt_shots=one.learnt_shots or 0,
        value=time.value,
        p10=time.p10,
        p90=time.p90,
        measured=round(one.measured, 1),
    )
