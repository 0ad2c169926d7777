"""Routes that fit a draft to a machine: check, mend, translate."""

from __future__ import annotations

from collections.abc import Iterator

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from vapocline.api.routes import Draft
from vapocline.api.surroundings import ERRORS, AtDesk, as_json
from vapocline.core.puck.answer import Prediction
from vapocline.core.translate.translation import Translation
from vapocline.desk import translating

router = APIRouter(prefix="/api", responses=ERRORS)
LINES = "application/x-ndjson"


@router.post("/bench/check", operation_id="checkOnBench")
def check_on_bench(
    desk: AtDesk, draft: Draft, machine_id: int | None = None
) -> translating.Checked:
    """What of a draft the bench's machine, or another, cannot take."""
    return translating.check(desk, draft.profile, machine_id)


@router.post("/bench/mend", operation_id="mendOnBench", response_model=translating.Mended)
def mend_on_bench(desk: AtDesk, asked: translating.MendAsked) -> Response:
    """A draft with one misfit mended, or all, and what that does to the shot."""
    return as_json(translating.mend(desk, asked))


@router.post("/bench/wanted", operation_id="wantedOnBench", response_model=Prediction)
def wanted_on_bench(desk: AtDesk, draft: Draft) -> Response:
    """The shot a draft means, by a machine like the bench's that can run it."""
    return as_json(translating.wanted(desk, draft.profile))


@router.post("/bench/mends", operation_id="mendEffects")
def mend_effects(desk: AtDesk, draft: Draft) -> list[translating.MendEffect]:
    """What each mend would do to the shot; nothing is changed."""
    return translating.mend_effects(desk, draft.profile)


@router.post(
    "/translations",
    operation_id="translate",
    response_class=StreamingResponse,
    responses={
        200: {
            "content": {LINES: {"schema": {"type": "string"}}},
            "description": "A line of JSON each time the search comes nearer, and one at its end.",
        }
    },
)
def translate(desk: AtDesk, asked: translating.TranslationAsked) -> StreamingResponse:
    """Translate a draft to another machine; closing the answer stops the search."""
    told = translating.translating(desk, asked)

    def lines() -> Iterator[str]:
        for one in told:
            yield one.model_dump_json(by_alias=True) + "\n"

    return StreamingResponse(lines(), media_type=LINES)


@router.post(
    "/translations/compared", operation_id="compareTranslation", response_model=Translation
)
def compare_translation(desk: AtDesk, asked: translating.ComparedAsked) -> Response:
    """What a program makes of a draft's shot, without a search."""
    return as_json(translating.compare_translation(desk, asked))
