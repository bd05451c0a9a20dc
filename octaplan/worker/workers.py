"""Errands done in child processes: each in one of its own, with limits of memory, time and processor.

The children are forked off a process that has imported the core and does nothing else (`forkserver`), so that one is
there within milliseconds, knows nothing of an earlier one, and holds neither a lock nor a file of the server. Whatever
an errand does, the server waits for it no longer than `SECONDS`, and nobody else waits for it at all.

RefusedError
└─ NotDone        an errand was given up, or there was no room for it
"""

from __future__ import annotations

import gc
import multiprocessing
import os
import resource
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from importlib.util import find_spec
from multiprocessing.connection import Connection
from typing import Any, NamedTuple, ParamSpec, TypeVar

from octaplan.core.values.errors import OctaplanError, RefusedError

Sent = ParamSpec("Sent")
Brought = TypeVar("Brought")

#: What an errand may take: seconds of the clock, of the processor, and bytes beyond what the child began with.
SECONDS, PROCESSOR, MEMORY = 10.0, 8, 600 << 20

#: So many errands at once, so many of one person's; others wait so many seconds for their turn.
AT_ONCE, OF_ONE, PATIENCE = 3, 2, 15.0

#: So often in a second whoever waits for an errand is asked whether to go on.
ASKED = 5


class Limits(NamedTuple):
    """What each errand may take: seconds of the clock and of the processor, bytes."""

    seconds: float
    processor: int
    memory: int


#: Large workbooks are legitimate.
OF_WORKBOOKS = Limits(300.0, 240, 1_500 << 20)


class NotDone(RefusedError):
    """An errand was given up, or there was no room for it."""


class Workers:
    """The child processes of one server."""

    def __init__(self, preload: tuple[str, ...] = ("octaplan.worker.errands",), limits: Limits | None = None) -> None:
        self._limits = limits
        _run_no_script_again()
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload([*preload])
        self._turns = threading.BoundedSemaphore(AT_ONCE)
        self._lock = threading.Lock()
        self._of: Counter[str] = Counter()

    def warm(self) -> None:
        """Have the process that the children are forked off ready."""
        self.do("", os.getpid)

    def do(self, who: str, errand: Callable[Sent, Brought], *args: Sent.args, **named: Sent.kwargs) -> Brought:
        """Do an errand for somebody in a process of its own. Raises what it raises of `OctaplanError`, or `NotDone`."""
        return self.do_while(lambda: None, who, errand, *args, **named)

    def do_while(
        self,
        wanted: Callable[[], None],
        who: str,
        errand: Callable[Sent, Brought],
        *args: Sent.args,
        **named: Sent.kwargs,
    ) -> Brought:
        """The same, given up by what `wanted` raises, which is called while it goes on."""
        with self._lock:
            if who and self._of[who] >= OF_ONE:
                raise NotDone(f"{OF_ONE} of yours are being worked on: wait until one is done")
            self._of[who] += 1
        try:
            if not self._turns.acquire(timeout=PATIENCE):
                raise NotDone("Too much is being worked on at the moment: try again in a minute")
            try:
                return self._done(wanted, errand, args, named)
            finally:
                self._turns.release()
        finally:
            with self._lock:
                self._of[who] -= 1
                if not self._of[who]:
                    del self._of[who]

    def _done(self, wanted: Callable[[], None], errand: Callable[..., Brought], args: Any, named: Any) -> Brought:
        limits = self._limits or Limits(SECONDS, PROCESSOR, MEMORY)
        ours, theirs = self._context.Pipe(duplex=False)
        child = self._context.Process(target=_work, args=(theirs, limits, errand, args, named), daemon=True)
        ends = time.monotonic() + limits.seconds
        with ours:
            child.start()
            theirs.close()
            try:
                while not (there := ours.poll(1 / ASKED)) and time.monotonic() < ends:
                    wanted()
                brought = ours.recv() if there else None
            except EOFError:
                brought = None
            finally:
                child.kill()
                child.join()
        if brought is None:
            most = f"{limits.seconds:g} s, or {limits.memory >> 20} MB of memory"
            raise NotDone(
                f"This took more than it may ({most}) and was given up: give less of it, or write it more simply"
            )
        good, what = brought
        if good:
            return what  # type: ignore[no-any-return]
        kind, words, more = what
        error: OctaplanError = kind.__new__(kind)
        error.args = words
        error.__dict__.update(more)
        raise error


def _run_no_script_again() -> None:
    """Let children not run the script that the server was started by, as `multiprocessing` has them do: it takes it for
    the main module of a package, which is left alone."""
    script = sys.modules["__main__"]
    if script.__spec__ is None:
        script.__spec__ = find_spec("octaplan.__main__")


def _work(out: Connection, limits: Limits, errand: Callable[..., Any], args: Any, named: Any) -> None:
    """What a child does: the errand, within its limits."""
    with open("/proc/self/statm", encoding="ascii") as told:
        begun = int(told.read().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (begun + limits.memory, begun + limits.memory))
    resource.setrlimit(resource.RLIMIT_CPU, (limits.processor, limits.processor))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    gc.disable()  # it ends before there is anything to gain by it
    try:
        brought: tuple[bool, Any] = (True, errand(*args, **named))
    except OctaplanError as error:
        brought = (False, (type(error), error.args, error.__dict__))
    except MemoryError:
        return
    try:
        out.send(brought)
    except MemoryError:
        return
