"""Routes of a coffee's trail."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Response

from vapocline.api.dependencies import ERRORS, WITH_BUDGET, AtBench, as_json
from vapocline.desk.trail import summary, trail

router = APIRouter(prefix="/api/coffees/{coffee_id}", responses=ERRORS, dependencies=WITH_BUDGET)


@router.get("/trail", operation_id="readTrail", response_model=trail.TrailPage)
def read_trail(
    context: AtBench, coffee_id: int, asked: Annotated[trail.TrailQuery, Query()]
) -> Response:
    """A page of a coffee's shots: what each changed, and its result."""
    return as_json(trail.read_trail(context, coffee_id, asked))


@router.get("/trail/summary", operation_id="readTrailSummary")
def read_summary(context: AtBench, coffee_id: int) -> summary.TrailSummary:
    """The best so far, the baseline, what worked, and what can be filtered by."""
    return summary.read_summary(context, coffee_id)


@router.put("/baseline", operation_id="pinBaseline")
def pin_baseline(
    context: AtBench, coffee_id: int, said: summary.BaselineSaid
) -> summary.TrailSummary:
    """Compare other shots of a coffee with one, or with none."""
    return summary.pin_baseline(context, coffee_id, said)
