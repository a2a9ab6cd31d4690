"""The application: routers, the door, problem documents, and the pages of the interface."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles

from yaila import __version__
from yaila.api import aids, films, fits, frames, jobs, pictures, regions, routes, soundings, standin, surveys
from yaila.api.desk import Desk
from yaila.api.guard import Guard
from yaila.core.errors import NotFound, StaleEdit, YailaError
from yaila.store import Store

SITE = Path(__file__).parent / "site"

STATUS: dict[type[YailaError], int] = {NotFound: 404, StaleEdit: 412}
"""The HTTP status of causes that have one of their own; the others are unprocessable, 422."""


def create_app(store: Store, port: int) -> FastAPI:
    """The application on a store, for a server on 127.0.0.1 at a port."""

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        store.jobs.interrupt_all()
        store.sweep()
        for part in store.reels.glob("*.part.mp4"):
            part.unlink()
        yield
        app.state.desk.farm.close()

    app = FastAPI(title="Yaila", version=__version__, lifespan=life)
    app.state.desk = Desk(store)
    for module in (films, frames, aids, pictures, fits, regions, routes, surveys, soundings, jobs, standin):
        app.include_router(module.router)
    app.include_router(fits.files)

    @app.exception_handler(YailaError)
    def yaila_error(_: Request, error: YailaError) -> JSONResponse:
        return _problem(error.kind, STATUS.get(type(error), 422), str(error))

    @app.exception_handler(RequestValidationError)
    def invalid_request(_: Request, error: RequestValidationError) -> JSONResponse:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"][1:]) or str(first["loc"][0])
        return _problem("bad-request", 422, f"{where}: {first['msg']}.")

    if SITE.exists():
        app.mount("/", StaticFiles(directory=SITE, html=True), name="site")
    app.add_middleware(Guard, hosts=frozenset({f"127.0.0.1:{port}", f"localhost:{port}"}))
    return app


def _problem(kind: str, status: int, detail: str) -> JSONResponse:
    """A problem document (RFC 9457)."""
    return JSONResponse(
        {"type": kind, "title": kind.replace("-", " ").capitalize(), "status": status, "detail": detail},
        status_code=status,
        media_type="application/problem+json",
    )
