"""The application: routes, errors, and the built pages."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, Response
from fastapi.staticfiles import StaticFiles

from vapocline.api import errors, machine_routes, pull_routes, routes, shelf_routes
from vapocline.api.settings import Settings
from vapocline.core.problems import NotFoundError
from vapocline.desk.context import open_desk
from vapocline.desk.opening import close_desk, live_shots, ready

log = logging.getLogger(__name__)


def create_app(settings: Settings | None = None) -> FastAPI:
    """The ASGI application. Settings come from the environment when it starts."""

    @contextlib.asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        used = settings or Settings()
        desk = open_desk(used.database_url, used.stand_ins())
        await asyncio.to_thread(ready, desk)
        app.state.desk = desk
        app.state.live = live_shots(used.database_url)
        listening = asyncio.create_task(app.state.live.listen())
        await app.state.live.listening.wait()
        yield
        listening.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await listening
        close_desk(desk)

    app = FastAPI(
        title="Vapocline", version="1", lifespan=lifespan, docs_url=None, redoc_url=None,
        openapi_url="/api/openapi.json",
    )  # fmt: skip
    errors.install(app)
    for room in (routes, pull_routes, shelf_routes, machine_routes):
        app.include_router(room.router)
    _serve_pages(
        app, (settings.web_folder if settings else Settings.model_fields["web_folder"].default)
    )
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
