"""What happens while a page is open, as server-sent events: changes of sites, and who looks at the same one."""

from __future__ import annotations

import asyncio
import json
import threading
from dataclasses import dataclass, field
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import Response
from starlette.types import Receive, Scope, Send

from octaplan.core.plan.site import SitePlan
from octaplan.server.permissions import Looking, session_token
from octaplan.store.accounts import Accounts
from octaplan.store.saved import Saved

router = APIRouter(prefix="/api", tags=["events"])

#: How many events may wait for a page that does not read them; it is told to look at everything anew then.
WAITING = 200

#: At how many sites the pages of one browser may look at once.
MOST_SITES = 64

#: How many places at the bench are remembered for pages that are opened after they were told.
PLACES = 1_000

#: Seconds after one word in which further ones are gathered, so that many changes at once reach a page together.
GATHERED = 0.25

#: Seconds after which a stream makes sure that its session has not ended, and says that it is still there.
PATIENCE = 20.0


def encoded(event: str, data: Any) -> bytes:
    """An event as it is sent (HTML Living Standard, 9.2.6)."""
    return f"event: {event}\ndata: {json.dumps(data, ensure_ascii=False)}\n\n".encode()


_ALL = encoded("all", {})


@dataclass(eq=False)
class Listener:
    """One browser with open pages: whose it is, at which sites, and what it has not been sent yet."""

    name: str
    sites: frozenset[str]
    loop: asyncio.AbstractEventLoop
    waiting: list[bytes] = field(default_factory=list)
    come: asyncio.Event = field(default_factory=asyncio.Event)

    def put(self, event: bytes) -> None:
        """Put an event before the page; called in its loop."""
        self.waiting = [*self.waiting, event] if len(self.waiting) < WAITING else [_ALL]
        self.come.set()

    def take(self) -> bytes:
        """What waits, once."""
        waiting, self.waiting = self.waiting, []
        self.come.clear()
        return b"".join(waiting)


class Hub:
    """All open pages, and where on the bench their people said last that they are."""

    def __init__(self) -> None:
        self._listeners: set[Listener] = set()
        self._places: dict[tuple[str, str], dict[str, Any]] = {}
        self._lock = threading.Lock()

    def __len__(self) -> int:
        return len(self._listeners)

    def enter(self, listener: Listener) -> None:
        """Add a page; called in its loop. It is told who is where at its site before anything else."""
        with self._lock:
            self._listeners.add(listener)
            places = [place for (site, _), place in self._places.items() if site in listener.sites]
        for place in places:
            listener.put(encoded("bench", place))
        self._tell_who(listener.sites)

    def leave(self, listener: Listener) -> None:
        with self._lock:
            self._listeners.discard(listener)
            still = {site for one in self._listeners if one.name == listener.name for site in one.sites}
            for site in listener.sites - still:
                self._places.pop((site, listener.name), None)
        self._tell_who(listener.sites)

    def changed(self, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        """Tell every page of a revision. Called while a writer has the turn, so it only leaves word."""
        data = {
            "site": plan.key,
            "number": saved.number,
            "by": saved.by,
            "sentence": saved.sentence[:400],
            "affected": sorted(affected)[:500],
        }
        self._send("revision", data)

    def on_bench(self, site: str, data: dict[str, Any]) -> None:
        """Tell every page at a site, and those that are opened later, at which step of which box somebody is, or that
        something was recorded there."""
        place = data | {"site": site}
        with self._lock:
            self._places.pop((site, data["name"]), None)
            self._places[site, data["name"]] = {key: said for key, said in place.items() if key != "recorded"}
            if len(self._places) > PLACES:
                del self._places[next(iter(self._places))]
        self._send("bench", place, site)

    def _tell_who(self, sites: frozenset[str]) -> None:
        for site in sorted(sites):
            with self._lock:
                names = sorted({listener.name for listener in self._listeners if site in listener.sites})
            self._send("here", {"site": site, "names": names}, site)

    def _send(self, event: str, data: Any, site: str = "") -> None:
        """Leave an event for all pages, or those at a site: once for each loop, encoded once."""
        with self._lock:
            here = [one for one in self._listeners if not site or site in one.sites]
        words = encoded(event, data) if here else b""
        for loop in {listener.loop for listener in here}:
            loop.call_soon_threadsafe(_put_all, [one for one in here if one.loop is loop], words)


def _put_all(listeners: list[Listener], event: bytes) -> None:
    for listener in listeners:
        listener.put(event)


class EventStream(Response):
    """The events of one listener for as long as its page is open and its session has not ended."""

    media_type = "text/event-stream"

    def __init__(self, hub: Hub, listener: Listener, accounts: Accounts, token: str, status_code: int = 200) -> None:
        super().__init__(status_code=status_code)
        self._hub = hub
        self._listener = listener
        self._accounts = accounts
        self._token = token
        del self.headers["content-length"]
        self.headers["X-Accel-Buffering"] = "no"

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        await send({"type": "http.response.start", "status": self.status_code, "headers": self.raw_headers})
        self._hub.enter(self._listener)
        sending = asyncio.create_task(self._events(send))
        gone = asyncio.create_task(_disconnected(receive))
        try:
            await asyncio.wait({sending, gone}, return_when=asyncio.FIRST_COMPLETED)
        finally:
            self._hub.leave(self._listener)
            for task in (sending, gone):
                task.cancel()
            await asyncio.gather(sending, gone, return_exceptions=True)

    async def _events(self, send: Send) -> None:
        async def out(words: bytes, *, more: bool = True) -> None:
            await send({"type": "http.response.body", "body": words, "more_body": more})

        listener = self._listener
        await out(encoded("open", {}))
        asked = listener.loop.time()
        while True:
            try:
                async with asyncio.timeout(PATIENCE):
                    await listener.come.wait()
            except TimeoutError:
                listener.put(b": still here\n\n")
            if listener.loop.time() - asked >= PATIENCE:
                asked = listener.loop.time()
                if await run_in_threadpool(self._accounts.person, self._token) is None:
                    await out(encoded("ended", {}), more=False)
                    return
            await out(listener.take())
            await asyncio.sleep(GATHERED)


async def _disconnected(receive: Receive) -> None:
    while (await receive())["type"] != "http.disconnect":
        pass


@router.get("/events", response_class=EventStream)
async def events(
    request: Request,
    person: Looking,
    at: Annotated[list[Annotated[str, Query(max_length=90)]], Query(max_length=MOST_SITES)] = [],  # noqa: B006
) -> Response:
    """Changes of all sites as they are saved, and who else is `at` the same sites (`CUSTOMER/SITE`)."""
    listener = Listener(person.full_name, frozenset(filter(None, map(str.casefold, at))), asyncio.get_running_loop())
    return EventStream(request.app.state.hub, listener, request.app.state.records.accounts, session_token(request))
