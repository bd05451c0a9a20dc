"""Whether this machine permits network namespaces, and the command that begins them.

What is built in them hangs on a process of its own; with it the kernel takes down all that it made, also after a kill.

NoGround              this machine permits none
"""

from __future__ import annotations

import contextlib
import os
import select
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

from octaplan.core.values.errors import RefusedError

#: The programs it is made with, each with Debian's package of it.
_NEEDED = {"unshare": "util-linux", "ip": "iproute2", "nft": "nftables"}

#: Seconds in which the kernel ends a process that was killed.
_ENDS = 10.0

#: Programs without which some of it is left out, and what that is.
LEASES = {"dnsmasq": "dnsmasq-base", "udhcpc": "udhcpc"}


class NoGround(RefusedError):
    """This machine permits no network namespaces, with what is missing and how to get it."""


def missing(what: str = "A rehearsal") -> str:
    """What keeps this machine from it, as a sentence; empty when nothing does."""
    if sys.platform != "linux":
        return f"{what} needs Linux: its networks are network namespaces of the kernel"
    lacking = [package for program, package in _NEEDED.items() if _found(program) is None]
    if lacking:
        return f"{what} needs {' and '.join(lacking)}: install it with “apt install {' '.join(lacking)}”"
    tried = subprocess.run([*apart(), "true"], capture_output=True, text=True, check=False)  # noqa: S603
    if tried.returncode:
        who = (
            ""
            if os.geteuid() == 0
            else ", or user namespaces for everybody (sysctl kernel.unprivileged_userns_clone=1)"
        )
        return f"{what} needs root{who}: this machine says “{tried.stderr.strip()[:200]}”"
    return ""


def without_leases() -> str:
    """What is missing for leases and names; empty when nothing is."""
    return " and ".join(package for program, package in LEASES.items() if _found(program) is None)


def path() -> str:
    """Where programs are looked for: those of the system too, which not every account has in its path."""
    return f"{os.environ.get('PATH', '')}:/usr/sbin:/sbin"


def _found(program: str) -> str | None:
    return shutil.which(program, path=path())


def apart() -> list[str]:
    """The command before a command, with which it runs in namespaces of its own that end with it."""
    users = [] if os.geteuid() == 0 else ["--user", "--map-root-user"]
    return [_found("unshare") or "unshare", *users, "--net", "--pid", "--fork", "--kill-child", "--mount-proc"]


def within(process: subprocess.Popen[Any]) -> int:
    """The process that runs in the namespaces which a command of `apart` made, as this machine numbers it."""
    children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
    return int(children[0]) if children else process.pid


def end(process: subprocess.Popen[Any]) -> None:
    """End a command of `apart`, and what runs in its namespaces; both are gone when this returns."""
    watched = None
    with contextlib.suppress(OSError):  # it may have ended by itself
        watched = os.pidfd_open(within(process))
    process.kill()
    process.wait()
    if watched is not None:
        select.select([watched], [], [], _ENDS)
        os.close(watched)
