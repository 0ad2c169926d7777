"""Routes of the first week."""

from __future__ import annotations

from fastapi import APIRouter

from vapocline.api.dependencies import ERRORS, WITH_BUDGET, AtBench
from vapocline.desk.next import first_week

router = APIRouter(prefix="/api/first-week", responses=ERRORS, dependencies=WITH_BUDGET)


@router.get("", operation_id="readFirstWeek")
def read_first_week(context: AtBench) -> first_week.FirstWeek:
    """How far the bench's coffee is with the first week's steps."""
    return first_week.read_first_week(context)


@router.post("/plans", operation_id="planFirstWeekStep", status_code=201)
def plan_step(context: AtBench, asked: first_week.PlannedStep) -> first_week.FirstWeek:
    """Make the profile of a step, fitted to the bench."""
    return first_week.plan_step(context, asked)
