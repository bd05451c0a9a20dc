"""What stands before every request: its size, which page sent it and by which name, and what every answer says."""

from __future__ import annotations

import ipaddress
import time
from collections.abc import Callable
from http import HTTPStatus
from urllib.parse import urlsplit

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.middleware.body_limit import RequestBodyLimitMiddleware
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from octaplan.server.problems import respond, unexpected

HEADER = "x-octaplan"
MAX_BODY = 1 << 20
#: What a box prints: four million characters, a few of which take two in JSON.
MAX_TEXT = 6 << 20
MAX_UPLOAD = 32 << 20

log = structlog.get_logger()


class Guard:
    """Refuses requests that are too large, that another site's page sends, or that ask for a name that is not ours;
    logs the rest, and says to browsers what no answer may be used for.

    A request that changes something must carry the header `X-Octaplan`, which a page of another origin cannot send,
    and an `Origin` that is ours when it has one. `hosts` are the names that Octaplan is reached by, besides plain
    addresses and the machine itself; without them every name is permitted.
    """

    def __init__(
        self,
        app: ASGIApp,
        hosts: frozenset[str] | None = None,
        answered: Callable[[int, float], None] = lambda status, seconds: None,
    ) -> None:
        self.app = app
        self.hosts = hosts
        self.answered = answered

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        path: str = scope["path"]
        limit = _limit(path)
        status = 0
        begun = time.perf_counter()

        async def answering(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                _protect(MutableHeaders(scope=message), path, secure=scope["scheme"] == "https")
            await send(message)

        async def unless_too_large(message: Message) -> None:
            """What the framework says of a body beyond the limit is said in our words, when all is done."""
            nonlocal status
            if message["type"] == "http.response.start" and message["status"] == HTTPStatus.REQUEST_ENTITY_TOO_LARGE:
                status = message["status"]
            elif status != HTTPStatus.REQUEST_ENTITY_TOO_LARGE:
                await answering(message)

        try:
            refusal = self._refusal(scope, headers, path)
            if refusal is None:
                await RequestBodyLimitMiddleware(self.app, limit)(scope, receive, unless_too_large)
                if status == HTTPStatus.REQUEST_ENTITY_TOO_LARGE:
                    refusal = respond(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, _too_large(path, limit))
            if refusal is not None:
                await refusal(scope, receive, answering)
        except Exception as error:
            answer = unexpected(path, error)
            if status:  # the answer has begun: all that is left is to end it
                raise
            await answer(scope, receive, answering)
        finally:
            seconds = time.perf_counter() - begun
            self.answered(status, seconds)
            spent = round(seconds * 1000, 1)
            who = scope.get("state", {}).get("account", "")
            log.info("request", method=scope["method"], path=path, status=int(status), ms=spent, who=who)

    def _refusal(self, scope: Scope, headers: Headers, path: str) -> Response | None:
        if self.hosts is not None and not self._ours(headers.get("host", "")):
            return respond(
                HTTPStatus.MISDIRECTED_REQUEST,
                "Octaplan is not reached by this name: use its address, or start it with --public-url",
            )
        if scope["method"] not in ("GET", "HEAD", "OPTIONS"):
            origin = headers.get("origin")
            strange = headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none")
            if HEADER not in headers or strange or (origin and urlsplit(origin).netloc != headers.get("host")):
                return respond(HTTPStatus.FORBIDDEN, "This request did not come from Octaplan's own pages")
        elif path.startswith("/api/") and headers.get("sec-fetch-site") == "cross-site":
            return respond(HTTPStatus.FORBIDDEN, "This request did not come from Octaplan's own pages")
        return None

    def _ours(self, host: str) -> bool:
        name = (urlsplit(f"//{host}").hostname or "").casefold().rstrip(".")
        if name == "localhost" or name in (self.hosts or ()):
            return True
        try:
            ipaddress.ip_address(name)
        except ValueError:
            return False
        return True


def _limit(path: str) -> int:
    if path == "/api/imports" or path.endswith("/backups"):
        return MAX_UPLOAD
    return MAX_TEXT if path.endswith(("/read-back", "/take-over")) else MAX_BODY


def _too_large(path: str, limit: int) -> str:
    hint = "Split the tables by customer, or use `octaplan import`" if path == "/api/imports" else "Send less at once"
    return f"It is larger than {limit >> 20} MB. {hint}"


def _protect(headers: MutableHeaders, path: str, *, secure: bool) -> None:
    headers["X-Content-Type-Options"] = "nosniff"
    headers["Referrer-Policy"] = "no-referrer"
    headers["Cross-Origin-Opener-Policy"] = "same-origin"
    headers["Cross-Origin-Resource-Policy"] = "same-origin"
    headers["Content-Security-Policy"] = (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
        "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
    )
    if secure:
        headers["Strict-Transport-Security"] = "max-age=31536000"
    if path.startswith("/api/"):
        headers["Cache-Control"] = "no-store"
