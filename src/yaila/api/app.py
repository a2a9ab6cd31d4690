"""The application: routers, the door, problem documents, and the pages of the interface."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from fastapi.staticfiles import StaticFiles
from pydantic import BaseModel, ValidationError
from starlette.exceptions import HTTPException
from starlette.types import Receive, Scope, Send

from yaila import __version__
from yaila.api import (
    aids,
    films,
    fits,
    frames,
    geodata,
    handover,
    jobs,
    looks,
    pictures,
    places,
    regions,
    routes,
    shelf,
    soundings,
    sounds,
    standin,
    surveys,
)
from yaila.api.desk import Desk
from yaila.api.door import Door
from yaila.api.guard import Guard
from yaila.api.memory import give_back
from yaila.core.errors import BadStore, Busy, Damaged, NoRoom, NotFound, StaleEdit, TooMuch, YailaError, said
from yaila.core.sound import load_tools
from yaila.core.stopping import Stopped
from yaila.farm.processes import made_ready
from yaila.formats.whole import refused_by_disk
from yaila.store import Store

SITE = Path(__file__).parent / "site"

log = logging.getLogger("yaila")

STATUS: dict[type[YailaError], int] = {
    NotFound: 404,
    StaleEdit: 412,
    TooMuch: 413,
    NoRoom: 503,
    Damaged: 503,
    BadStore: 503,
    Busy: 503,
}
"""The HTTP status of causes that have one of their own; the others are unprocessable, 422."""

AGAIN = 5
"""After how many seconds it is worth trying again what cannot be done now."""

PLAIN = {
    404: "There is nothing at this address.",
    405: "This cannot be done at this address.",
    400: "The request cannot be understood.",
}
"""What is said of refusals that come from the server itself."""


def _load() -> None:
    """Have ready what the first sound and the first job would wait for."""
    load_tools()
    made_ready()


def create_app(store: Store, port: int) -> FastAPI:
    """The application on a store, for a server on 127.0.0.1 at a port."""

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        store.jobs.interrupt_all()
        store.sweep()
        store.gazetteers.sweep()
        for part in store.reels.glob("*.part.*"):
            part.unlink()
        app.state.desk.farm.take_up()
        giving_back = asyncio.create_task(give_back())
        app.state.desk.checks.start("", _load)
        yield
        giving_back.cancel()
        app.state.desk.close()

    # Its pages of documentation would load scripts from elsewhere; the description itself is at /openapi.json.
    app = FastAPI(title="Yaila", version=__version__, lifespan=life, docs_url=None, redoc_url=None, responses=PROBLEMS)
    app.state.desk = Desk(store)
    for module in (
        films,
        frames,
        aids,
        pictures,
        fits,
        regions,
        routes,
        geodata,
        surveys,
        places,
        soundings,
        sounds,
        jobs,
        looks,
        handover,
        shelf,
        standin,
    ):
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

    @app.exception_handler(ValidationError)
    @app.exception_handler(OverflowError)
    def out_of_range(_: Request, error: ValidationError | OverflowError) -> JSONResponse:
        # What a request comes to may lie beyond what a document can hold, though the request itself does not.
        cause = said(error) if isinstance(error, ValidationError) else f"a number is too large ({error})"
        return _problem("out-of-range", 422, f"This leads out of what can be kept: {cause}.")

    @app.exception_handler(HTTPException)
    def plainly(_: Request, error: HTTPException) -> JSONResponse:
        plain = PLAIN.get(error.status_code, str(error.detail))
        return _problem("bad-request", error.status_code, plain, dict(error.headers or {}))

    @app.exception_handler(Stopped)
    def stopped(_: Request, error: Stopped) -> JSONResponse:
        return _problem(Busy.kind, 503, "Something newer was asked for, and this was left.")

    @app.exception_handler(OSError)
    def no_room(_: Request, error: OSError) -> JSONResponse:
        problem = refused_by_disk(error)
        return yaila_error(_, problem) if problem else unforeseen(_, error)

    @app.exception_handler(Exception)
    def unforeseen(_: Request, error: Exception) -> JSONResponse:
        log.error("Not foreseen", exc_info=error)
        return _problem("fault", 500, "Yaila made a mistake, and nothing was changed. What it was stands in its log.")

    if SITE.exists():
        app.mount("/", StaticFiles(directory=SITE, html=True), name="site")
    app.add_middleware(Door, refuse=_refused)
    app.add_middleware(Guard, hosts=frozenset({f"127.0.0.1:{port}", f"localhost:{port}"}))
    return app


class Problem(BaseModel):
    """A problem document (RFC 9457): ``type`` names the cause for programs, ``detail`` says it to a person."""

    type: str
    title: str
    status: int
    detail: str


PROBLEMS: dict[int | str, dict[str, Any]] = {
    "default": {"model": Problem, "description": "What is wrong, and how to mend it (application/problem+json)"}
}


def _problem(kind: str, status: int, detail: str, headers: dict[str, str] | None = None) -> JSONResponse:
    document = Problem(type=kind, title=kind.replace("-", " ").capitalize(), status=status, detail=detail)
    again = {"Retry-After": str(AGAIN)} if status == 503 else {}
    return JSONResponse(
        document.model_dump(),
        status_code=status,
        headers={**(headers or {}), **again},
        media_type="application/problem+json",
    )


async def _refused(scope: Scope, receive: Receive, send: Send) -> None:
    """Answer what :class:`Door` does not let in."""
    error: YailaError = scope["refused"]
    await _problem(error.kind, STATUS[type(error)], str(error))(scope, receive, send)
