"""What a stand-in is on the wire: which ports carry which VLANs, its addresses, and what it serves and answers.

It follows from what the box has been told, and from its carton where it has been told nothing.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple, TypedDict

from octaplan.core.plan.hardware import Addressing, FactoryRole
from octaplan.core.plan.site import Circuit, Handoff
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_network
from octaplan.lab.standin.box import BoxPhase, StandIn
from octaplan.lab.standin.state import BoxState, OwnAddress

#: The network that its ports are joined in out of its carton.
CARTON = 0
#: Numbers for networks without a tag of their own, beyond those of VLANs (IEEE 802.1Q).
_UNTAGGED = 4_100
#: Where services answer.
TCP_PORTS = {"https": 443, "http": 80, "ssh": 22, "telnet": 23}
#: Addresses that a line gives, a /24 for each (RFC 2544).
_GIVEN = (198 << 24) + (18 << 16)


class Carries(TypedDict):
    """What a port carries: a network without a tag, or none, and tags."""

    bare: int | None
    tags: list[int]


class HeldAddress(TypedDict):
    """An address: in which network, and its prefix."""

    net: int
    address: str
    prefix: int


class Leased(TypedDict):
    """Leases that are given to clients, and what they are told with them; `lease` in seconds, 0 where not told."""

    first: str
    last: str
    mask: str
    router: str
    resolvers: list[str]
    domain: str
    lease: int


class Outside(TypedDict):
    """Its side of a line: `asks` for an address, or holds one; tag 0 is none."""

    port: str
    tag: int
    address: str
    prefix: int
    gateway: str
    asks: bool


class WireShape(TypedDict):
    """All of it. A box that is not ready has no ports."""

    ports: dict[str, Carries]
    addresses: list[HeldAddress]
    outside: list[Outside]
    serves: list[Leased]
    forwarders: list[str]
    open: list[tuple[str, int]]
    pings: bool


class LineShape(TypedDict):
    """A provider's side of a line: its own address, what it gives to who asks, and who answers for names."""

    tag: int
    address: str
    prefix: int
    gives: str
    resolvers: list[str]


class Given(NamedTuple):
    """Both ends of a line whose addresses are the provider's to say."""

    customer: Address
    provider: Address
    prefix: int


def given(number: int) -> Given:
    """The addresses of a line by its number on the bench."""
    net = _GIVEN + ((number % 256) << 8)
    return Given(Address(4, net + 2), Address(4, net + 1), 24)


def tcp_port(box: StandIn, service: str, address: Address) -> int:
    """Where a service answers at an address: out of its carton a type may have its pages elsewhere."""
    factory = box.kind.factory
    own = factory.web_port if service == factory.web and address == factory.address else None
    return own or TCP_PORTS[service]


def wire_shape(box: StandIn, pppoe: dict[str, Given]) -> WireShape:
    """A box as it is now. `pppoe` says for each user what the provider gives who logs in by that name."""
    if box.phase is not BoxPhase.READY:
        return WireShape(ports={}, addresses=[], outside=[], serves=[], forwarders=[], open=[], pings=False)
    state, own = box.running, list(box.running.own_addresses())
    numbers = _Numbers(state)
    ports = dict(_ports(box, own, numbers))
    held = [(numbers[one.segment], one.address, one.network) for one in own]
    serves = list(_scopes(state, own))
    carton = _carton(box)
    if carton is not None and any(port["bare"] == CARTON for port in ports.values()):
        held.append((CARTON, *carton))
        leases = box.kind.factory.leases if box.kind.factory.addressing is Addressing.FIXED else None
        if leases is not None:
            by = str(carton[0])
            told = Leased(first=str(leases.first), last=str(leases.last), mask=str(carton[1].mask), router=by,
                          resolvers=[by], domain="", lease=0)  # fmt: skip
            serves.append(told)
    return WireShape(
        ports=ports,
        addresses=[HeldAddress(net=net, address=str(one), prefix=network.prefix) for net, one, network in held],
        outside=list(_outside(state, pppoe)),
        serves=serves,
        forwarders=[one for one in map(address_in, _values(state, "box.forwarders", "box.forwarders[]")) if one],
        open=sorted({(str(one), tcp_port(box, service, one)) for _, one, _ in held for service in box.open_at(one)}),
        pings=box.pings,
    )


class _Numbers:
    """The number of each network on the box: its tag, or one beyond all tags."""

    def __init__(self, state: BoxState) -> None:
        self._tags: dict[str, int] = {}
        for key, entry in state.entries("segments").items():
            tag = next((one for one in entry.get("vlan", ()) if one.isdigit()), "")
            for name in {key, *entry.get("label", ())}:
                if tag:
                    self._tags.setdefault(name, int(tag))
        self._others: dict[str, int] = {}

    def __getitem__(self, name: str) -> int:
        if name in self._tags:
            return self._tags[name]
        if name.isdigit() and 0 < int(name) < _UNTAGGED:
            return int(name)
        return self._others.setdefault(name, _UNTAGGED + len(self._others))


def _ports(box: StandIn, own: list[OwnAddress], numbers: _Numbers) -> Iterator[tuple[str, Carries]]:
    """What each port carries that takes network cables and is told something, or is joined out of its carton."""
    told = box.running.ports()
    moved = not box.routes and bool(own)
    for name, port in box.kind.ports.items():
        if not port.carries or name == box.faults.dead_port:
            continue
        entry = told.get(name)
        if entry is None and moved:
            yield name, Carries(bare=numbers[own[0].segment] if box.stays_native(own[0].tagged) else CARTON, tags=[])
        elif entry is None:
            joined = port.factory_role in (FactoryRole.INSIDE, FactoryRole.MANAGEMENT)
            if joined and not box.kind.factory.interfaces_disabled:
                yield name, Carries(bare=CARTON, tags=[])
        else:
            bare = box.running.carries_bare(name)
            number = None if not bare else numbers[bare] if box.routes or own else CARTON
            tags = [numbers[one] for each, members in entry.items() if each.startswith("tagged") for one in members]
            yield name, Carries(bare=number, tags=sorted(set(tags) - {number}))


def _carton(box: StandIn) -> tuple[Address, Network] | None:
    """The address that it has out of its carton, as long as it has that."""
    factory = box.kind.factory
    if not box.routes and any(box.running.own_addresses()):
        return None
    if factory.addressing is Addressing.FIXED and factory.address is not None and factory.subnet is not None:
        return factory.address, factory.subnet
    return box.given if factory.addressing is Addressing.DHCP else None


def _scopes(state: BoxState, own: list[OwnAddress]) -> Iterator[Leased]:
    entries = {entry.get("label", [key])[0]: entry for key, entry in state.entries("segments").items()}
    for one in own:
        if one.leases is None:
            continue
        entry = entries[one.segment]
        lease = next((each for each in entry.get("scope.lease", ()) if each.isdigit()), "0")
        yield Leased(
            first=str(one.leases.first),
            last=str(one.leases.last),
            mask=str(one.network.mask),
            router=address_in(next(iter(entry.get("scope.router", ())), "")),
            resolvers=[each for each in map(address_in, entry.get("scope.resolvers[]", [])) if each],
            domain=next(iter(entry.get("scope.domain", ())), ""),
            lease=int(lease),
        )


def _outside(state: BoxState, pppoe: dict[str, Given]) -> Iterator[Outside]:
    """Its side of each line that it was told."""
    for entry in state.entries("circuits").values():
        said = {name: values[0] for name, values in entry.items() if values}
        tag = int(said["vlan"]) if said.get("vlan", "").isdigit() else 0
        address, prefix, gateway, handoff = "", 0, "", said.get("handoff")
        if handoff == Handoff.STATIC:
            text = said.get("address|within", said.get("address", ""))
            length = said.get("subnet|mask", said.get("subnet|prefix", ""))
            try:
                prefix = parse_network(text if "/" in text else f"{text}/{length}")[0].prefix
                text = str(parse_address(text.partition("/")[0]))
            except AddressError:
                continue
            address, gateway = text.partition("/")[0], address_in(said.get("gateway", ""))
        elif handoff == Handoff.PPPOE:
            by_user = pppoe.get(said.get("pppoe_user", ""))
            if by_user is None:
                continue
            address, prefix, gateway = str(by_user.customer), by_user.prefix, str(by_user.provider)
        yield Outside(port=said.get("port", ""), tag=tag, address=address, prefix=prefix, gateway=gateway,
                      asks=handoff == Handoff.DHCP)  # fmt: skip


def address_in(text: str) -> str:
    """An address as it is written, and nothing where a text is none: what boxes were told is anybody's text."""
    try:
        return str(parse_address(text))
    except AddressError:
        return ""


def _values(state: BoxState, source: str, name: str) -> Iterator[str]:
    for entry in state.entries(source).values():
        yield from entry.get(name, ())


def line_shape(circuit: Circuit, ends: Given) -> LineShape:
    """A provider's side of a circuit as it is planned. Without an address it has nobody there."""
    gateway, net = circuit.gateway, circuit.subnet
    if circuit.handoff is not Handoff.STATIC or gateway is None or net is None:
        gateway, net = ends.provider, Network.holding(ends.provider, ends.prefix)
    return LineShape(
        tag=circuit.vlan or 0,
        address=str(gateway),
        prefix=net.prefix,
        gives=str(ends.customer) if circuit.handoff is Handoff.DHCP else "",
        resolvers=[str(one) for one in circuit.resolvers if one.family == 4],
    )
