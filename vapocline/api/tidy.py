"""Routes of tidying."""

from __future__ import annotations

from fastapi import APIRouter, Response

from vapocline.api.dependencies import ERRORS, WITH_BUDGET, AtBench, as_json
from vapocline.desk.tidy import tidy

router = APIRouter(prefix="/api", responses=ERRORS, dependencies=WITH_BUDGET)


@router.post("/tidied", operation_id="tidyRecording", response_model=tidy.TidyResult)
def tidy_recording(context: AtBench, request: tidy.TidyRequest) -> Response:
    """Tidy a shot, or a trace as CSV, into a profile; nothing is saved."""
    return as_json(tidy.tidy_recording(context, request))
