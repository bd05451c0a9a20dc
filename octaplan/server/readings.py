"""How many secrets somebody reads: whoever reads very many is slowed down, and the administrators are told."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from datetime import UTC, datetime
from http import HTTPStatus
from math import ceil
from typing import NamedTuple

from octaplan.server.problems import Problem
from octaplan.store.accounts import Person
from octaplan.store.journal import Act, Journal

#: So many secrets one person reads freely in an hour: those of some sites. From then on one waits between two readings.
FREELY, WINDOW, BETWEEN = 60, 3_600.0, 60.0


class MuchRead(NamedTuple):
    """Somebody who has read very many secrets, and when that was noticed."""

    full_name: str
    at: datetime


class SecretReadings:
    """The readings of the last hour, by account. What Octaplan's hands tell a box does not count."""

    def __init__(self, journal: Journal, clock: Callable[[], float] = time.monotonic) -> None:
        self._journal, self._clock = journal, clock
        self._at: dict[str, list[float]] = {}
        self._until: dict[str, float] = {}
        self._lock = threading.Lock()
        self.noticed: dict[str, MuchRead] = {}

    def count(self, person: Person, many: int = 1) -> None:
        """Count readings that are about to be made. Raises `Problem` for one who has to wait, of which nothing is
        counted."""
        with self._lock:
            now = self._clock()
            recent = [at for at in self._at.get(person.name, ()) if now - at < WINDOW]
            wait = self._until.get(person.name, 0.0) - now
            if len(recent) >= FREELY and wait > 0:
                raise Problem(
                    HTTPStatus.TOO_MANY_REQUESTS,
                    f"You have read {len(recent)} secrets within an hour, and the administrators know: wait "
                    f"{ceil(wait)} s before the next",
                    retry_after=ceil(wait),
                )
            self._at[person.name] = [*recent, *[now] * many]
            beyond = len(recent) + many - FREELY
            self._until[person.name] = now + BETWEEN * max(1, min(many, beyond))
            news = len(recent) < FREELY <= len(recent) + many
        if news:
            self.noticed[person.name] = MuchRead(person.full_name, datetime.now(UTC))
            self._journal.note(Act.MUCH, person.author, f"{FREELY} within an hour, from then on slowly")
