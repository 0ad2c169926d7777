"""What every group of routes shares: the desk at hand, the errors told, answers written once."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request, Response
from pydantic import BaseModel

from vapocline.api.errors import ProblemDocument
from vapocline.desk.context import Desk

ERRORS: dict[int | str, dict[str, Any]] = {
    code: {"model": ProblemDocument} for code in (404, 409, 422, 502)
}


def desk_of(request: Request) -> Desk:
    """The desk this process opened at start."""
    desk: Desk = request.app.state.desk
    return desk


AtDesk = Annotated[Desk, Depends(desk_of)]


def as_json(model: BaseModel) -> Response:
    """A model written once by pydantic-core: the large answers go out without a second walk."""
    return Response(model.model_dump_json(by_alias=True), media_type="application/json")
