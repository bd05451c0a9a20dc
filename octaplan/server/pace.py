"""What keeps one who asks slowly, or much at once, from holding up the others: a time in which the body of a request
comes, and a number of requests and of event streams that one session may have open."""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import MutableMapping
from http import HTTPStatus
from typing import Any

from starlette.requests import ClientDisconnect, HTTPConnection
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from octaplan.server.permissions import cookie_name
from octaplan.server.problems import respond

#: Seconds in which a body comes, and how many bytes give it a second more.
BODY_SECONDS, BODY_PACE = 20.0, 32 << 10

#: Requests under way and open event streams, of one session or, without one, of one address.
AT_ONCE, STREAMS = 64, 12

STREAM = "/api/events"


class Pace:
    """Refuses what comes too slowly, and what is too much at once."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self._open: Counter[tuple[bool, str]] = Counter()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = HTTPConnection(scope)
        who = request.cookies.get(cookie_name(request)) or (request.client.host if request.client else "")
        streams = scope["path"] == STREAM
        of = (streams, who)
        if self._open[of] >= (STREAMS if streams else AT_ONCE):
            detail = "Too much is asked for at once: close what is not needed, or wait until something is answered"
            await respond(HTTPStatus.TOO_MANY_REQUESTS, detail, {"Retry-After": "1"})(scope, receive, send)
            return
        self._open[of] += 1
        try:
            await _Paced(self.app, receive, send).answer(scope)
        finally:
            self._open[of] -= 1
            if not self._open[of]:
                del self._open[of]


class _Paced:
    """One request, given up when its body does not come in time."""

    def __init__(self, app: ASGIApp, receive: Receive, send: Send) -> None:
        self._app, self._receive, self._send = app, receive, send
        self._deadline = asyncio.get_running_loop().time() + BODY_SECONDS
        self._whole = self._late = self._begun = False

    async def answer(self, scope: Scope) -> None:
        try:
            await self._app(scope, self.receive, self.send)
        except ClientDisconnect:
            if not self._late:
                raise
        if self._late and not self._begun:
            await self._too_slow()(scope, self._receive, self._send)

    async def receive(self) -> Message:
        if self._whole:
            return await self._receive()
        try:
            async with asyncio.timeout_at(self._deadline):
                message = await self._receive()
        except TimeoutError:
            self._late = self._whole = True
            return {"type": "http.disconnect"}
        self._whole = not message.get("more_body", False)
        self._deadline += len(message.get("body", b"")) / BODY_PACE
        return message

    async def send(self, message: MutableMapping[str, Any]) -> None:
        if self._late and not self._begun:
            return  # whatever is made of half a body
        self._begun = True
        await self._send(message)

    @staticmethod
    def _too_slow() -> Response:
        detail = "It came too slowly, and was given up: look at the connection, then send it again"
        return respond(HTTPStatus.REQUEST_TIMEOUT, detail, {"Connection": "close"})
