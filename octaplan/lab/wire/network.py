"""The floor as the bench asks for it: a process in namespaces of its own that hangs on this one, and ends with it.

NoNetwork             it does not do what it was asked, or is gone
"""

from __future__ import annotations

import asyncio
import itertools
import json
import os
import socket
import subprocess
import sys
from pathlib import Path
from typing import Any

from octaplan.core.values.errors import RefusedError
from octaplan.lab.spaces.ground import apart, end, path, within

#: An answer is at most so long, with so many sockets.
_MOST, _SOCKETS = 1 << 18, 4


class NoNetwork(RefusedError):
    """The network of the bench does not do what it was asked, or is gone."""


class FloorNetwork:
    """The floor of one bench. Within one running loop."""

    def __init__(self) -> None:
        self._loop = asyncio.get_running_loop()
        self._socket, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        self._socket.setblocking(False)
        with theirs:
            self._process = subprocess.Popen(  # noqa: S603
                [*apart(), sys.executable, "-m", "octaplan.lab.wire", str(theirs.fileno())],
                stdin=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                pass_fds=[theirs.fileno()],
                cwd=Path(__file__).parents[3],
                env={**os.environ, "PATH": path()},
            )
        self._numbers = itertools.count(1)
        self._waiting: dict[int, asyncio.Future[Any]] = {}
        self._loop.add_reader(self._socket, self._answered)
        self.up = True

    @property
    def pid(self) -> int:
        """The process that holds the spaces, as this machine numbers it."""
        return within(self._process)

    async def do(self, what: str, *about: Any) -> Any:
        """Have something done by its name (`floor.DOES`), and wait for what comes of it. Raises `NoNetwork`."""
        if not self.up:
            raise NoNetwork("The network of the practice bench has ended: take the boxes away, and put them there anew")
        number = next(self._numbers)
        waits = self._waiting[number] = self._loop.create_future()
        question = json.dumps({"number": number, "do": what, "with": about}).encode()
        try:
            await self._loop.sock_sendall(self._socket, question)
        except OSError:
            self._end()
        return await waits

    def _answered(self) -> None:
        try:
            told, passed, _, _ = socket.recv_fds(self._socket, _MOST, _SOCKETS)
        except BlockingIOError:
            return
        except OSError:
            told, passed = b"", []
        if not told:
            self._end()
            return
        answer = json.loads(told)
        waits = self._waiting.pop(answer["number"], None)
        sockets = [socket.socket(fileno=one) for one in passed]
        if waits is None or waits.done():
            for one in sockets:
                one.close()
        elif "error" in answer:
            waits.set_exception(NoNetwork(f"The network of the practice bench refuses: {answer['error'][:300]}"))
        else:
            for one in sockets:
                one.setblocking(False)
            waits.set_result(sockets[0] if sockets else answer["is"])

    def _end(self) -> None:
        if not self.up:
            return
        self.up = False
        self._loop.remove_reader(self._socket)
        for waits in self._waiting.values():
            if not waits.done():
                waits.set_exception(NoNetwork("The network of the practice bench has ended"))
        self._waiting.clear()
        self._socket.close()

    async def close(self) -> None:
        """Take it down; what it made is gone when this returns."""
        self._end()
        await asyncio.to_thread(end, self._process)
