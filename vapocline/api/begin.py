"""Routes of the first evening: a bench in five answers."""

from __future__ import annotations

from fastapi import APIRouter
from pydantic import BaseModel, ConfigDict

from vapocline.api.dependencies import ERRORS, IN_TURN, WITH_BUDGET, AtBench
from vapocline.core.begin.answers import Answers
from vapocline.core.begin.narrowing import Narrowing
from vapocline.core.puck.plan import Members
from vapocline.desk.begin import bench, forecast

router = APIRouter(prefix="/api/begin", responses=ERRORS, dependencies=WITH_BUDGET)


class BeginDraft(BaseModel):
    """What was said so far."""

    model_config = ConfigDict(extra="forbid")

    answers: Answers


class ForecastDraft(BeginDraft):
    """The same to be forecast; more than one member gives ranges."""

    members: Members = 1


@router.get("", operation_id="readBeginning")
def read_beginning(context: AtBench) -> bench.Beginning:
    """Whether this bench has nothing of one's own yet, and every bench there is."""
    return bench.beginning(context)


@router.post("/forecast", operation_id="forecastBegin", dependencies=IN_TURN)
def forecast_begin(context: AtBench, said: ForecastDraft) -> forecast.BeginForecast:
    """A plain shot on the bench as said so far."""
    return forecast.forecast_begin(context, said.answers, said.members)


@router.post("/narrowing", operation_id="readNarrowing", dependencies=IN_TURN)
def read_narrowing(context: AtBench, said: BeginDraft) -> list[Narrowing]:
    """What would narrow the shot time most."""
    return forecast.what_narrows(context, said.answers)


@router.post("/styles", operation_id="listBeginStyles", dependencies=IN_TURN)
def list_begin_styles(context: AtBench, said: BeginDraft) -> list[forecast.BeginStyle]:
    """The styles that suit the bench best, solved for it."""
    return forecast.begin_styles(context, said.answers)


@router.post("", operation_id="setUpBench", status_code=201)
def set_up_bench(context: AtBench, asked: bench.SetUp) -> bench.BenchBegun:
    """Put what was said on the shelf and on the bench."""
    return bench.set_up_bench(context, asked)
