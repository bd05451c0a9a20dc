"""What stands before every request: its size, where it comes from, and how often sign-in is tried."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from http import HTTPStatus
from urllib.parse import urlsplit

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from octaplan.server.problems import respond

HEADER = "x-octaplan"
MAX_BODY = 1 << 20
MAX_UPLOAD = 32 << 20

log = structlog.get_logger()


class Guard:
    """Refuses requests that are too large or that another site's page sends; logs the rest.

    A request that changes something must carry the header `X-Octaplan`, which a page of another origin
    cannot send, and an `Origin` that is ours when it has one.
    """

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        path: str = scope["path"]
        limit = MAX_UPLOAD if path == "/api/imports" or path.endswith("/backups") else MAX_BODY
        hint = (
            "Split the tables by customer, or use `octaplan import`" if path == "/api/imports" else "Send less at once"
        )
        detail = f"It is larger than {limit >> 20} MB. {hint}"
        if scope["method"] not in ("GET", "HEAD", "OPTIONS"):
            origin = headers.get("origin")
            if HEADER not in headers or (origin and urlsplit(origin).netloc != headers.get("host")):
                answer = respond(HTTPStatus.FORBIDDEN, "This request did not come from Octaplan's own pages")
                await answer(scope, receive, send)
                return
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > limit:
            await respond(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, detail)(scope, receive, send)
            return
        received = 0
        status = 0
        begun = time.perf_counter()

        async def bounded() -> Message:
            nonlocal received
            message = await receive()
            received += len(message.get("body", b""))
            if received > limit:
                raise HTTPException(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, detail)
            return message

        async def answering(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                _protect(MutableHeaders(scope=message), path)
            await send(message)

        try:
            await self.app(scope, bounded, answering)
        finally:
            spent = round((time.perf_counter() - begun) * 1000, 1)
            log.info("request", method=scope["method"], path=path, status=int(status), ms=spent)


def _protect(headers: MutableHeaders, path: str) -> None:
    headers["X-Content-Type-Options"] = "nosniff"
    headers["Referrer-Policy"] = "no-referrer"
    headers["Content-Security-Policy"] = (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
        "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
    )
    if path.startswith("/api/"):
        headers["Cache-Control"] = "no-store"


class Tries:
    """Counts failures by key in a sliding window. Holds at most 10,000 keys."""

    def __init__(self, most: int, window: float = 300) -> None:
        self.most = most
        self.window = window
        self._failures: OrderedDict[str, list[float]] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, key: str) -> int:
        """Seconds until the next try is permitted; 0 when it is permitted now."""
        with self._lock:
            now = time.monotonic()
            recent = [at for at in self._failures.get(key, ()) if now - at < self.window]
            return 0 if len(recent) < self.most else int(self.window - (now - recent[0])) + 1

    def failed(self, key: str) -> None:
        with self._lock:
            now = time.monotonic()
            recent = [at for at in self._failures.pop(key, ()) if now - at < self.window]
            self._failures[key] = [*recent, now]
            while len(self._failures) > 10_000:
                self._failures.popitem(last=False)

    def succeeded(self, key: str) -> None:
        with self._lock:
            self._failures.pop(key, None)
