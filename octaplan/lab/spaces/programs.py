"""Programs in spaces: dnsmasq that serves leases and names, udhcpc that asks for a lease, and questions for names.

NotServing            a server refuses what it is told
"""

from __future__ import annotations

import contextlib
import os
import secrets
import socket
import struct
import subprocess
import time
from collections.abc import Sequence
from pathlib import Path

from octaplan.core.values.errors import RefusedError
from octaplan.lab.spaces.spaces import Spaces

#: Seconds that a client waits for a lease at most, and for the answer to a name.
PATIENCE, LOOK_UP = 6.0, 0.7

#: Seconds in which a server listens, and between two looks.
_STARTS, _LOOK = 2.0, 0.004

_SCRIPT = b'#!/bin/sh\n[ "$1" = bound ] && env\nexit 0\n'

#: What every server is told.
_USUAL = (
    "no-hosts", "no-resolv", "bind-dynamic", "except-interface=lo", "dhcp-authoritative",
    "leasefile-ro", "no-ping", "quiet-dhcp", "quiet-ra", "quiet-dhcp6",
)  # fmt: skip


class NotServing(RefusedError):
    """A server refuses what it is told, in its own words."""


def serve(spaces: Spaces, key: str, lines: Sequence[str]) -> subprocess.Popen[str]:
    """Start a server of leases and names (RFC 2131, RFC 1035) in a space. Raises `NotServing`.

    Its configuration comes by a pipe, so that no file is left when this process is killed, and it changes to no other
    user, which not every machine permits.
    """
    config, command = "\n".join([*_USUAL, *lines]) + "\n", ["dnsmasq", "--no-daemon", "--conf-file=-"]
    said = spaces.run(key, [*command, "--test"], config)
    if "syntax check OK" not in said:
        raise NotServing(said.strip().partition("dnsmasq: ")[2][:300])
    quiet = subprocess.DEVNULL
    with spaces.inside(key):
        one = subprocess.Popen(  # noqa: S603
            command, stdin=subprocess.PIPE, stdout=quiet, stderr=quiet, text=True
        )
    assert one.stdin is not None  # noqa: S101  (a pipe was asked for)
    with one.stdin as pipe:
        pipe.write(config)
    _listens(one)
    return one


def _listens(one: subprocess.Popen[str]) -> None:
    """Wait until a server listens at the ports of leases or names, or has ended."""
    ends = time.monotonic() + _STARTS
    while one.poll() is None and time.monotonic() < ends:
        with contextlib.suppress(OSError):
            ports = {
                line.split()[1].rpartition(":")[2]
                for line in Path(f"/proc/{one.pid}/net/udp").read_text().splitlines()[1:]
            }
            if ports & {"0043", "0035", "0007"}:
                return
        time.sleep(_LOOK)


class LeaseAsking:
    """Clients that ask for leases. Close it when all have asked."""

    def __init__(self, spaces: Spaces) -> None:
        self._spaces = spaces
        self._script = os.memfd_create("bound", 0)  # a file without a name: it is gone with this process
        os.write(self._script, _SCRIPT)

    def close(self) -> None:
        """Nobody asks any more."""
        os.close(self._script)

    def ask(self, key: str, face: str, options: Sequence[str] = (), tries: int = 5) -> dict[str, str]:
        """What a client is told at an interface (RFC 2131), by the names that udhcpc has for it; nothing without a
        lease. Each try waits a second."""
        script = f"/proc/{os.getpid()}/fd/{self._script}"
        command = ["udhcpc", "-i", face, "-f", "-q", "-n", "-t", str(tries), "-T", "1", "-s", script, *options]
        with self._spaces.inside(key):
            got = subprocess.run(  # noqa: S603
                command,
                capture_output=True,
                text=True,
                check=False,
                timeout=4 * PATIENCE,
                env={"PATH": os.environ["PATH"]},
            )
        return dict(line.split("=", 1) for line in got.stdout.splitlines() if "=" in line)


def look_up(spaces: Spaces, key: str, resolvers: Sequence[str], name: str, source: str = "") -> str:
    """The address that the first resolver to answer tells for a name; empty when none does."""
    query = _query(name)
    for resolver in [*resolvers] * 2:
        with spaces.inside(key):
            asking = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        with asking:
            asking.settimeout(LOOK_UP)
            try:
                asking.bind((source, 0))
                asking.connect((resolver, 53))
                asking.send(query)
                answer = asking.recv(1500)
            except OSError:
                continue
            if answer[:2] == query[:2] and answer[3] & 15 == 0 and len(answer) > len(query) + 15:
                return socket.inet_ntoa(answer[len(query) + 12 : len(query) + 16])
    return ""


def _query(name: str) -> bytes:
    """A question for the address of a name (RFC 1035, 4)."""
    labels = b"".join(bytes([len(part)]) + part.encode() for part in name.split("."))
    return struct.pack("!HHHHHH", secrets.randbits(16), 0x0100, 1, 0, 0, 0) + labels + b"\0" + struct.pack("!HH", 1, 1)


def checksum(packet: bytes) -> int:
    """The Internet checksum (RFC 1071)."""
    total: int = sum(struct.unpack(f"!{len(packet) // 2}H", packet))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF
