"""The application: routes, errors, and the built pages."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Callable, Iterable
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fastapi import FastAPI
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles

from vapocline.api import bench, errors, exchange, house, plan, pull, read, shelf, taste, tidy
from vapocline.api.guard import Guard, browser_headers
from vapocline.core.base.problems import NotFoundError
from vapocline.desk.context import Context
from vapocline.desk.pull.live import LiveFeed

ROUTERS = (house, bench, shelf, plan, pull, read, taste, tidy, exchange)


@dataclass(frozen=True)
class Opened:
    """What the routes work with: the default context, and the feed of running shots."""

    context: Context
    live: LiveFeed


def create_app(
    opening: Callable[[], AbstractAsyncContextManager[Opened]] | None,
    pages: Path,
    hosts: Iterable[str] = (),
) -> FastAPI:
    """The ASGI application. `opening` opens what the routes work with when it starts; without it
    the application can only be described. `pages` is the folder of the built pages, `hosts` the
    names it answers to besides loopback's."""

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
    headers = browser_headers(pages / "index.html")
    errors.install(app)
    app.add_middleware(Guard, hosts=hosts, headers=headers)
    app.add_middleware(errors.Faults, headers=headers)
    for noun in ROUTERS:
        app.include_router(noun.router)
    _serve_pages(app, pages)
    return app


class Assets(StaticFiles):
    """Files whose names change with their content: kept for good."""

    def file_response(self, *args: Any, **named: Any) -> Response:
        """See StaticFiles."""
        response = super().file_response(*args, **named)
        response.headers["cache-control"] = "public, max-age=31536000, immutable"
        return response


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
