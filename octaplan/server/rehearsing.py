"""Rehearsals that are under way: one at a site and a few on the machine, each followed by a thread of its own."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any

import structlog

from octaplan.core.plan.organisation import Organisation
from octaplan.core.values.errors import OctaplanError, RefusedError
from octaplan.lab.rehearsal.rehearsing import Rehearsing
from octaplan.store.rehearsals import Rehearsals
from octaplan.store.snapshot import Held

#: So many run at once on this machine, and one ends after so many seconds, come what may.
MOST_AT_ONCE, LONGEST = 2, 180.0

log = structlog.get_logger()


class RehearsalBusy(RefusedError):
    """A rehearsal cannot begin now."""


@dataclass
class UnderWay:
    """A rehearsal as far as it is. `down` are the circuits that are down in it at this moment."""

    by: str
    revision: int
    process: Rehearsing
    began: float = field(default_factory=time.monotonic)
    phase: str = "planning"
    spaces: list[dict[str, str]] = field(default_factory=list)
    cables: list[list[str]] = field(default_factory=list)
    questions: int = 0
    answered: int = 0
    down: list[str] = field(default_factory=list)
    stopped: bool = False

    def hear(self, event: dict[str, Any]) -> None:
        """Take in what it tells."""
        kind = event["event"]
        if kind == "planned":
            self.phase, self.spaces, self.cables = "building", event["spaces"], event["cables"]
            self.questions = event["probes"]
        elif kind == "up":
            self.phase = "leases"
        elif kind == "asking":
            self.phase, self.down = "asking", event["down"]
        elif kind == "answer":
            self.answered += 1


class RehearsalDesk:
    """Begins rehearsals, follows them, and keeps what came of them."""

    def __init__(self, rehearsals: Rehearsals) -> None:
        self._rehearsals = rehearsals
        self._lock = threading.Lock()
        self._running: dict[str, UnderWay] = {}
        self._problems: dict[str, str] = {}

    def begin(self, held: Held, organisation: Organisation, by: str) -> None:
        """Begin one of a site as it is saved. Raises `RehearsalBusy`, `NoGround`, `Broken`."""
        key = held.plan.key
        with self._lock:
            if key in self._running:
                raise RehearsalBusy(
                    f"{self._running[key].by} rehearses this site already: look at that one, or stop it first"
                )
            if len(self._running) >= MOST_AT_ONCE:
                raise RehearsalBusy(
                    f"{len(self._running)} sites are rehearsed at this moment, as many as go at once: try again soon"
                )
            task = {"plan": held.plan.document(), "organisation": organisation.model_dump(mode="json")}
            under_way = self._running[key] = UnderWay(by, held.saved.number, Rehearsing(task))
            self._problems.pop(key, None)
        threading.Thread(target=self._follow, args=(held, under_way), name=f"rehearsal {key}", daemon=True).start()

    def at(self, key: str) -> UnderWay | None:
        """The rehearsal that is under way at a site."""
        return self._running.get(key)

    def problem(self, key: str) -> str:
        """Why the last one came to no result; empty when it did."""
        return self._problems.get(key, "")

    def stop(self, key: str) -> None:
        """Stop the one at a site; nothing is kept of it."""
        under_way = self._running.get(key)
        if under_way is not None:
            under_way.stopped = True
            under_way.process.stop()

    def close(self) -> None:
        """Stop all of them."""
        for key in list(self._running):
            self.stop(key)

    def _follow(self, held: Held, under_way: UnderWay) -> None:
        key = held.plan.key
        timer = threading.Timer(LONGEST, under_way.process.stop)
        timer.daemon = True
        timer.start()
        try:
            for event in under_way.process.events():
                if event["event"] == "refused":
                    self._problems[key] = event["message"]
                elif event["event"] == "result":
                    result = {name: value for name, value in event.items() if name != "event"}
                    self._rehearsals.keep(held, result, under_way.by)
                else:
                    under_way.hear(event)
        except OctaplanError as error:
            late = time.monotonic() - under_way.began >= LONGEST
            said = f"It took longer than {LONGEST:.0f} seconds and was stopped" if late else str(error)
            self._problems[key] = f"{under_way.by} stopped it" if under_way.stopped else said
        except Exception:
            log.exception("a rehearsal was lost", site=key)
            self._problems[key] = "It came to no result, by a mistake of Octaplan's own: tell who maintains it"
        finally:
            timer.cancel()
            under_way.process.stop()
            with self._lock:
                self._running.pop(key, None)
