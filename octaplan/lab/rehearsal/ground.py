"""What a rehearsal stands on: whether this machine permits it, and the process that it happens in.

A rehearsal is a process of its own in namespaces of its own (network, processes, mounts; without root also users). It
hangs on this one by a pipe and ends with it; with it the kernel takes down everything it made, also after a kill.
"""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType
from typing import Any

from octaplan.core.values.errors import OctaplanError

#: The programs it is made with, each with Debian's package of it.
_NEEDED = {"unshare": "util-linux", "ip": "iproute2", "nft": "nftables"}

#: Programs without which some of it is left out, and what that is.
LEASES = {"dnsmasq": "dnsmasq-base", "udhcpc": "udhcpc"}


class NoGround(OctaplanError):
    """This machine cannot rehearse, with what is missing and how to get it."""


class Broken(OctaplanError):
    """A rehearsal ended before it came to a result."""


def missing() -> str:
    """What keeps this machine from rehearsing, as a sentence; empty when nothing does."""
    if sys.platform != "linux":
        return "A rehearsal needs Linux: its networks are network namespaces of the kernel"
    lacking = [package for program, package in _NEEDED.items() if _found(program) is None]
    if lacking:
        return f"A rehearsal needs {' and '.join(lacking)}: install it with “apt install {' '.join(lacking)}”"
    tried = subprocess.run([*apart(), "true"], capture_output=True, text=True, check=False)  # noqa: S603
    if tried.returncode:
        who = (
            ""
            if os.geteuid() == 0
            else ", or user namespaces for everybody (sysctl kernel.unprivileged_userns_clone=1)"
        )
        return f"A rehearsal needs root{who}: this machine says “{tried.stderr.strip()[:200]}”"
    return ""


def without_leases() -> str:
    """What is missing for leases and names; empty when nothing is."""
    return " and ".join(package for program, package in LEASES.items() if _found(program) is None)


def _found(program: str) -> str | None:
    return shutil.which(program, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin")


def apart() -> list[str]:
    """The command before a command, with which it runs in namespaces of its own that end with it."""
    users = [] if os.geteuid() == 0 else ["--user", "--map-root-user"]
    return [_found("unshare") or "unshare", *users, "--net", "--pid", "--fork", "--kill-child", "--mount-proc"]


class Rehearsing:
    """One rehearsal under way: what it tells comes out line by line, and leaving it ends it."""

    def __init__(self, task: dict[str, Any]) -> None:
        lacks = missing()
        if lacks:
            raise NoGround(lacks)
        path = f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin"
        root = Path(__file__).parents[3]
        self._process = subprocess.Popen(  # noqa: S603
            [*apart(), sys.executable, "-m", "octaplan.lab.rehearsal"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
            cwd=root,
            env={**os.environ, "PATH": path},
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
        children = Path(f"/proc/{self._process.pid}/task/{self._process.pid}/children").read_text().split()
        return int(children[0]) if children else self._process.pid

    def end(self) -> None:
        """Let go of a network that was kept up, so that it comes to its result."""
        if self._process.stdin is not None:
            self._process.stdin.write("\n")
            self._process.stdin.flush()

    def stop(self) -> None:
        """End it, wherever it is; what it made is gone when this returns."""
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout, self._process.stderr):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue
