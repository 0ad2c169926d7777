"""Our exceptions as RFC 9457 problem documents, in one place."""

from __future__ import annotations

import json
import logging
from http import HTTPStatus

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vapocline.core.base.problems import (
    ConflictError,
    DeviceError,
    NotAllowedError,
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
    NotAllowedError: HTTPStatus.FORBIDDEN,
    NotFoundError: HTTPStatus.NOT_FOUND,
    ConflictError: HTTPStatus.CONFLICT,
    OrderError: HTTPStatus.CONFLICT,
    UnavailableError: HTTPStatus.SERVICE_UNAVAILABLE,
    DeviceError: HTTPStatus.BAD_GATEWAY,  # after its own kinds
}
TITLES = {
    HTTPStatus.UNPROCESSABLE_ENTITY: "Invalid input",
    HTTPStatus.FORBIDDEN: "Not allowed",
    HTTPStatus.NOT_FOUND: "Not found",
    HTTPStatus.CONFLICT: "Something changed in the meantime",
    HTTPStatus.TOO_MANY_REQUESTS: "Too many at once",
    HTTPStatus.INTERNAL_SERVER_ERROR: "Internal error",
    HTTPStatus.BAD_GATEWAY: "The machine does not respond",
    HTTPStatus.SERVICE_UNAVAILABLE: "Not possible at the moment",
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


def install(app: FastAPI) -> None:
    """Answer every known error with a problem document."""

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


class InternalErrors:
    """ASGI middleware that answers unexpected exceptions with a problem document.

    Starlette's own would raise the error again after its answer; the server then hangs up, and the
    next request on the connection is lost.
    """

    def __init__(self, app: ASGIApp, *, headers: dict[str, str]) -> None:
        """`headers` go with every answer."""
        self._app, self._headers = app, headers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, and answer it if that fails."""
        begun = scope["type"] != "http"

        async def noted(message: Message) -> None:
            nonlocal begun
            begun = True
            await send(message)

        try:
            await self._app(scope, receive, noted)
        except Exception:
            if begun:
                raise
            log.exception("%s %s failed", scope["method"], scope["path"])
            await self._fault()(scope, receive, send)

    def _fault(self) -> JSONResponse:
        detail = "Something went wrong in Vapocline; nothing was changed. The log has the details."
        answer = problem_response(HTTPStatus.INTERNAL_SERVER_ERROR, detail, ())
        answer.headers.update(self._headers)
        return answer


class ProblemResponse(JSONResponse):
    """A problem document; what it repeats of a request may be no text that UTF-8 can write."""

    media_type = "application/problem+json"

    def render(self, content: object) -> bytes:
        """See JSONResponse."""
        return json.dumps(content, ensure_ascii=False).encode("utf-8", "backslashreplace")


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
    return ProblemResponse(document.model_dump(), status_code=status)
