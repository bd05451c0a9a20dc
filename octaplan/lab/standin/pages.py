"""A stand-in's own web pages: settings are the sentences of its type's language with fields in them."""

from __future__ import annotations

import secrets
from collections.abc import Awaitable, Callable
from hmac import compare_digest
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

from fastapi import FastAPI, Form, Request, Response, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse
from jinja2 import Environment, FileSystemLoader

from octaplan.core.config.grammar import Saying, Told
from octaplan.core.config.sayings import FixedText
from octaplan.core.plan.hardware import Verb, WritePart
from octaplan.core.values.addresses import AddressError, parse_address
from octaplan.lab.standin.backups import opened, sealed
from octaplan.lab.standin.box import Refused, StandIn
from octaplan.lab.standin.restconf import add_restconf

_TEMPLATES = Environment(autoescape=True, loader=FileSystemLoader(Path(__file__).parent / "html"))

#: What is asked to be done by a button.
_BUTTONS = (Verb.APPLY, Verb.COMMIT, Verb.SAVE, Verb.RESTART)


class Pages:
    """The pages of one box, for one browser at a time or several."""

    def __init__(self, box: StandIn) -> None:
        self.box = box
        self._sessions: dict[str, int] = {}
        self._said = ""

    def within(self, request: Request) -> bool:
        """Whether a browser is logged in."""
        return self._sessions.get(request.cookies.get("session", "")) == self.box.times_started

    def show(self, name: str, title: str, **more: Any) -> HTMLResponse:
        """A page."""
        said, self._said = self._said, ""
        parts = [str(part) for part in WritePart if part in self.box.write_out.parts and part is not WritePart.SAVE]
        told = {"title": title, "model": self.box.kind.title, "said": said, "parts": parts}
        return HTMLResponse(_TEMPLATES.get_template(f"{name}.html").render(**told, **more))

    def state(self) -> HTMLResponse:
        """What it is, and what can be done with it."""
        box = self.box
        takes = box.kind.takes
        verbs = [verb for verb in _BUTTONS if str(verb) in str(takes) or verb in (Verb.SAVE, Verb.RESTART)]
        waiting = "" if box.at_once or box.candidate.settings.lines() == box.running.settings.lines() else str(takes)
        return self.show(
            "state",
            "State",
            within=True,
            about=box.about(),
            verbs=verbs,
            waiting=waiting.removeprefix("after "),
            slots=[(slot, rule.label or slot) for slot, rule in box.kind.slots.items()],
            services=sorted(box.services()),
            leftovers=box.told.leftovers,
        )

    def part(self, part: str) -> HTMLResponse:
        """The settings of a part."""
        told = [one.text.strip() for one in self.box.told.settings.all() if one.saying.part == part]
        sayings = [_Form(one) for one in self.box.grammar.sayings if one.part == part and (one.names or one.heads)]
        return self.show("part", part, within=True, part=part, lines=told, sayings=sayings)

    def log_in(self, user: str, password: str) -> Response:
        """Let a browser in."""
        try:
            self.box.check_log_in(user, password)
        except Refused as refused:
            self._said = str(refused)
            return RedirectResponse("/", 303)
        session = secrets.token_urlsafe(12)
        self._sessions[session] = self.box.times_started
        back = RedirectResponse("/", 303)
        back.set_cookie("session", session, httponly=True, samesite="strict")
        return back

    def tell(self, done: Callable[[], object], where: str, words: str = "done") -> Response:
        """Do something, and say what came of it on the page that follows."""
        try:
            done()
            self._said = words
        except Refused as refused:
            self._said = str(refused)
        return RedirectResponse(where, 303)

    def say(self, number: int, values: list[str]) -> None:
        """Take a sentence in whose fields are filled in, with the lines that it stands in. Raises `Refused`."""
        saying = next((one for one in self.box.grammar.sayings if one.number == number), None)
        if saying is None:
            raise Refused("there is no such setting")
        self.box.say(saying.shape.said(values), self._above(saying))

    def _above(self, saying: Saying) -> list[Told]:
        """The lines that a sentence stands in: the newest of each that was told."""
        if saying.above is None:
            return []
        held = [one for one in self.box.told.settings.all() if one.saying.number == saying.above]
        if not held:
            raise Refused("set what it stands in first")
        return [held[-1]]


class _Form:
    """A sentence with fields in it."""

    def __init__(self, saying: Saying) -> None:
        self.number, self.shown, self.deep = saying.number, saying.shown, saying.above is not None
        self.fields = [
            (piece.text, "") if isinstance(piece, FixedText) else ("", _in_words(piece.name))
            for piece in saying.shape.flat
        ]
        self.size = 28 if len(saying.names) == 1 else 14


def _in_words(name: str) -> str:
    """What a template calls a value, as people would."""
    last = name.replace("[]", "").split(".")[-2:]
    return " ".join(last).partition("|")[0].replace("_", " ").removeprefix("box ")


def _has(request: Request, ticket: str) -> bool:
    """Whether a browser came with a ticket before. Its cookie is named by the port, since it is sent to all of them."""
    return compare_digest(request.cookies.get(_cookie(request), "").encode(), ticket.encode())


def _cookie(request: Request) -> str:
    return f"ticket-{request.url.port or request.url.scheme}"


def _rebound(request: Request) -> bool:
    """Whether a page of somebody else asks: by a name that was made to lead here, or from another origin."""
    host = request.headers.get("host", "")
    name = (urlsplit(f"//{host}").hostname or "").casefold()
    try:
        ours = name == "localhost" or bool(parse_address(name))
    except AddressError:
        ours = False
    origin = request.headers.get("origin")
    strange = request.headers.get("sec-fetch-site") in ("cross-site", "same-site") and request.method != "GET"
    return not ours or strange or (origin is not None and urlsplit(origin).netloc != host)


def application(box: StandIn, service: str, answers: Callable[[str], bool], ticket: str = "") -> FastAPI:
    """The web pages of a box, and its RESTCONF where the type speaks it. `service` is `https` or `http`; `answers` says
    whether it answers somebody who asks at an address of this machine. With a `ticket` the pages are for browsers that
    came with it once, at `/?ticket=…`, alone."""

    app = FastAPI(docs_url=None, redoc_url=None, openapi_url=None)
    pages = Pages(box)

    @app.middleware("http")
    async def reach(request: Request, go_on: Callable[[Request], Awaitable[Response]]) -> Response:
        """Nobody answers who is not reached; whoever has not logged in sees nothing but the log-in."""
        if not answers(request.scope["server"][0]):
            while not await request.is_disconnected():
                await _never_answers(request)
            return Response(status_code=503)
        if _rebound(request):
            return Response("This page is reached by its address alone.", 421)
        path = request.url.path
        own = path.startswith(("/restconf", "/.well-known"))
        if not own and ticket and not _has(request, ticket):
            if not compare_digest(request.query_params.get("ticket", "").encode(), ticket.encode()):
                return Response("Open it from Octaplan's page of Practice.", 403)
            back = RedirectResponse("/", 303)
            back.set_cookie(_cookie(request), ticket, httponly=True, samesite="lax", secure=service == "https")
            return back
        if own or path == "/log-in":
            return await go_on(request)
        if not pages.within(request):
            return pages.show("log-in", "Log in", within=False, user=box.kind.factory.user is not None)
        if box.must_choose and path != "/choose":
            return pages.show("choose", "Choose a password", within=False, slot=box.log_in_slot)
        return await go_on(request)

    if box.kind.restconf and service == "https":  # never without TLS (RFC 8040, 2.1)
        add_restconf(app, box)

    @app.post("/log-in")
    async def log_in(user: str = Form(""), password: str = Form("")) -> Response:
        return pages.log_in(user, password)

    @app.post("/choose")
    async def choose(password: str = Form("")) -> Response:
        return pages.tell(lambda: box.set_secret(box.log_in_slot, password), "/", "it is set")

    @app.post("/leave")
    async def leave() -> Response:
        back = RedirectResponse("/", 303)
        back.delete_cookie("session")
        return back

    @app.get("/")
    async def state() -> Response:
        return pages.state()

    @app.get("/part/{part}")
    async def part(part: str) -> Response:
        return pages.part(part)

    @app.post("/say/{part}/{number}")
    async def say(part: str, number: int, f: list[str] = Form([])) -> Response:  # noqa: B008
        return pages.tell(lambda: pages.say(number, f), f"/part/{part}")

    @app.post("/remove/{part}")
    async def remove(part: str, line: str = Form("")) -> Response:
        return pages.tell(lambda: box.remove(line), f"/part/{part}")

    @app.post("/secret/{slot}")
    async def secret(slot: str, value: str = Form("")) -> Response:
        return pages.tell(lambda: box.set_secret(slot, value), "/", "it is set")

    @app.post("/do/{verb}")
    async def do(verb: Verb, about: str = Form("")) -> Response:
        return pages.tell(lambda: box.perform(verb, about), "/")

    @app.get("/text")
    async def text() -> Response:
        return Response("\n".join(box.show()), media_type="text/plain; charset=utf-8")

    @app.get("/backup")
    async def backup() -> Response:
        name = f"{box.kind.key}-{box.printed.serial}.backup"
        return Response(
            sealed(box),
            media_type="application/octet-stream",
            headers={"Content-Disposition": f'attachment; filename="{name}"'},
        )

    @app.post("/put-back")
    async def put_back(file: UploadFile) -> Response:
        content = await file.read(4 << 20)

        def back() -> None:
            box.saved = opened(box, content)
            box.restart()

        return pages.tell(back, "/", "put back, restarting")

    return app


async def _never_answers(request: Request) -> None:
    """Wait until whoever asks has given up."""
    while True:
        if (await request.receive())["type"] == "http.disconnect":
            return
