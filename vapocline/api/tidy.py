"""Routes of tidying."""

from __future__ import annotations

from fastapi import APIRouter, Response

from vapocline.api.dependencies import ERRORS, IN_TURN, WITH_BUDGET, AtBench, as_json
from vapocline.core.tidy.bring_in import Sheet
from vapocline.desk.read.shots import ShotLine
from vapocline.desk.tidy import bring_in, tidy

router = APIRouter(prefix="/api", responses=ERRORS, dependencies=WITH_BUDGET)


@router.post(
    "/tidied", operation_id="tidyRecording", dependencies=IN_TURN, response_model=tidy.TidyResult
)
def tidy_recording(context: AtBench, request: tidy.TidyRequest) -> Response:
    """Tidy a shot, or a trace as CSV, into a profile; nothing is saved."""
    return as_json(tidy.tidy_recording(context, request))


@router.post("/recordings/sheet", operation_id="lookAtSheet")
def look_at_sheet(request: bring_in.SheetRequest) -> Sheet:
    """A text as a sheet, with what its columns seem to be; nothing is kept."""
    return bring_in.look_at_sheet(request)


@router.post(
    "/recordings/preview",
    operation_id="previewRecording",
    response_model=bring_in.Preview,
)
def preview_recording(request: bring_in.RecordingToImport) -> Response:
    """A recording as it would be kept; nothing is."""
    return as_json(bring_in.preview(request))


@router.post("/recordings", operation_id="bringIn", status_code=201)
def bring_recording_in(context: AtBench, request: bring_in.BroughtIn) -> ShotLine:
    """Keep a recording from elsewhere as a shot."""
    return bring_in.bring_in(context, request)
