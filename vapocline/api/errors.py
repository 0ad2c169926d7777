"""Our exceptions as RFC 9457 problem documents, in one place."""

from __future__ import annotations

import logging
from http import HTTPStatus

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from vapocline.core.base.problems import (
    ConflictError,
    DeviceError,
    NotFoundError,
    OrderError,
    Problem,
    Refused,
    UnavailableError,
    VapoclineError,
    problems_in,
)

log = logging.getLogger(__name__)

STATUS: dict[type[VapoclineError], HTTPStatus] = {
    Refused: HTTPStatus.UNPROCESSABLE_ENTITY,
    NotFoundError: HTTPStatus.NOT_FOUND,
    ConflictError: HTTPStatus.CONFLICT,
    OrderError: HTTPStatus.CONFLICT,
    UnavailableError: HTTPStatus.SERVICE_UNAVAILABLE,
    DeviceError: HTTPStatus.BAD_GATEWAY,  # after its own kinds
}
TITLES = {
    HTTPStatus.UNPROCESSABLE_ENTITY: "Invalid input",
    HTTPStatus.NOT_FOUND: "Not found",
    HTTPStatus.CONFLICT: "Something changed in the meantime",
    HTTPStatus.INTERNAL_SERVER_ERROR: "Internal error",
    HTTPStatus.BAD_GATEWAY: "The machine does not respond",
    HTTPStatus.SERVICE_UNAVAILABLE: "The database does not respond",
}


class RefusedField(BaseModel):
    """One refused field, as `core.problems.Problem` says it; `message` is the whole sentence."""

    field: str
    got: str
    accepted: str
    message: str


class ProblemDocument(BaseModel):
    """The body of every error."""

    type: str
    title: str
    status: int
    detail: str
    problems: list[RefusedField]


def install(app: FastAPI, headers: dict[str, str]) -> None:
    """Answer every known error with a problem document. `headers` go with a fault's, which is
    answered outside all middleware."""

    @app.exception_handler(VapoclineError)
    def ours(_request: Request, error: VapoclineError) -> JSONResponse:
        status = next(
            (status for kind, status in STATUS.items() if isinstance(error, kind)),
            HTTPStatus.INTERNAL_SERVER_ERROR,
        )
        problems = error.problems if isinstance(error, Refused) else ()
        return problem_response(status, str(error), problems)

    @app.exception_handler(RequestValidationError)
    def malformed(_request: Request, error: RequestValidationError) -> JSONResponse:
        problems = problems_in(
            [
                {**one, "loc": one["loc"][1:] if one["loc"][:1] == ("body",) else one["loc"]}
                for one in error.errors()
            ]
        )
        refused = Refused(problems)
        return problem_response(HTTPStatus.UNPROCESSABLE_ENTITY, str(refused), refused.problems)

    @app.exception_handler(HTTPException)
    def by_http(_request: Request, error: HTTPException) -> JSONResponse:
        return problem_response(HTTPStatus(error.status_code), str(error.detail), ())

    @app.exception_handler(Exception)
    def fault(request: Request, error: Exception) -> JSONResponse:
        log.error("%s %s failed", request.method, request.url.path, exc_info=error)
        detail = "Something went wrong in Vapocline; nothing was changed. The log has the details."
        answer = problem_response(HTTPStatus.INTERNAL_SERVER_ERROR, detail, ())
        answer.headers.update(headers)
        return answer


def problem_response(
    status: HTTPStatus, detail: str, problems: tuple[Problem, ...]
) -> JSONResponse:
    """One problem document."""
    document = ProblemDocument(
        type="about:blank",
        title=TITLES.get(status, status.phrase),
        status=status,
        detail=detail,
        problems=[
            RefusedField(field=p.field, got=p.got, accepted=p.accepted, message=str(p))
            for p in problems
        ],
    )
    return JSONResponse(
        document.model_dump(), status_code=status, media_type="application/problem+json"
    )
