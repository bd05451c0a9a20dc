"""The application, put together."""

from __future__ import annotations

import logging
import secrets
import sys
import threading
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from datetime import timedelta
from http import HTTPStatus
from pathlib import Path
from typing import Any, NamedTuple

import structlog
from fastapi import FastAPI, Request
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse, Response
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles

from octaplan import __version__
from octaplan.formats.sources import Unpack
from octaplan.formats.tables import Table
from octaplan.server import events, problems, session
from octaplan.server.guard import Guard
from octaplan.server.pace import Pace
from octaplan.server.pages import (
    accounts,
    bench,
    credentials,
    customers,
    desk,
    devices,
    findings,
    goto,
    handover,
    hardware,
    history,
    imports,
    intake,
    journal,
    letters,
    onsite,
    operation,
    organisation,
    outbound,
    patterns,
    practice,
    proposals,
    questions,
    register,
    rehearsal,
    runs,
    safe,
    space,
    texts,
    traffic,
)
from octaplan.server.permissions import Looking
from octaplan.server.practising import PracticeDesk
from octaplan.server.problems import Problem
from octaplan.server.readings import SecretReadings
from octaplan.server.rehearsing import RehearsalDesk
from octaplan.server.tries import WRONG_LINKS, Failures, Tries
from octaplan.store.backups import Schedule
from octaplan.store.database import Database
from octaplan.store.records import Records
from octaplan.worker import errands
from octaplan.worker.workers import OF_WORKBOOKS, Workers

SITE = Path(__file__).parent / "site"


def configure_logs() -> None:
    """Structured lines of JSON on standard error; no bodies, cookies or query strings are logged."""
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )


class Running(NamedTuple):
    """How the application is run. `hosts` are the names by which it is reached, besides plain addresses and
    `localhost`; without them any will do. `notes` are what administrators should know about it, `console` the serial
    device of a console cable."""

    hosts: frozenset[str] | None = None
    schedule: Schedule | None = None
    metrics_token: str = ""
    notes: tuple[str, ...] = ()
    console: str = ""


def create_app(database: Database, running: Running = Running()) -> FastAPI:  # noqa: B008  (it never changes)
    """The application on an open database, which it closes at its end."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        clockwork = operation.Clockwork(records, app.state.schedule)
        if running.schedule is not None:
            clockwork.start()
        threading.Thread(target=app.state.workers.warm, name="workers", daemon=True).start()
        yield
        clockwork.end()
        app.state.import_desk.close()
        app.state.rehearsal_desk.close()
        app.state.practice_desk.close()
        database.close()

    app = FastAPI(
        title="Octaplan",
        version=__version__,
        openapi_url=None,
        docs_url=None,
        redoc_url=None,
        lifespan=lifespan,
        generate_unique_id_function=_operation_name,
    )
    records = app.state.records = Records(database)
    for sentence in records.batches.finish():
        structlog.get_logger().warning("a change that was cut short is taken back", change=sentence)
    app.state.hub = events.Hub()
    app.state.wrong_links = Failures(WRONG_LINKS)
    for plans in (records.plans, records.patterns.plans):
        plans.watchers.append(app.state.hub.changed)
    app.state.import_desk = imports.ImportDesk(records.imports)
    app.state.rehearsal_desk = RehearsalDesk(records.rehearsals)
    app.state.practice_desk = PracticeDesk(running.console)
    app.state.tries = Tries()
    app.state.readings = SecretReadings(records.journal)
    app.state.workers = Workers()
    records.imports.unpack = _unpacking(Workers(limits=OF_WORKBOOKS))
    app.state.measures = operation.Measures()
    app.state.schedule = running.schedule or Schedule(database.folder / "backups", timedelta(0))
    app.state.metrics_token = running.metrics_token
    app.state.notes = running.notes
    app.state.setup_code = None if records.accounts.any() else _one_time_code()
    problems.install(app)
    pages = (
        outbound,
        desk,
        intake,
        letters,
        history,
        proposals,
        events,
        findings,
        space,
        devices,
        traffic,
        practice,
        rehearsal,
        texts,
        credentials,
        bench,
        runs,
        handover,
        onsite,
        hardware,
        safe,
        journal,
        organisation,
        imports,
        patterns,
        customers,
        register,
        questions,
        goto,
    )
    for module in (session, accounts, operation, *pages):
        app.include_router(module.router)
    app.include_router(onsite.links)
    if records.vault.locked:
        structlog.get_logger().error("safe locked", why=records.vault.locked)

    @app.get("/api/openapi.json", include_in_schema=False)
    def description(person: Looking) -> dict[str, Any]:
        return app.openapi()

    _serve_pages(app)
    app.add_middleware(Pace)
    app.add_middleware(Guard, hosts=running.hosts, answered=app.state.measures.answered)
    return app


def _unpacking(workers: Workers) -> Unpack:
    """Workbooks are read by child processes, which are given up when nobody waits for them any more."""

    def unpack(name: str, content: bytes, progress: Callable[[int], None]) -> list[Table]:
        tables = workers.do_while(lambda: progress(0), "", errands.unpacked, name, content)
        progress(len(content))
        return tables

    return unpack


def _operation_name(route: APIRoute) -> str:
    return route.name


def _one_time_code() -> str:
    letters = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
    return "-".join("".join(secrets.choice(letters) for _ in range(4)) for _ in range(3))


class _Assets(StaticFiles):
    """Files whose names change with what is in them, so that nobody asks for one twice."""

    def file_response(self, *args: Any, **options: Any) -> Response:
        response = super().file_response(*args, **options)
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return response


def _serve_pages(app: FastAPI) -> None:
    """The built front end, if it is there: its files, and for every other address its one page."""
    if (SITE / "assets").is_dir():
        app.mount("/assets", GZipMiddleware(_Assets(directory=SITE / "assets"), compresslevel=6), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str, request: Request) -> Response:
        if path.startswith("api/"):
            raise Problem(HTTPStatus.NOT_FOUND, f"There is nothing at /{path[:200]}")
        index = SITE / "index.html"
        if not index.is_file():
            raise Problem(HTTPStatus.NOT_FOUND, "The pages are not built: run `make build` and start again")
        if path in ("mark.svg", "licences.txt"):
            return FileResponse(SITE / path)
        return FileResponse(index, headers={"Cache-Control": "no-cache"})
