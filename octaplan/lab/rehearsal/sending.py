"""Real packets: who listens in every space, and who asks whom, all side by side in one loop.

A TCP connection is greeted with who answered and under which address the caller was seen; a datagram comes back with
the same; a ping is answered by the kernel of the space; any other protocol by a raw socket (253, RFC 3692).
"""

from __future__ import annotations

import asyncio
import contextlib
import itertools
import json
import socket
import struct
import time
from collections.abc import Callable, Iterable
from typing import NamedTuple

from octaplan.core.flow.network import MANAGEMENT
from octaplan.core.flow.pieces import Reason
from octaplan.core.values.addresses import Address
from octaplan.lab.rehearsal.design import SpaceKind
from octaplan.lab.rehearsal.filtering import LISTENING
from octaplan.lab.rehearsal.probes import Probe
from octaplan.lab.rehearsal.yard import Yard
from octaplan.lab.spaces.programs import checksum

#: A protocol for experiments (RFC 3692): it stands for all that is neither ping nor TCP nor UDP.
EXPERIMENT = 253
#: Silence is heard out for so many times as long as the slowest answer took, between so many seconds; what was to pass
#: and gave no answer is asked once more and heard out for longer, since a busy machine is slow.
SHORTEST, TIMES, LONGEST, PATIENT = 0.35, 6.0, 2.0, 3.0
#: So many questions are open at once.
AT_ONCE = 400

_PINGS = {4: (socket.IPPROTO_ICMP, 8, 0), 6: (socket.IPPROTO_ICMPV6, 128, 129)}
_FAMILIES = {4: socket.AF_INET, 6: socket.AF_INET6}
_ORIGINAL = {4: (socket.SOL_IP, 80, 16), 6: (socket.IPPROTO_IPV6, 80, 28)}  # SO_ORIGINAL_DST

#: Every address, and what a box may answer by.
_ANY = {4: Address(4, 0), 6: Address(6, 0)}
_OF_BOXES = sorted({one.port[:2] for one in MANAGEMENT.values() if one.port} | {("tcp", 53), ("udp", 53), ("udp", 67)})


class Seen(NamedTuple):
    """What the network did with a probe. `space` answered, to whom it saw as `as_seen`, at a `port`; in `seconds`."""

    passed: bool
    space: str = ""
    as_seen: str = ""
    port: int = 0
    seconds: float = 0.0


class Listeners:
    """Whoever may be asked, in every space of a yard."""

    def __init__(self, yard: Yard) -> None:
        self._yard = yard
        self._sockets: list[socket.socket] = []
        self._readers: list[socket.socket] = []

    def open(self) -> None:
        """Listen everywhere. Within a running loop."""
        loop = asyncio.get_running_loop()
        for key, space in self._yard.design.spaces.items():
            if space.kind in (SpaceKind.WIRES, SpaceKind.CLIENT):
                continue
            points = [address for held in space.faces.values() for address, _ in held]
            with self._yard.inside(key):
                if space.kind is SpaceKind.BOX:
                    for point in dict.fromkeys(points):
                        for protocol, port in _OF_BOXES:
                            self._listen(loop, key, point, protocol, port)
                    continue
                for any_one in [_ANY[family] for family in (4, 6) if any(p.family == family for p in points)]:
                    self._listen(loop, key, any_one, "tcp", LISTENING)
                    self._listen(loop, key, any_one, "udp", LISTENING)
                    self._listen(loop, key, any_one, "other", EXPERIMENT)

    def _listen(self, loop: asyncio.AbstractEventLoop, key: str, at: Address, protocol: str, port: int) -> None:
        family = at.family
        kind = {"tcp": socket.SOCK_STREAM, "udp": socket.SOCK_DGRAM, "other": socket.SOCK_RAW}[protocol]
        one = socket.socket(_FAMILIES[family], kind, port if protocol == "other" else 0)
        self._sockets.append(one)
        one.setblocking(False)
        one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        if family == 6 and protocol != "other":
            one.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
        one.bind((str(at), 0 if protocol == "other" else port))
        if protocol == "tcp":
            one.listen(512)
            loop.add_reader(one, self._greet, one, key, family)
        elif protocol == "udp":
            loop.add_reader(one, self._echo, one, key, port)
        else:
            loop.add_reader(one, self._answer, one, key, family)
        self._readers.append(one)

    @staticmethod
    def _greet(listening: socket.socket, key: str, family: int) -> None:
        with contextlib.suppress(OSError):
            while True:
                caller, address = listening.accept()
                with caller, contextlib.suppress(OSError):
                    port = caller.getsockname()[1]
                    if port == LISTENING:
                        level, name, size = _ORIGINAL[family]
                        port = struct.unpack_from("!H", caller.getsockopt(level, name, size), 2)[0]
                    caller.send(json.dumps([key, address[0], port]).encode())

    @staticmethod
    def _echo(listening: socket.socket, key: str, port: int) -> None:
        with contextlib.suppress(OSError):
            while True:
                said, address = listening.recvfrom(512)
                told = json.dumps([said.decode("ascii", "replace"), key, address[0], 0 if port == LISTENING else port])
                listening.sendto(told.encode(), address)

    @staticmethod
    def _answer(listening: socket.socket, key: str, family: int) -> None:
        with contextlib.suppress(OSError):
            while True:
                packet, address = listening.recvfrom(2048)
                said = packet[(packet[0] & 15) * 4 :] if family == 4 else packet
                if said.startswith(b"?"):
                    told = json.dumps([said[1:].decode("ascii", "replace"), key, address[0], 0]).encode()
                    listening.sendto(told, address)

    def close(self) -> None:
        loop = asyncio.get_running_loop()
        for one in self._readers:
            loop.remove_reader(one)
        for one in self._sockets:
            one.close()


class Sender:
    """Sends probes from the spaces of a yard."""

    def __init__(self, yard: Yard) -> None:
        self._yard = yard
        self._tokens = itertools.count(1)

    async def send(self, probes: list[Probe], heard: Callable[[], None] = lambda: None) -> list[Seen]:
        """What the network did with each, in the order in which they were given. `heard` is called at each answer."""
        found = await self._all(probes, range(len(probes)), heard, SHORTEST)
        missed = [place for place, probe in enumerate(probes) if probe.passes and not found[place].passed]
        found |= await self._all(probes, missed, heard, PATIENT)
        return [found[place] for place in range(len(probes))]

    async def _all(
        self, probes: list[Probe], places: Iterable[int], heard: Callable[[], None], shortest: float
    ) -> dict[int, Seen]:
        found: dict[int, Seen] = {}
        for wave in _waves(probes, places):
            self._yard.forget()
            found |= zip(wave, await self._some([probes[place] for place in wave], heard, shortest), strict=True)
        return found

    async def _some(self, probes: list[Probe], heard: Callable[[], None], shortest: float) -> list[Seen]:
        """What came of some that are asked at once. Silence is heard out for `shortest` seconds at least."""
        self._slowest, self._asked = 0.0, time.perf_counter()
        asking = [asyncio.ensure_future(self._one(probe, heard)) for probe in probes]
        try:
            while any(not one.done() for one in asking):
                now = time.perf_counter()
                ends = self._asked + max(shortest, min(LONGEST, TIMES * self._slowest))
                if now >= ends:
                    break
                await asyncio.wait(asking, timeout=ends - now)
        finally:
            for one in asking:
                one.cancel()
            await asyncio.gather(*asking, return_exceptions=True)
        return [Seen(False) if one.cancelled() or one.exception() is not None else one.result() for one in asking]

    async def _one(self, probe: Probe, heard: Callable[[], None]) -> Seen:
        begun = time.perf_counter()
        self._asked = max(self._asked, begun)
        ask = {"tcp": self._connect, "udp": self._datagram, "icmp": self._ping}.get(probe.protocol, self._other)
        try:
            seen = await ask(probe)
        except OSError:  # refused, or nobody there
            return Seen(False)
        seconds = time.perf_counter() - begun
        self._slowest = max(self._slowest, seconds)
        seen = seen._replace(seconds=seconds)
        heard()
        return seen

    def _socket(self, probe: Probe, kind: int, protocol: int = 0) -> socket.socket:
        with self._yard.inside(probe.space):
            one = socket.socket(_FAMILIES[probe.target.family], kind, protocol)
        one.setblocking(False)
        try:
            one.bind((str(probe.source), 0))
        except OSError:
            one.close()
            raise
        return one

    async def _connect(self, probe: Probe) -> Seen:
        loop = asyncio.get_running_loop()
        with self._socket(probe, socket.SOCK_STREAM) as one:
            await loop.sock_connect(one, (str(probe.target), probe.port))
            space, as_seen, port = json.loads(await loop.sock_recv(one, 512))
            return Seen(True, space, as_seen, port)

    async def _datagram(self, probe: Probe) -> Seen:
        with self._socket(probe, socket.SOCK_DGRAM) as one:
            one.connect((str(probe.target), probe.port))
            return await self._repeated(one, str(next(self._tokens)).encode())

    async def _other(self, probe: Probe) -> Seen:
        with self._socket(probe, socket.SOCK_RAW, EXPERIMENT) as one:
            one.connect((str(probe.target), 0))
            return await self._repeated(one, b"?" + str(next(self._tokens)).encode(), raw=probe.target.family == 4)

    async def _repeated(self, one: socket.socket, said: bytes, *, raw: bool = False) -> Seen:
        """Ask, and once more after a while, until the answer to it comes."""
        loop = asyncio.get_running_loop()
        wanted = said.lstrip(b"?").decode()
        for wait in (SHORTEST / 2, None):
            await loop.sock_sendall(one, said)
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(wait):
                    while True:
                        packet = await loop.sock_recv(one, 2048)
                        packet = packet[(packet[0] & 15) * 4 :] if raw else packet
                        if packet.startswith(b"["):
                            token, space, as_seen, port = json.loads(packet)
                            if token == wanted:
                                return Seen(True, space, as_seen, port)
        return Seen(False)

    async def _ping(self, probe: Probe) -> Seen:
        loop = asyncio.get_running_loop()
        protocol, request, reply = _PINGS[probe.target.family]
        token = next(self._tokens)
        payload = struct.pack("!HHQ", token & 0xFFFF, token >> 16 & 0xFFFF, token)
        packet = bytes([request, 0, 0, 0]) + payload
        if probe.target.family == 4:
            packet = bytes([request, 0]) + struct.pack("!H", checksum(packet)) + payload
        with self._socket(probe, socket.SOCK_RAW, protocol) as one:
            one.connect((str(probe.target), 0))
            for wait in (SHORTEST / 2, None):
                await loop.sock_sendall(one, packet)
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(wait):
                        while True:
                            answer = await loop.sock_recv(one, 2048)
                            answer = answer[(answer[0] & 15) * 4 :] if probe.target.family == 4 else answer
                            if answer[:1] == bytes([reply]) and answer[8:16] == payload[4:]:
                                return Seen(True)
        return Seen(False)


def _waves(probes: list[Probe], places: Iterable[int]) -> list[list[int]]:
    """Some of the places of probes, in lots that may be open at once: protocols without ports never with another that
    has one of their addresses, since nothing tells their packets apart."""
    places = list(places)
    plain = [place for place in places if probes[place].protocol != "other"]
    waves = [plain[start : start + AT_ONCE] for start in range(0, len(plain), AT_ONCE)]
    left = [place for place in places if probes[place].protocol == "other"]
    while left:
        busy: set[Address] = set()
        wave = []
        for place in left:
            ends = {probes[place].source, probes[place].target}
            if not ends & busy:
                busy |= ends
                wave.append(place)
        waves.append(wave)
        left = [place for place in left if place not in wave]
    return waves


def agrees(probe: Probe, seen: Seen) -> bool:
    """Whether the network did what the walk says: passed or not, and arrived where it was to, at the port it was to."""
    if seen.passed != probe.passes:
        return is_explained(probe, seen)
    if not seen.passed or not seen.space:
        return True
    arrived = any(seen.space.startswith(one) for one in probe.arrives)
    return arrived and (not seen.port or seen.port == probe.port + probe.shift)


def is_explained(probe: Probe, seen: Seen) -> bool:
    """Whether a packet passed that has no connection, and whose answer the walk stops at a box that has not seen the
    question: to that box the answer looks like a question (docs/rehearsal.md)."""
    return seen.passed and probe.reason is Reason.OTHER_WAY_BACK and probe.protocol in ("udp", "other")
