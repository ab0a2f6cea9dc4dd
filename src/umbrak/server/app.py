"""The application: routers under /api, health, and the built front end for everything else."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse
from sqlalchemy import Engine
from starlette.exceptions import HTTPException

import umbrak
from umbrak.devices.directory import Directory
from umbrak.devices.networks import Networks
from umbrak.formats.sheet.document import SheetDoc
from umbrak.jobs.apart import Here, Worker
from umbrak.jobs.queue import Queue
from umbrak.server import problems
from umbrak.server.assets import Assets
from umbrak.server.events import Hub
from umbrak.server.guard import Guard, LargeBodies, Shield
from umbrak.server.openapi import describe_api
from umbrak.server.routers import (
    access,
    boards,
    buying,
    ceiling,
    desk,
    drafts,
    events,
    exhibits,
    finding,
    intakes,
    jobs,
    labels,
    lists,
    machines,
    notes,
    parts,
    people,
    plans,
    rounds,
    routes,
    runs,
    services,
    session,
    sheets,
    shelf,
    sizing,
    waiting,
)
from umbrak.server.routers import directory as directory_
from umbrak.server.routing import operation_id
from umbrak.server.watch import Figures, Watch, may_measure
from umbrak.services.reach import Outside
from umbrak.store.engine import beat


def _utc_now() -> datetime:
    return datetime.now(UTC)


#: Their routes are one list for all servers of a process.
_API = (
    session,
    directory_,
    access,
    people,
    machines,
    ceiling,
    plans,
    events,
    finding,
    services,
    intakes,
    jobs,
    notes,
    exhibits,
    boards,
    waiting,
    sheets,
    drafts,
    lists,
    labels,
    parts,
    shelf,
    buying,
    desk,
    rounds,
    sizing,
    routes,
    runs,
)


def settle() -> None:
    """Work out what sheets are read by now: else the first who asks waits for it."""
    SheetDoc.model_rebuild()


def make_app(
    engine: Engine | None,
    front_end: Path | None = None,
    outside: Outside | None = None,
    clock: Callable[[], datetime] = _utc_now,
    measured_from: Networks | None = None,
    hosts: Sequence[str] = (),
    worker: Worker | None = None,
    directory: Directory | None = None,
) -> FastAPI:
    """The whole server. Without an engine it can only describe itself (for the OpenAPI snapshot). By `clock` soaks run.

    Its queue of jobs is started and stopped by whoever runs it.

    Parameters
        measured_from   networks that may have its figures, beside this machine itself
        hosts           names under which it is asked; () = any
        worker          who does jobs and searches; None = this process, in threads
        directory       by which people sign in too
    """
    app = FastAPI(
        title="Umbrak",
        version=umbrak.__version__,
        openapi_url="/api/openapi.json",
        docs_url=None,
        redoc_url=None,
        generate_unique_id_function=operation_id,
    )
    app.state.engine = engine
    app.state.clock = clock
    app.state.outside = outside or Outside()
    app.state.directory = directory
    if engine is not None:
        app.state.worker = worker or Here(engine)
        app.state.queue = Queue(engine, app.state.outside, app.state.worker)
    app.state.hub = Hub(engine) if engine is not None else None
    figures = Figures(engine, app.state.hub)
    app.openapi = lambda: describe_api(app)  # type: ignore[method-assign]
    problems.install(app)
    for routes_of in _API:
        app.router.routes.extend(routes_of.router.routes)

    @app.get("/healthz", include_in_schema=False)
    def alive() -> dict[str, str]:
        return {"status": "alive"}

    @app.get("/readyz", include_in_schema=False)
    def ready() -> Response:
        """Whether it can serve: what keeps it from that (disk full, database down, busy) is a problem of its own kind."""
        events = "none"
        if engine is not None:
            with engine.begin() as db:
                beat(db)
            events = app.state.hub.state()
        good = events != "ended"
        return JSONResponse({"status": "ready" if good else "not ready", "events": events}, 200 if good else 503)

    @app.get("/metrics", include_in_schema=False)
    def measures(request: Request) -> Response:
        if not may_measure(request.client.host if request.client else None, measured_from or Networks()):
            return problems.problem(
                403, "not-from-here", "Not from here", "UMBRAK_METRICS lists the networks that may have the figures."
            )
        return Response(figures.text(), media_type="text/plain; version=0.0.4; charset=utf-8")

    if front_end is not None:
        _serve_front_end(app, front_end)
    if engine is not None:
        app.add_middleware(LargeBodies, engine)
    app.add_middleware(Guard, hosts=frozenset(h.lower() for h in hosts))
    app.add_middleware(Shield)
    app.add_middleware(Watch, figures=figures)  # what is added last stands before all others
    return app


def _serve_front_end(app: FastAPI, folder: Path) -> None:
    """Assets with names that carry their hash, for good; the page itself for every other path, fresh."""
    page = (folder / "index.html").read_text("utf-8")

    if (worker := folder / "sw.js").is_file():

        @app.get("/sw.js", include_in_schema=False)
        def service_worker() -> FileResponse:
            return FileResponse(worker, media_type="text/javascript", headers={"Cache-Control": "no-cache"})

    app.mount("/assets", Assets(directory=folder / "assets"))
    answer = app.exception_handlers[HTTPException]

    @app.exception_handler(404)
    async def page_or_problem(request: Request, error: HTTPException) -> Response:
        if request.method != "GET" or request.url.path.startswith(("/api/", "/assets/")):
            return answer(request, error)  # type: ignore[return-value]
        nonce = secrets.token_urlsafe(16)
        policy = (
            f"default-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data:; font-src 'self'; "
            "object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
        )
        headers = {"Content-Security-Policy": policy, "Cache-Control": "no-store"}
        return HTMLResponse(page.replace("__NONCE__", nonce), headers=headers)
