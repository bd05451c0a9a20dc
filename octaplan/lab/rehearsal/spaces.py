"""Spaces on this machine: network namespaces that are held by this process alone, so that they end with it.

Nothing of it has a name that outlasts the process: no file under `/run/netns`, no interface of the machine's own. When
the process dies, by whatever signal, the kernel takes the namespaces down and everything in them.
"""

from __future__ import annotations

import ctypes
import os
import socket
import struct
import subprocess
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from octaplan.core.values.errors import OctaplanError
from octaplan.lab.rehearsal.design import Design, Space, SpaceKind, WayOut

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


class NotBroughtUp(OctaplanError):
    """The machine refuses to build the network."""


class Yard:
    """The spaces of one design, brought up. Close it to take all of it down."""

    def __init__(self, design: Design) -> None:
        self.design = design
        self._home = os.open("/proc/thread-self/ns/net", os.O_RDONLY)
        self._held: dict[str, int] = {}
        self._routes: dict[str, list[str]] = {}
        try:
            self._build()
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        for fd in self._held.values():
            os.close(fd)
        self._held.clear()
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

    # --- Building

    def _build(self) -> None:
        design = self.design
        for key, space in design.spaces.items():
            self._held[key] = self._made()
            self._settle(key, space)
        links = [
            f"link add {face} netns {self._fd(one)} type veth peer name {end} netns {self._fd(other)}"
            for one, face, other, end in design.cables
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
        for key, space in design.spaces.items():
            self._bring_up(key, space)

    def _made(self) -> int:
        if _LIBC.unshare(_NEW_NETWORK) != 0:
            raise NotBroughtUp(f"The machine refuses a network namespace: {os.strerror(ctypes.get_errno())}")
        try:
            return os.open("/proc/thread-self/ns/net", os.O_RDONLY)
        finally:
            _enter(self._home)

    def _fd(self, key: str) -> str:
        return f"/proc/self/fd/{self._held[key]}"

    def _settle(self, key: str, space: Space) -> None:
        """What a space is told before it has any interface, since those take after it."""
        with self.inside(key):
            for name, value in _SETTINGS.items():
                _set(name, value)
            if space.kind is SpaceKind.CLIENT:
                _set("ipv6/conf/default/accept_ra", "1")
            if space.kind is SpaceKind.INTERNET:
                _set("ipv4/conf/all/accept_local", "1")
            if space.forwards:
                _set("ipv4/ip_forward", "1")
                _set("ipv6/conf/all/forwarding", "1")

    def _bring_up(self, key: str, space: Space) -> None:
        lines = ["link set lo up"]
        if space.kind is SpaceKind.WIRES:
            for bridge, ends in self.design.bridges.items():
                lines += [f"link add {bridge} type bridge", f"link set {bridge} up"]
                lines += [f"link set {end} master {bridge} up" for end in ends]
        for face, held in space.faces.items():
            lines.append(f"link set {face} up")
            for address, net in held:
                dad = " nodad" if net.family == 6 else ""
                lines.append(f"address add {address}/{net.prefix} dev {face} noprefixroute{dad}")
        self._routes[key] = route_lines(space.routes)
        lines += [f"route add {route}" for route in self._routes[key]]
        self._batch(key, lines)
        if space.rules:
            told = self.run(key, ["nft", "-f", "-"], space.rules)
            if told:
                raise NotBroughtUp(f"The rules of {space.title} are refused: {told.strip()[:400]}\n{space.rules}")

    def forget(self) -> None:
        """Forget all connections, so that what is asked next is new everywhere."""
        for key in self.design.spaces:
            with self.inside(key):
                forget_connections()

    def _batch(self, key: str, lines: list[str]) -> None:
        told = self.run(key, ["ip", "-force", "-batch", "-"], "\n".join(lines))
        title = self.design.spaces[key].title
        for line in told.splitlines():
            if line.startswith("Command failed"):
                number = int(line.rpartition(":")[2])
                self.design.unbuilt.append(f"{title}: the network refuses “{lines[number - 1]}”")

    def route(self, key: str, ways: Iterable[WayOut]) -> None:
        """Give a space another table."""
        before, after = self._routes[key], route_lines(ways)
        gone = [f"route del {line}" for line in before if line not in after]
        self._batch(key, [*gone[::-1], *(f"route add {line}" for line in after if line not in before)])
        self._routes[key] = after


def forget_connections() -> None:
    """Make the kernel forget every connection that it follows in this space (nfnetlink of Linux)."""
    ask = struct.pack("=IHHIIBBH", 20, 1 << 8 | 2, 1 | 4, 1, 0, 0, 0, 0)  # conntrack, delete, all of them
    with socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, 12) as netlink:
        netlink.sendto(ask, (0, 0))
        code = struct.unpack_from("=i", netlink.recv(4096), 16)[0]
    if code:
        raise NotBroughtUp(f"The machine does not forget connections: {os.strerror(-code)}")


def route_lines(ways: Iterable[WayOut]) -> list[str]:
    """Routes as `ip route add` takes them, those that others build on first."""
    found = []
    for way in sorted(ways, key=lambda way: way.via is not None):
        if way.face == "":
            found.append(f"unreachable {way.to} metric {way.metric}")
            continue
        via = f"via {way.via} " if way.via is not None else ""
        source = f" src {way.source}" if way.source is not None else ""
        metric = f" metric {way.metric}" if way.metric else ""
        found.append(f"{way.to} {via}dev {way.face}{source}{metric}")
    return list(dict.fromkeys(found))


def _enter(fd: int) -> None:
    if _LIBC.setns(fd, _NEW_NETWORK) != 0:
        raise NotBroughtUp(f"The machine refuses to enter a network namespace: {os.strerror(ctypes.get_errno())}")


def _set(name: str, value: str) -> None:
    path = Path("/proc/sys/net") / name
    if path.exists():
        path.write_text(value)
