"""The application: routes, errors, and the built pages."""

from __future__ import annotations

import contextlib
import gzip
import os
from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.datastructures import Headers
from starlette.middleware.gzip import GZipMiddleware
from starlette.staticfiles import PathLike
from starlette.types import ASGIApp, Receive, Scope, Send

from vapocline.api import (
    begin,
    bench,
    errors,
    exchange,
    form,
    house,
    learn,
    plan,
    pull,
    read,
    shelf,
    table,
    taste,
    tidy,
    trail,
    week,
)
from vapocline.api import next as next_change
from vapocline.api.codes import GuessLimiter
from vapocline.api.dependencies import Turns
from vapocline.api.guard import Guard, browser_headers
from vapocline.core.base.amounts import asked_units, read_in
from vapocline.core.base.problems import NotFoundError
from vapocline.desk.context import Context
from vapocline.desk.pull.live import LiveFeed

LEAST_COMPRESSED = 2000  # bytes
GZIP_LEVEL = 4
COMPRESSIBLE = (".css", ".js", ".svg")
UNITS_HEADER = "Vapocline-Units"  # some of F, oz, fl oz, with commas between
LINE_BY_LINE = ("/api/translations",)
FOR_PHONES = (form, table)
ROUTERS = (
    house, bench, begin, shelf, plan, pull, read, learn, taste, next_change, trail, week, tidy,
    exchange, *FOR_PHONES,
)  # fmt: skip


@dataclass(frozen=True)
class LifespanState:
    """What the routes work with: the default context, and the feed of running shots."""

    context: Context
    live: LiveFeed


def create_app(
    opening: Callable[[], AbstractAsyncContextManager[LifespanState]] | None,
    pages: Path,
    hosts: Iterable[str] = (),
    *,
    phones: bool = False,
) -> FastAPI:
    """The ASGI application. `opening` opens what the routes work with when it starts; without it
    the application can only be described. `pages` is the folder of the built pages, `hosts` the
    names it answers to besides loopback's. With `phones` it is the one for the network, which has
    a tasting's routes alone."""

    @contextlib.asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        if opening is None:
            yield
            return
        async with opening() as app.state.opened:
            yield

    app = FastAPI(
        title="Vapocline", version="1", lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json",
    )  # fmt: skip
    app.state.turns = Turns()
    app.state.phone_address = None  # set by whoever serves to the network
    headers = browser_headers(pages / "index.html")
    errors.install(app)
    app.add_middleware(InReadersUnits)
    app.add_middleware(Compressed, minimum_size=LEAST_COMPRESSED, compresslevel=GZIP_LEVEL)
    if phones:
        app.add_middleware(GuessLimiter)
    app.add_middleware(Guard, hosts=hosts, headers=headers, phones=phones)
    app.add_middleware(errors.InternalErrors, headers=headers)
    for noun in FOR_PHONES if phones else ROUTERS:
        # Complete as they are: including their router would build each once more, at the first.
        app.router.routes.extend(noun.router.routes)
    _serve_pages(app, pages)
    return app


class InReadersUnits:
    """Puts words into the units that the reader's page asks for."""

    def __init__(self, app: ASGIApp) -> None:
        """Before the routes of an application."""
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer in °F, oz and fl oz where that is asked for; what is unknown is passed over."""
        asked = Headers(scope=scope).get(UNITS_HEADER, "") if scope["type"] == "http" else ""
        with read_in(asked_units(asked)):
            await self.app(scope, receive, send)


class Compressed(GZipMiddleware):
    """Compresses answers, but for those that come line by line."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """See GZipMiddleware."""
        if scope.get("path") in LINE_BY_LINE:
            await self.app(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)


class Assets(StaticFiles):
    """Files whose names change with their content: kept for good, compressed once."""

    def file_response(
        self, full_path: PathLike, stat_result: os.stat_result, scope: Scope, status_code: int = 200
    ) -> Response:
        """See StaticFiles."""
        response = super().file_response(full_path, stat_result, scope, status_code)
        asked = Headers(scope=scope).get("accept-encoding", "")
        if "gzip" in asked and Path(full_path).suffix in COMPRESSIBLE:
            response = Response(_compressed(str(full_path)), media_type=response.media_type)
            response.headers["content-encoding"] = "gzip"
        response.headers["vary"] = "accept-encoding"
        response.headers["cache-control"] = "public, max-age=31536000, immutable"
        return response


@lru_cache(maxsize=256)
def _compressed(path: str) -> bytes:
    return gzip.compress(Path(path).read_bytes(), GZIP_LEVEL)


def _serve_pages(app: FastAPI, folder: Path) -> None:
    """The built pages; every address that is no file is the page itself, so that reload works."""
    page = folder / "index.html"
    icons = {one.name for one in folder.iterdir() if one.is_file()} if folder.is_dir() else set()
    app.mount("/assets", Assets(directory=folder / "assets", check_dir=False), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def serve_page(path: str) -> Response:
        if path.startswith("api/"):
            raise NotFoundError(f"There is nothing at /{path}.")
        if path in icons:
            return FileResponse(folder / path)
        return FileResponse(page, headers={"cache-control": "no-cache"})
