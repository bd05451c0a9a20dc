"""Leases and names, by real servers and clients: dnsmasq where a box or host serves, udhcpc in a space on each segment.

A box is told of a scope what goes into it (`stage/settings.py`); the client asks as any would (RFC 2131), and what it
is given is held against the plan. Then it looks up a name by the resolvers that it was given (RFC 1035), and with IPv6
it waits for the prefix that its router announces (RFC 4861).
"""

from __future__ import annotations

import contextlib
import re
import socket
import subprocess
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

from octaplan.core.flow.pieces import NO_PART
from octaplan.core.plan.boxes import is_gateway, servers
from octaplan.core.stage.settings import ScopeSettings, scope_settings
from octaplan.core.values.addresses import Address, AddressError, parse_address
from octaplan.lab.rehearsal.design import Design, Space, SpaceKind
from octaplan.lab.rehearsal.yard import Yard
from octaplan.lab.spaces.programs import PATIENCE, LeaseAsking, NotServing, look_up, serve

#: A name that the internet of a rehearsal knows (RFC 2606), and its address (RFC 5737).
NAME, NAMED = "rehearsal.example", "192.0.2.80"

#: What may stand in a line of a server's configuration as it is: no end of line, no quotes.
_PLAIN = re.compile(r"[\w.:/@+, -]{1,200}", re.ASCII)


class LeaseSeen(NamedTuple):
    """What a client on a segment was given, and what of it is not as planned, in words. `looked_up` is the address that
    it was told for a name, empty where nothing answered; nothing where no resolver is planned."""

    segment: str
    address: str
    router: str
    resolvers: str
    domain: str
    seconds: float
    looked_up: str | None
    announced: str
    wrong: list[str]


class Client(NamedTuple):
    """Somebody who asks for a lease on a segment."""

    segment: str
    space: str
    scope: ScopeSettings | None
    announces: bool


def clients(design: Design) -> list[Client]:
    """A client for each segment on which a box or a fixed host of the site serves leases, or a box announces a prefix;
    its space is added, and that of each host that serves."""
    hosts = dict(_serving_hosts(design))
    found = []
    for key, segment in design.plan.segments.items():
        serving = [box for box, device in servers(design.plan, key) if device.staged and design.box(box) is not None]
        serving += [host for host, address in hosts.items() if address == segment.scope.server]
        scope = scope_settings(design.plan, key) if serving and segment.scope.span is not None else None
        announces = segment.subnet6 is not None and any(
            is_gateway(design.plan, device, key) for device in design.plan.devices.values() if device.staged
        )
        if scope is None and not announces:
            continue
        parts = sorted(design.wires.sockets.get(key, ()))
        space = design.client(key, parts[0] if parts else None)
        found.append(Client(key, space.key, scope, announces))
    return found


class Servers:
    """The programs that serve in the spaces of a yard; leave it to end them."""

    def __init__(self, yard: Yard) -> None:
        self._yard = yard
        self._running: dict[str, subprocess.Popen[str]] = {}
        #: The places whose rules are put aside.
        self._bare: list[Space] = []

    def __enter__(self) -> Servers:
        for key, space in self._yard.design.spaces.items():
            lines = [*_configured(self._yard.design, key, space)]
            if not lines:
                continue
            if space.kind is SpaceKind.PLACE:
                self._yard.run(key, ["nft", "flush", "ruleset"])  # for now what it is sent arrives as it was sent
                self._bare.append(space)
            try:
                self._running[key] = serve(self._yard, key, lines)
            except NotServing as error:
                self._yard.design.unbuilt.append(f"{space.title} serves nothing: {error}")
        return self

    def __exit__(self, *_: object) -> None:
        for key, one in self._running.items():
            if one.poll() is not None:
                title = self._yard.design.spaces[key].title
                self._yard.design.unbuilt.append(
                    f"{title} serves nothing: its server ended by itself, code {one.returncode}"
                )
            one.kill()
        for one in self._running.values():
            one.wait()
        for space in self._bare:
            self._yard.run(space.key, ["nft", "-f", "-"], space.rules)


def _configured(design: Design, key: str, space: Space) -> Iterator[str]:
    """What a space serves, as dnsmasq is told; nothing when it serves nothing."""
    if space.kind is SpaceKind.INTERNET:
        yield from ("port=7", f"address=/{NAME}/{NAMED}", "local=/#/")
        return
    if space.kind is SpaceKind.PLACE:
        yield from _of_hosts(design, space)
    if space.kind is not SpaceKind.BOX:
        return
    box, table = key.split(":", 2)[1:]
    device = design.plan.devices[box]
    serving = list(dict.fromkeys(_scopes(design, box, table)))
    relaying = [*_relays(design, box, table)]
    names = bool(device.forwarders) and (device.routes_packets or bool(serving))
    if not serving and not names and not relaying:
        return
    yield "port=53" if names else "port=0"
    yield from (f"server={forwarder}" for forwarder in device.forwarders if names)
    yield from serving
    yield from relaying


def _scopes(design: Design, box: str, table: str) -> Iterator[str]:
    for face in design.own[box]:
        key = face.side.removeprefix("/segments/")
        segment = design.plan.segments.get(key)
        if face.table != table or segment is None:
            continue
        device = design.plan.devices[box]
        if face.network.family == 6 and segment.subnet6 == face.network and is_gateway(design.plan, device, key):
            yield f"dhcp-range={face.network.first},ra-only,{face.network.prefix},600"
            yield "enable-ra"
    for key in design.plan.segments:
        near = any(f.side == f"/segments/{key}" and f.table == table and f.network.family == 4 for f in design.own[box])
        far = any(f.table == table for f in design.own[box]) and not any(
            f.side == f"/segments/{key}" for f in design.own[box]
        )
        if (near or far) and any(name == box for name, _ in servers(design.plan, key)):
            yield from _scope(design, key)


def _scope(design: Design, key: str) -> Iterator[str]:
    """What whoever serves the scope of a segment is told."""
    segment, scope = design.plan.segments[key], scope_settings(design.plan, key)
    if scope is None or segment.subnet is None or segment.subnet.family != 4:
        return
    tag, mask = f"s{key}", segment.subnet.mask
    lease = f",{scope.lease}" if scope.lease is not None else ""
    for piece in segment.scope.pieces:
        yield f"dhcp-range=set:{tag},{piece.first},{piece.last},{mask}{lease}"
    if scope.router is not None:
        yield f"dhcp-option=tag:{tag},3,{scope.router}"
    resolvers = [str(one) for one in scope.resolvers if isinstance(one, Address)]
    if resolvers:
        yield f"dhcp-option=tag:{tag},6,{','.join(resolvers)}"
    told = {"15": scope.domain, **scope.options} if scope.domain else scope.options
    for number, value in told.items():
        if _PLAIN.fullmatch(value):
            yield f"dhcp-option-force=tag:{tag},{number},{value}"
        else:
            design.unbuilt.append(f"{segment.label}: option {number} holds what no server is told here")
    for host in scope.reserved:
        if host.mac is not None and host.address is not None:
            yield f"dhcp-host={host.mac},{host.address}"


def _serving_hosts(design: Design) -> Iterator[tuple[str, Address]]:
    """The fixed hosts that a scope names as its server, and those that somebody is sent to for names; each is put where
    it is plugged in."""
    segments = design.plan.segments.values()
    wanted = {one.scope.server for one in segments if isinstance(one.scope.server, Address)}
    wanted |= _asked_for_names(design)
    boxes = {face.address for faces in design.own.values() for face in faces}
    for key, host in design.plan.hosts.items():
        where = design.plan.segments.get(host.segment)
        if host.address is None or host.address not in wanted - boxes or where is None or where.subnet is None:
            continue
        there = (host.address, where.subnet)
        place = next((one for one in design.spaces.values() if there in one.faces.get("e", ())), None)
        if place is None:
            part = design.wires.hosts.get(key)
            place = design.place(host.segment, NO_PART if key in design.wires.hosts and part is None else part)
            place.add("e", *there)
        yield key, host.address


def _asked_for_names(design: Design) -> set[Address]:
    """The addresses that clients and boxes are sent to for names."""
    scopes = (scope_settings(design.plan, key) for key in design.plan.segments)
    told = {one for scope in scopes if scope is not None for one in scope.resolvers if isinstance(one, Address)}
    return told.union(*(device.forwarders for device in design.plan.devices.values()))


def _of_hosts(design: Design, space: Space) -> Iterator[str]:
    """What the fixed hosts of a place serve."""
    here = {address for address, _ in space.faces.get("e", ())}
    hosts = {address for _, address in _serving_hosts(design) if address in here}
    if not hosts:
        return
    if hosts & _asked_for_names(design):
        yield from ("port=53", f"address=/{NAME}/{NAMED}", "local=/#/")
    else:
        yield "port=0"
    for key, segment in design.plan.segments.items():
        if segment.scope.server in hosts:
            yield from _scope(design, key)


def _relays(design: Design, box: str, table: str) -> Iterator[str]:
    device = design.plan.devices[box]
    for face in design.own[box]:
        server = device.relays.get(face.side.removeprefix("/segments/"))
        if server is not None and face.table == table and face.network.family == server.family:
            yield f"dhcp-relay={face.address},{server}"


def ask(yard: Yard, asking: list[Client]) -> list[LeaseSeen]:
    """What each client is given, all at once."""
    at = LeaseAsking(yard)
    try:
        with Servers(yard), ThreadPoolExecutor(max(1, len(asking))) as pool:
            given = list(pool.map(lambda one: _given(yard, one, at), asking))
    finally:
        at.close()
    for client in asking:
        yard.run(client.space, ["ip", "link", "set", "e", "down"])  # its address is free again for whoever is asked
    for key, space in yard.design.spaces.items():
        if space.kind is SpaceKind.BOX:
            yard.run(key, ["ip", "neigh", "flush", "all"])
    return given


def _given(yard: Yard, client: Client, at: LeaseAsking) -> LeaseSeen:
    begun = time.perf_counter()
    told: dict[str, str] = {}
    if client.scope is not None:
        options = [part for number in client.scope.options for part in ("-O", number)]
        told = at.ask(client.space, "e", options)
    seconds = time.perf_counter() - begun
    wrong = [*_lease_wrong(yard.design, client, told)]
    looked_up = None
    if told.get("ip") and told.get("dns"):
        looked_up = _looked_up(yard, client, told)
        if looked_up != NAMED:
            wrong.append(f"{told['dns'].split()[0]} gave no answer to {NAME}")
    announced = ""
    if client.announces:
        announced = _announced(yard, client)
        net = yard.design.plan.segments[client.segment].subnet6
        if not announced:
            wrong.append(f"no router announced {net} in {PATIENCE:.0f} s")
        elif net is not None and not net.holds(parse_address(announced)):
            wrong.append(f"the prefix of {announced} was announced, not {net}")
    return LeaseSeen(
        client.segment,
        told.get("ip", ""),
        told.get("router", ""),
        told.get("dns", ""),
        told.get("domain", ""),
        seconds,
        looked_up,
        announced,
        wrong,
    )


def _lease_wrong(design: Design, client: Client, told: dict[str, str]) -> Iterator[str]:
    """What of a lease is not as planned."""
    scope = client.scope
    if scope is None:
        return
    if not told.get("ip"):
        yield "no lease was given"
        return
    address, pieces = parse_address(told["ip"]), design.plan.segments[client.segment].scope.pieces
    if not any(piece.first.value <= address.value <= piece.last.value for piece in pieces):
        yield f"the address {address} is in no range of the scope"
    expected = {
        "router": str(scope.router or ""),
        "dns": " ".join(str(one) for one in scope.resolvers if isinstance(one, Address)),
        "domain": scope.domain or "",
        "lease": str(scope.lease) if scope.lease is not None else "",
    }
    for name, planned in expected.items():
        seen = told.get(name, "")
        if planned and seen != planned:
            words = {"router": "router", "dns": "resolvers", "domain": "domain", "lease": "lease time"}[name]
            yield f"{words} {seen or 'none'}, planned {planned}"
    for number, planned in scope.options.items():
        seen = _option(number, told)
        if seen.split() != planned.replace(",", " ").split():
            yield f"option {number}: {seen or 'none'}, planned {planned}"


#: What the client calls an option, by its number; others it tells as hexadecimal digits.
_CALLED = {
    "2": "timezone", "7": "logsrv", "12": "hostname", "26": "mtu", "28": "broadcast", "42": "ntpsrv", "44": "wins",
    "66": "tftp", "67": "bootfile", "119": "search",
}  # fmt: skip


def _option(number: str, told: dict[str, str]) -> str:
    """A DHCP option as a client was told it: as text, or as addresses (RFC 2132)."""
    if number in _CALLED:
        return told.get(_CALLED[number], "")
    digits = told.get(f"opt{number}", "")
    try:
        raw = bytes.fromhex(digits)
    except ValueError:
        return digits
    if raw.isascii() and raw.decode().isprintable():
        return raw.decode()
    if raw and len(raw) % 4 == 0:
        return " ".join(socket.inet_ntoa(raw[place : place + 4]) for place in range(0, len(raw), 4))
    return digits


def _looked_up(yard: Yard, client: Client, told: dict[str, str]) -> str:
    """The address that a resolver tells for a name, asked from the address that was leased."""
    where = yard.design.plan.segments[client.segment]
    space, leased = client.space, parse_address(told["ip"])
    if where.subnet is None:
        return ""
    yard.run(space, ["ip", "address", "add", f"{leased}/{where.subnet.prefix}", "dev", "e"])
    with contextlib.suppress(AddressError, IndexError):
        gateway = parse_address(told.get("router", "").split()[0])
        yard.run(space, ["ip", "route", "add", "default", "via", str(gateway), "dev", "e"])
    return look_up(yard, space, told["dns"].split()[:2], NAME, str(leased))


def _announced(yard: Yard, client: Client) -> str:
    """The address that a client made itself from what a router announced, once there is one."""
    ends = time.monotonic() + PATIENCE
    while time.monotonic() < ends:
        with yard.inside(client.space):
            shown = subprocess.run(
                ["ip", "-6", "-o", "address", "show", "dev", "e", "scope", "global", "-tentative"],  # noqa: S607
                capture_output=True,
                text=True,
                check=False,
            )
        words = shown.stdout.split()
        if "inet6" in words:
            return words[words.index("inet6") + 1].partition("/")[0]
        time.sleep(0.05)
    return ""
