"""Routes of export and import."""

from __future__ import annotations

from fastapi import APIRouter, Response

from vapocline.api.dependencies import ERRORS, AtBench
from vapocline.core.formats.shot import ShotDocument
from vapocline.desk.exchange import documents, traces

router = APIRouter(prefix="/api", responses=ERRORS)


@router.get("/shots/{shot_id}/traces.csv", operation_id="readTraces", response_class=Response)
def read_traces(context: AtBench, shot_id: int) -> Response:
    """The traces as CSV."""
    name = f'attachment; filename="shot-{shot_id}.csv"'
    return Response(
        traces.write_traces(context, shot_id),
        media_type="text/csv",
        headers={"content-disposition": name},
    )


@router.get("/shots/{shot_id}/document", operation_id="readShotDocument")
def read_document(context: AtBench, shot_id: int) -> ShotDocument:
    """The shot whole, as `./vapo learn` reads it."""
    return documents.read_document(context, shot_id)
