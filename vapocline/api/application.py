"""The application: routes, errors, and the built pages."""

from __future__ import annotations

import contextlib
from collections.abc import AsyncIterator, Callable
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles

from vapocline.api import bench, errors, exchange, house, plan, pull, read, shelf, taste, tidy
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
    opening: Callable[[], AbstractAsyncContextManager[Opened]] | None, pages: Path
) -> FastAPI:
    """The ASGI application. `opening` opens what the routes work with when it starts; without it
    the application can only be described. `pages` is the folder of the built pages."""

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
    errors.install(app)
    for noun in ROUTERS:
        app.include_router(noun.router)
    _serve_pages(app, pages)
    return app


def _serve_pages(app: FastAPI, folder: Path) -> None:
    """The built pages; every address that is no file is the page itself, so that reload works."""
    page = folder / "index.html"
    app.mount("/assets", StaticFiles(directory=folder / "assets", check_dir=False), name="assets")

    @app.middleware("http")
    async def keep_assets(request: Request, call_next):  # type: ignore[no-untyped-def]
        response: Response = await call_next(request)
        if request.url.path.startswith("/assets/"):
            response.headers["cache-control"] = "public, max-age=31536000, immutable"
        return response

    @app.get("/{path:path}", include_in_schema=False)
    def serve_page(path: str) -> Response:
        if path.startswith("api/"):
            raise NotFoundError(f"There is nothing at /{path}.")
        icon = folder / path
        if path and "/" not in path and icon.is_file():
            return FileResponse(icon)
        return FileResponse(page, headers={"cache-control": "no-cache"})
