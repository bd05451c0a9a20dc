"""Spaces on this machine: network namespaces that are held by this process alone, so that they end with it.

Nothing of it has a name that outlasts the process: no file under `/run/netns`, no interface of the machine's own. When
the process dies, by whatever signal, the kernel takes the namespaces down and everything in them.
"""

from __future__ import annotations

import ctypes
import itertools
import os
import re
import socket
import struct
import subprocess
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from octaplan.core.values.errors import RefusedError

_NEW_NETWORK = 0x40000000  # CLONE_NEWNET
_LIBC = ctypes.CDLL(None, use_errno=True)

#: What every space is told: no waiting for duplicates of IPv6 addresses, nobody's advice on routes, and an address
#: answers on its own interface only.
_SETTINGS = {
    "ipv4/conf/all/rp_filter": "0",
    "ipv4/conf/default/rp_filter": "0",
    "ipv4/conf/all/accept_redirects": "0",
    "ipv4/conf/default/accept_redirects": "0",
    "ipv4/conf/all/send_redirects": "0",
    "ipv4/conf/default/send_redirects": "0",
    "ipv4/conf/all/arp_ignore": "1",
    "ipv4/conf/all/arp_announce": "2",
    "ipv6/conf/all/accept_dad": "0",
    "ipv6/conf/default/accept_dad": "0",
    "ipv6/conf/default/accept_ra": "0",
    "ipv6/conf/default/accept_redirects": "0",
}


#: What a line for `ip` is made of: never an end of line, which would begin another command.
_LINE = re.compile(r"(?!netns\b)[\w.:/ -]{1,300}", re.ASCII)


class NotBroughtUp(RefusedError):
    """The machine refuses to build the network."""


class Spaces:
    """Network namespaces by key. Close it to take all of them down."""

    def __init__(self) -> None:
        self._home = os.open("/proc/thread-self/ns/net", os.O_RDONLY)
        self._held: dict[str, int] = {}
        self._numbers = itertools.count(1_000)

    def make(self, key: str) -> None:
        """Make a space, with nothing in it that is up. Raises `NotBroughtUp`."""
        if _LIBC.unshare(_NEW_NETWORK) != 0:
            raise NotBroughtUp(f"The machine refuses a network namespace: {os.strerror(ctypes.get_errno())}")
        try:
            self._held[key] = os.open("/proc/thread-self/ns/net", os.O_RDONLY)
            for name, value in _SETTINGS.items():
                setting(name, value)
        finally:
            _enter(self._home)

    def __contains__(self, key: object) -> bool:
        return key in self._held

    def drop(self, key: str) -> None:
        """Let go of a space: the kernel takes it down once no program is in it any more."""
        os.close(self._held.pop(key))

    def close(self) -> None:
        """Let go of all of them."""
        for key in list(self._held):
            self.drop(key)
        if self._home >= 0:
            os.close(self._home)
            self._home = -1

    def path(self, key: str) -> str:
        """Where the kernel shows a space, for as long as this process lives."""
        return f"/proc/{os.getpid()}/fd/{self._held[key]}"

    @contextmanager
    def inside(self, key: str) -> Iterator[None]:
        """Whatever this thread makes meanwhile, sockets and processes, is in a space."""
        _enter(self._held[key])
        try:
            yield
        finally:
            _enter(self._home)

    def run(self, key: str, command: Sequence[str], text: str = "") -> str:
        """Run a command in a space; what it says against it."""
        with self.inside(key):
            done = subprocess.run(command, input=text, capture_output=True, text=True, check=False)  # noqa: S603
        return done.stderr

    def batch(self, key: str, lines: Sequence[str]) -> list[str]:
        """Have `ip` do several things in a space; the lines that the network refuses, and those that are none."""
        strange = [line for line in lines if _LINE.fullmatch(line) is None]
        lines = [line for line in lines if line not in strange]
        told = self.run(key, ["ip", "-force", "-batch", "-"], "\n".join(lines)) if lines else ""
        numbers = [int(line.rpartition(":")[2]) for line in told.splitlines() if line.startswith("Command failed")]
        return [*strange, *(lines[number - 1] for number in numbers)]

    def join(self, cables: Sequence[tuple[str, str, str, str]], *, numbered: bool = False) -> None:
        """Lay cables between spaces, each as space and interface at its two ends. Where the two ends happen to have one
        number the kernel takes up to a second to see it up: `numbered` ends never have. Raises `NotBroughtUp`."""

        def number() -> str:
            return f" index {next(self._numbers)}" if numbered else ""

        links = [
            f"link add {face}{number()} netns {self._fd(one)} type veth "
            f"peer name {end}{number()} netns {self._fd(other)}"
            for one, face, other, end in cables
        ]
        told = subprocess.run(
            ["ip", "-batch", "-"],  # noqa: S607
            input="\n".join(links),
            capture_output=True,
            text=True,
            check=False,
            pass_fds=list(self._held.values()),
        )
        if told.returncode:
            raise NotBroughtUp(f"The machine refuses to make cables: {told.stderr.strip()[:300]}")

    def _fd(self, key: str) -> str:
        return f"/proc/self/fd/{self._held[key]}"


def forget_connections() -> None:
    """Make the kernel forget every connection that it follows in this space (nfnetlink of Linux)."""
    ask = struct.pack("=IHHIIBBH", 20, 1 << 8 | 2, 1 | 4, 1, 0, 0, 0, 0)  # conntrack, delete, all of them
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, 12) as netlink:
        netlink.sendto(ask, (0, 0))
        code = struct.unpack_from("=i", netlink.recv(4096), 16)[0]
    if code:
        raise NotBroughtUp(f"The machine does not forget connections: {os.strerror(-code)}")


def _enter(fd: int) -> None:
    if _LIBC.setns(fd, _NEW_NETWORK) != 0:
        raise NotBroughtUp(f"The machine refuses to enter a network namespace: {os.strerror(ctypes.get_errno())}")


def setting(name: str, value: str) -> None:
    """Tell the kernel something of the space that this thread is in."""
    path = Path("/proc/sys/net") / name
    if path.exists():
        path.write_text(value)
