"""What happens while a page is open, as server-sent events: changes of sites, and who looks at the same one."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import AsyncIterator
from dataclasses import dataclass, field
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.sse import EventSourceResponse, ServerSentEvent

from octaplan.core.plan import SitePlan
from octaplan.server.permissions import COOKIE, Looking
from octaplan.store.saved import Saved

router = APIRouter(prefix="/api", tags=["events"])

#: How many events may wait for a page that does not read them; it is told to look at everything anew then.
WAITING = 200

#: Seconds after which a stream makes sure that its session has not ended.
PATIENCE = 20.0


@dataclass(eq=False)
class Listener:
    """One open page: who has it open, at which site, and what it has not been sent yet."""

    name: str
    site: str
    loop: asyncio.AbstractEventLoop
    queue: asyncio.Queue[ServerSentEvent] = field(default_factory=lambda: asyncio.Queue(WAITING))

    def send(self, event: ServerSentEvent) -> None:
        """Put an event before the page; may be called from any thread."""
        self.loop.call_soon_threadsafe(self._put, event)

    def _put(self, event: ServerSentEvent) -> None:
        if self.queue.full():
            while not self.queue.empty():
                self.queue.get_nowait()
            event = ServerSentEvent(event="all", data={})
        self.queue.put_nowait(event)


class Hub:
    """All open pages."""

    def __init__(self) -> None:
        self._listeners: list[Listener] = []
        self._lock = threading.Lock()

    def enter(self, listener: Listener) -> None:
        with self._lock:
            self._listeners.append(listener)
        self._tell_who(listener.site)

    def leave(self, listener: Listener) -> None:
        with self._lock:
            self._listeners.remove(listener)
        self._tell_who(listener.site)

    def changed(self, saved: Saved, plan: SitePlan, affected: set[str]) -> None:
        """Tell every page of a revision. Called while the plans are held, so it only leaves word."""
        data = {
            "site": plan.key,
            "number": saved.number,
            "by": saved.by,
            "sentence": saved.sentence[:400],
            "affected": sorted(affected)[:500],
        }
        with self._lock:
            for listener in self._listeners:
                listener.send(ServerSentEvent(event="revision", data=data))

    def _tell_who(self, site: str) -> None:
        if not site:
            return
        with self._lock:
            here = [listener for listener in self._listeners if listener.site == site]
            names = sorted({listener.name for listener in here})
            for listener in here:
                listener.send(ServerSentEvent(event="here", data={"site": site, "names": names}))


@router.get("/events", response_class=EventSourceResponse)
async def events(
    request: Request, person: Looking, at: Annotated[str, Query(max_length=90)] = ""
) -> AsyncIterator[ServerSentEvent]:
    """Changes of all sites as they are saved, and who else is `at` the same site (`CUSTOMER/SITE`)."""
    hub: Hub = request.app.state.hub
    listener = Listener(person.full_name, at.casefold(), asyncio.get_running_loop())
    hub.enter(listener)
    token = request.cookies.get(COOKIE, "")
    clock, asked = listener.loop.time, listener.loop.time()
    try:
        yield ServerSentEvent(event="open", data={})
        while True:
            if clock() - asked >= PATIENCE:
                asked = clock()
                if await run_in_threadpool(request.app.state.accounts.person, token) is None:
                    yield ServerSentEvent(event="ended", data={})
                    return
            try:
                yield await asyncio.wait_for(listener.queue.get(), PATIENCE)
            except TimeoutError:
                continue
    finally:
        hub.leave(listener)
