"""How often signing in is tried: whoever tries much waits, and nobody else is shut out by it.

A try is counted before anything is worked out for it, and taken back when it succeeds. It is held against the name
together with the address it comes from, against the address, and, for devices that have never been signed in with that
name, against the name alone. All of it goes by a clock that does not jump.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager

#: Failures within the window after which the next try waits.
FOR_NAME_AND_ADDRESS, FOR_ADDRESS, FOR_NAME = 5, 30, 50

WINDOW = 300.0

#: Links for the site that do not open, from one address, after which the next has to wait.
WRONG_LINKS = 30

#: Passwords that are worked out at once, each taking 64 MB, and how many tries may wait for that.
AT_ONCE, WAITING = 2, 24


class Failures:
    """Counts by key in a sliding window. Holds at most 10,000 keys."""

    def __init__(self, most: int, window: float = WINDOW, clock: Callable[[], float] = time.monotonic) -> None:
        self.most = most
        self.window = window
        self._clock = clock
        self._at: OrderedDict[str, list[float]] = OrderedDict()
        self._lock = threading.Lock()

    def count(self, key: str) -> int:
        """Count a try; seconds until the next is permitted when it is one too many, which is then not counted."""
        with self._lock:
            now = self._clock()
            recent = [at for at in self._at.pop(key, ()) if now - at < self.window]
            full = len(recent) >= self.most
            if not full:
                recent.append(now)
            self._at[key] = recent
            while len(self._at) > 10_000:
                self._at.popitem(last=False)
            return int(self.window - (now - recent[-self.most])) + 1 if full else 0

    def forgive(self, key: str, *, all_of_them: bool = False) -> None:
        """Take the newest try back, or all of them."""
        with self._lock:
            recent = self._at.get(key, [])
            if all_of_them or len(recent) <= 1:
                self._at.pop(key, None)
            else:
                recent.pop()


class TooMany(Exception):
    """A try that has to wait so many seconds."""

    def __init__(self, seconds: int) -> None:
        super().__init__(seconds)
        self.seconds = seconds


class Busy(Exception):
    """More people are signing in than can be worked out now."""


class Tries:
    """The tries of one installation, and the turns of working out passwords."""

    def __init__(self, clock: Callable[[], float] = time.monotonic) -> None:
        self._pairs = Failures(FOR_NAME_AND_ADDRESS, clock=clock)
        self._addresses = Failures(FOR_ADDRESS, clock=clock)
        self._names = Failures(FOR_NAME, clock=clock)
        self._room = threading.BoundedSemaphore(WAITING)
        self._turns = threading.BoundedSemaphore(AT_ONCE)
        self.failed = 0

    @contextmanager
    def attempt(self, name: str, address: str, *, known_device: bool = False) -> Iterator[Attempt]:
        """One try. It counts as failed unless it is said to have `succeeded`. Raises `TooMany`, `Busy`."""
        name = name.strip().casefold()[:200]
        keys: list[tuple[Failures, str]] = [(self._pairs, f"{name} {address}"), (self._addresses, address)]
        if not known_device:
            keys.append((self._names, name))
        self._count(keys)
        if not self._room.acquire(blocking=False):
            _take_back(keys)
            raise Busy
        attempt = Attempt()
        try:
            with self._turns:
                yield attempt
        finally:
            self._room.release()
            if attempt.good:
                _take_back(keys)
                self._pairs.forgive(f"{name} {address}", all_of_them=True)
            elif attempt.spared:
                _take_back(keys)
            else:
                self.failed += 1

    @staticmethod
    def _count(keys: Sequence[tuple[Failures, str]]) -> None:
        counted: list[tuple[Failures, str]] = []
        for failures, key in keys:
            wait = failures.count(key)
            if wait:
                _take_back(counted)
                raise TooMany(wait)
            counted.append((failures, key))


class Attempt:
    """What came of a try."""

    good = False
    spared = False

    def succeeded(self) -> None:
        """Everything fits."""
        self.good = True

    def spare(self) -> None:
        """Nothing was tried yet: more is needed before it can be."""
        self.spared = True


def _take_back(counted: Sequence[tuple[Failures, str]]) -> None:
    for failures, key in counted:
        failures.forgive(key)
