"""A rehearsal as whoever asks for it has it: a process of its own, in namespaces of its own.

It hangs on this one by a pipe and ends with it.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Any

from octaplan.core.values.errors import RefusedError
from octaplan.lab.spaces.ground import NoGround, apart, end, missing, path, within


class Broken(RefusedError):
    """A rehearsal ended before it came to a result."""


class Rehearsing:
    """One rehearsal under way: what it tells comes out line by line, and leaving it ends it."""

    def __init__(self, task: dict[str, Any]) -> None:
        lacks = missing()
        if lacks:
            raise NoGround(lacks)
        root = Path(__file__).parents[3]
        self._process = subprocess.Popen(  # noqa: S603
            [*apart(), sys.executable, "-m", "octaplan.lab.rehearsal"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            cwd=root,
            env={**os.environ, "PATH": path()},
        )
        assert self._process.stdin is not None  # noqa: S101  (a pipe was asked for)
        try:
            self._process.stdin.write(json.dumps(task) + "\n")
            self._process.stdin.flush()
        except OSError:
            self.stop()
            raise Broken("The rehearsal did not begin: the machine ended its process") from None

    def __enter__(self) -> Rehearsing:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.stop()

    def events(self) -> Iterator[dict[str, Any]]:
        """What it tells, up to its result. Raises `Broken` when it ends before."""
        assert self._process.stdout is not None  # noqa: S101
        for line in self._process.stdout:
            event = json.loads(line)
            yield event
            if event["event"] in ("result", "refused"):
                return
        self._process.wait()
        said = self._process.stderr.read().strip() if self._process.stderr is not None else ""
        last = said.splitlines()[-1] if said else "it was stopped"
        raise Broken(f"The rehearsal ended before it came to a result: {last[:300]}")

    @property
    def pid(self) -> int:
        """The process that holds the spaces, as this machine numbers it."""
        return within(self._process)

    def end(self) -> None:
        """Let go of a network that was kept up, so that it comes to its result."""
        if self._process.stdin is not None:
            self._process.stdin.write("\n")
            self._process.stdin.flush()

    def stop(self) -> None:
        """End it, wherever it is; what it made is gone when this returns."""
        end(self._process)
        for pipe in (self._process.stdin, self._process.stdout, self._process.stderr):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue
