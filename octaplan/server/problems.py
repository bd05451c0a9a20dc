"""Errors as problem documents (RFC 9457): what happened, in a sentence, and what to do."""

from __future__ import annotations

import errno
from collections.abc import Callable
from http import HTTPStatus
from typing import Annotated, Any

import structlog
from fastapi import FastAPI, Path, Request
from fastapi.encoders import jsonable_encoder
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from sqlalchemy.exc import OperationalError
from starlette.exceptions import HTTPException

from octaplan.core.propose.answering import AnswerError
from octaplan.core.values.errors import in_words
from octaplan.core.values.faults import Fault, first_of
from octaplan.formats.planjson import PlanError
from octaplan.formats.tables import TableError
from octaplan.store.accounts import AccountError, CodeNeeded
from octaplan.store.bench import AlreadyTicked, NotReady
from octaplan.store.hardware import HardwareError, NoSuchType, TypeMoved
from octaplan.store.imports import ImportGone, ImportMoved
from octaplan.store.onsite import NoSuchLink, OnSiteError
from octaplan.store.organisation import NotYours, SettingsError, SettingsMoved
from octaplan.store.patterns import PatternError
from octaplan.store.refusals import BadChange, Conflict, Contradicted, Moved, NoSuchSite, NoSuchSlot, NotClear, Renamed
from octaplan.store.rollouts import RolloutError
from octaplan.store.safe import NoSuchSecret, ReasonNeeded, SafeError
from octaplan.store.staging import BenchError
from octaplan.store.vault import VaultError
from octaplan.worker.workers import NotDone

#: The largest number that is exact in JSON wherever it is read (RFC 8259, section 6).
MOST_NUMBER = (1 << 53) - 1

#: A number in a path.
Number = Annotated[int, Path(ge=0, le=MOST_NUMBER)]
DeviceId = Annotated[str, Path(pattern=r"^[a-z0-9]{4,12}$")]

log = structlog.get_logger()


class Problem(Exception):
    """An answer that says why a request was not carried out; `more` becomes members of the document."""

    def __init__(self, status: HTTPStatus, detail: str, **more: Any) -> None:
        super().__init__(detail)
        self.status = status
        self.detail = detail
        self.more = more


def respond(status: int, detail: str, headers: dict[str, str] | None = None, **more: Any) -> JSONResponse:
    """A problem document as an answer."""
    document = {"type": "about:blank", "title": HTTPStatus(status).phrase, "status": status, "detail": detail}
    return JSONResponse(document | more, status, headers, media_type="application/problem+json")


def _conflict(error: Conflict) -> JSONResponse:
    clashes = [clash._asdict() for clash in error.clashes]
    detail = f"{error}. Both values are kept: choose one"
    return respond(HTTPStatus.CONFLICT, detail, clashes=clashes, by=error.by, revision=error.newest)


def _contradicted(error: Contradicted) -> JSONResponse:
    sides = [jsonable_encoder(one._asdict()) for one in error.contradictions]
    return respond(HTTPStatus.CONFLICT, str(error), contradictions=sides)


def _said(status: HTTPStatus) -> Callable[[Exception], JSONResponse]:
    return lambda error: respond(status, in_words(error))


_ANSWERS: dict[type[Exception], Callable[[Any], JSONResponse]] = {
    Problem: lambda problem: respond(problem.status, problem.detail, **problem.more),
    NoSuchSite: _said(HTTPStatus.NOT_FOUND),
    Renamed: lambda error: respond(HTTPStatus.NOT_FOUND, in_words(error), now=error.now.upper()),
    Conflict: _conflict,
    BadChange: lambda error: respond(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=error.path),
    AnswerError: lambda error: respond(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=error.key),
    Contradicted: _contradicted,
    PatternError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    RolloutError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    NotClear: _said(HTTPStatus.CONFLICT),
    Moved: _said(HTTPStatus.CONFLICT),
    ImportGone: _said(HTTPStatus.NOT_FOUND),
    ImportMoved: _said(HTTPStatus.CONFLICT),
    TableError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    PlanError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    AccountError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    CodeNeeded: lambda error: respond(HTTPStatus.UNAUTHORIZED, str(error), second_factor=True),
    NoSuchSlot: _said(HTTPStatus.NOT_FOUND),
    NoSuchSecret: _said(HTTPStatus.NOT_FOUND),
    ReasonNeeded: lambda error: respond(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), reason_needed=True),
    SafeError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    VaultError: _said(HTTPStatus.CONFLICT),
    NoSuchType: _said(HTTPStatus.NOT_FOUND),
    TypeMoved: _said(HTTPStatus.CONFLICT),
    HardwareError: lambda error: respond(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=error.path),
    SettingsMoved: _said(HTTPStatus.CONFLICT),
    NotYours: lambda error: respond(HTTPStatus.FORBIDDEN, str(error), path=error.path),
    SettingsError: lambda error: respond(HTTPStatus.UNPROCESSABLE_ENTITY, str(error), path=error.path),
    AlreadyTicked: _said(HTTPStatus.CONFLICT),
    NotReady: _said(HTTPStatus.CONFLICT),
    BenchError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    NoSuchLink: _said(HTTPStatus.NOT_FOUND),
    OnSiteError: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
    NotDone: _said(HTTPStatus.UNPROCESSABLE_ENTITY),
}


def install(app: FastAPI) -> None:
    """Make every error of the application answer with a problem document."""
    for kind, answer in _ANSWERS.items():

        def handle(request: Request, error: Exception, answer: Any = answer) -> JSONResponse:
            response: JSONResponse = answer(error)
            return response

        app.add_exception_handler(kind, handle)

    @app.exception_handler(RequestValidationError)
    def unreadable(request: Request, error: RequestValidationError) -> JSONResponse:
        fault = first_of(error.errors())
        fields = [part for part in fault.place[1:] if isinstance(part, str)]
        what = Fault(tuple(fields[-1:]), fault.why).where or "the request"
        return respond(HTTPStatus.UNPROCESSABLE_ENTITY, f"{what[:1].upper()}{what[1:]}: {fault.why}")

    @app.exception_handler(HTTPException)
    def refused(request: Request, error: HTTPException) -> JSONResponse:
        return respond(error.status_code, str(error.detail), dict(error.headers or {}))


#: What the disk says, or the file system that the records are on, when nothing can be written.
_UNWRITABLE = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EFBIG})


def unexpected(path: str, error: Exception) -> JSONResponse:
    """What is answered when something went wrong that nobody expected, and what is done about it."""
    log.error("unexpected", path=path, error=type(error).__name__, exc_info=error)
    if isinstance(error, OperationalError) or (isinstance(error, OSError) and error.errno in _UNWRITABLE):
        return respond(
            HTTPStatus.INSUFFICIENT_STORAGE,
            "Nothing could be saved: the disk is full, or cannot be written. What was saved before is kept and can be "
            "read; make room, then do this again",
        )
    detail = "Something went wrong on the server; nothing was saved by this request. Its log says more"
    return respond(HTTPStatus.INTERNAL_SERVER_ERROR, detail)
