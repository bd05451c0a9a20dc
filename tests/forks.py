"""Octaplan as a process of its own, forked off one that has imported it: what is started a hundred times in the tests
need not be imported a hundred times. That `python -m octaplan` itself starts is tested besides."""

from __future__ import annotations

import contextlib
import functools
import multiprocessing
import os
import subprocess
import sys
import tempfile
from multiprocessing.context import ForkServerContext
from multiprocessing.process import BaseProcess
from pathlib import Path
from typing import IO


@functools.cache
def _context() -> ForkServerContext:
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["octaplan.__main__", "octaplan.cli", "octaplan.server.app"])
    return context


def _octaplan(arguments: list[str], streams: tuple[str, str, str]) -> None:
    """What the new process does: take the streams, then be `octaplan`."""
    for number, (path, mode) in enumerate(zip(streams, (os.O_RDONLY, os.O_WRONLY, os.O_WRONLY), strict=True)):
        descriptor = os.open(path, mode)
        os.dup2(descriptor, number)
        os.close(descriptor)
    sys.stdin, sys.stdout, sys.stderr = (os.fdopen(n, mode) for n, mode in enumerate(("r", "w", "w")))
    sys.argv = ["octaplan", *arguments]
    from octaplan.__main__ import main

    try:
        main()
    finally:
        for stream in (sys.stdout, sys.stderr):
            with contextlib.suppress(BrokenPipeError):
                stream.flush()


def run(*arguments: object, text: str = "") -> subprocess.CompletedProcess[str]:
    """Run `octaplan` to its end, with a text as its input."""
    given = [str(argument) for argument in arguments]
    with tempfile.TemporaryDirectory() as folder:
        streams = [Path(folder) / name for name in ("in", "out", "err")]
        for stream in streams:
            stream.write_text(text if stream.name == "in" else "")
        process = _context().Process(target=_octaplan, args=(given, tuple(map(str, streams))))
        process.start()
        process.join(60)
        if process.exitcode is None:
            process.kill()
            raise TimeoutError(f"octaplan {' '.join(given)} did not end")
        return subprocess.CompletedProcess(given, process.exitcode, streams[1].read_text(), streams[2].read_text())


class Server:
    """`octaplan serve`, until it is ended; what it says can be read line by line."""

    def __init__(self, *arguments: object) -> None:
        with tempfile.TemporaryDirectory() as folder:
            said = Path(folder) / "said"
            os.mkfifo(said)
            streams = (os.devnull, str(said), os.devnull)
            given = ["serve", *map(str, arguments)]
            self._process: BaseProcess = _context().Process(target=_octaplan, args=(given, streams))
            self._process.start()
            self.said: IO[str] = said.open()

    def until(self, words: str) -> str:
        """All that it says up to the line with some words, or to its end."""
        said = ""
        while words not in said and (line := self.said.readline()):
            said += line
        return said

    def end(self) -> None:
        """Kill it."""
        self._process.kill()
        self._process.join()
        self.said.close()
