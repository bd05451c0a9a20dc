"""Rules of a box as nftables reads them: what it drops, publishes, answers, lets through and translates.

Written from the plan, in the order in which the kernel's forwarding path asks them: source (RFC 3704), destination
translation, the box itself, the filter, source translation (RFC 3022).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from octaplan.core.plan.boxes import servers
from octaplan.core.plan.device import Device
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import NOT_PUBLIC_IPV4, Address, Network
from octaplan.core.values.services import EVERYTHING, OTHER, PING, Services, describe, known_services, parse_services

#: Where what is sent to a place arrives, whatever port it was sent to.
LISTENING = 7

#: What a box is managed by, as protocol and port (IANA).
_MANAGEMENT = {"https": "tcp/443", "http": "tcp/80", "ssh": "tcp/22", "telnet": "tcp/23", "snmp": "udp/161"}


class BoxSide(NamedTuple):
    """An interface of a box: its name, its place in the plan, its address."""

    face: str
    side: str
    address: Address
    network: Network


class Names(NamedTuple):
    """The networks of each segment, those first that an address belongs to when several hold it; the addresses of fixed
    hosts; and the networks that stand for other sites."""

    segments: dict[str, list[Network]]
    hosts: dict[str, list[Address]]
    elsewhere: dict[int, Network]

    def of_segment(self, key: str) -> Iterator[tuple[Network, list[Network]]]:
        """Each network of a segment, with those inside it that belong to a segment before it."""
        before: list[Network] = []
        for other, nets in self.segments.items():
            if other == key:
                for net in nets:
                    if not any(_within(net, one) for one in before):
                        yield net, [one for one in before if _within(one, net)]
                return
            before += nets

    def inside(self, family: int) -> list[Network]:
        return [net for nets in self.segments.values() for net in nets if net.family == family]


def _within(net: Network, other: Network) -> bool:
    return net.family == other.family and net.prefix >= other.prefix and other.holds(net.first)


#: One condition of a rule: the family that it is about, if it is about one, and its text.
Match = tuple[int, str]


def place_matches(names: Names, place: str, end: str) -> Iterator[Match]:
    """Conditions, each by itself, for an address that is called so; `end` is `saddr` or `daddr`."""
    if place == "all":
        yield 0, ""
    elif place == "internet":
        for family in (4, 6):
            outside = _without(family, end, [*names.inside(family), *_of(names.elsewhere, family)])
            yield family, f"meta nfproto {_proto(family)} {outside}"
    elif place == "other-sites":
        for family, net in names.elsewhere.items():
            yield family, f"{_ip(family)} {end} {net}"
    elif place in names.segments:
        for net, apart in names.of_segment(place):
            yield net.family, f"{_ip(net.family)} {end} {net} {_without(net.family, end, apart)}"
    else:
        for address in names.hosts.get(place, ()):
            if any(net.holds(address) for nets in names.segments.values() for net in nets):
                yield address.family, f"{_ip(address.family)} {end} {address}"


def service_matches(services: Services, family: int = 0) -> Iterator[Match]:
    """Conditions, each by itself, for a set of services."""
    if services == EVERYTHING:
        yield 0, ""
        return
    for first, last in services.spans:
        for low, high in _by_protocol(first, last):
            protocol, port = describe(low)
            if low == PING:
                if family != 6:
                    yield 4, "icmp type echo-request"
                if family != 4:
                    yield 6, "icmpv6 type echo-request"
            elif low == OTHER:
                yield 0, "meta l4proto != { icmp, ipv6-icmp, tcp, udp }"
            else:
                end = describe(high)[1]
                yield 0, f"{protocol} dport {port}" + (f"-{end}" if end != port else "")


def _by_protocol(first: int, last: int) -> Iterator[tuple[int, int]]:
    """A run of services cut where another protocol begins."""
    start = first
    edges = [PING, OTHER, parse_services("tcp").spans[0][0], parse_services("udp").spans[0][0]]
    for edge in sorted(edge for edge in edges if first < edge <= last):
        yield start, edge - 1
        start = edge
    yield start, last


def of_box(
    plan: SitePlan,
    key: str,
    device: Device,
    sides: list[BoxSide],
    known: tuple[Names, Names],
    circuit_point: Callable[[str], Address | None],
) -> str:
    """The rules of a box, or of one of its tables. `known` are the names as that table knows them, and as translations
    do, which know no tables; `circuit_point` tells the own address of a circuit."""
    names, anywhere = known
    lines = ["table inet box {"]
    faces = {side.side: side.face for side in sides}
    if device.is_filter:
        lines += _chain("sources", "filter hook prerouting priority -150", [*_sources(sides)])
        lines += _chain("passing", "filter hook forward priority 0", [*_passing(device, names)], policy="drop")
    if device.routes_packets:
        published = [*_published(plan, device, faces, circuit_point)]
        lines += _chain("published", "nat hook prerouting priority -100", published)
        translated = [*_translated(device, faces, anywhere, circuit_point)]
        lines += _chain("translated", "nat hook postrouting priority 100", translated)
    further = [address for address in further_addresses(plan, device) if any(_near(side, address) for side in sides)]
    own = [*(f"{_ip(one.family)} daddr {one} drop" for one in further), *_own(plan, key, device, sides, names)]
    lines += _chain("own", "filter hook input priority 0", own, policy="drop")
    return "\n".join([*lines, "}"]) + "\n"


def further_addresses(plan: SitePlan, device: Device) -> list[Address]:
    """The addresses of circuits, besides their own, that a box publishes or translates to."""
    own = {point for line in plan.circuits.values() for point in (line.address, line.address6)}
    used = [
        *(one.address for one in device.publications.values()),
        *(one.address for one in device.translations.values()),
    ]
    return [one for one in dict.fromkeys(used) if one is not None and one not in own]


def _near(side: BoxSide, address: Address) -> bool:
    return side.side.startswith("/circuits/") and side.network.holds(address)


def _chain(name: str, hook: str, rules: Iterable[str], policy: str = "accept") -> list[str]:
    return [f"  chain {name} {{", f"    type {hook}; policy {policy};", *(f"    {rule}" for rule in rules), "  }"]


def _sources(sides: list[BoxSide]) -> Iterator[str]:
    """Strict reverse path (RFC 3704), and nothing private from a circuit."""
    for face in dict.fromkeys(side.face for side in sides if side.side.startswith("/circuits/")):
        yield f'iifname "{face}" ip saddr {_set(NOT_PUBLIC_IPV4, "198.18.0.0/15")} drop'
    yield "ip saddr 0.0.0.0 udp dport 67 accept"
    yield "meta nfproto ipv4 fib saddr . iif oif missing drop"
    yield "meta nfproto ipv6 ip6 saddr != fe80::/10 ip6 daddr != ff00::/8 fib saddr . iif oif missing drop"


def _passing(device: Device, names: Names) -> Iterator[str]:
    yield "ct state established,related accept"
    yield "ct state invalid tcp flags & (syn | ack) == syn | ack drop"  # an answer to what went by another box
    yield "ct state invalid icmp type echo-reply drop"
    yield "ct state invalid icmpv6 type echo-reply drop"
    for rule in device.allows.values():
        services = known_services(rule.service)
        if services is None:
            continue
        for a, source in place_matches(names, rule.source, "saddr"):
            for b, target in place_matches(names, rule.target, "daddr"):
                if a and b and a != b:
                    continue
                for c, service in service_matches(services, a or b):
                    if not (c and (a or b) and c != (a or b)):
                        yield " ".join(part for part in (source, target, service, "accept") if part)


def _published(
    plan: SitePlan, device: Device, faces: dict[str, str], circuit_point: Callable[[str], Address | None]
) -> Iterator[str]:
    for one in device.publications.values():
        face, services, host = (
            faces.get(f"/circuits/{one.circuit}"),
            known_services(one.service),
            plan.hosts.get(one.host),
        )
        outside = one.address or circuit_point(one.circuit)
        if face is None or services is None or host is None or outside is None:
            continue
        inside = host.address6 if outside.family == 6 and host.address6 is not None else host.address
        if inside is None or inside.family != outside.family:
            continue
        ip = _ip(outside.family)
        near = [net for net in one.sources if net.family == outside.family]
        if one.sources and not near:
            continue
        where = f'iifname "{face}" {ip} daddr {outside}' + (f" {ip} saddr {_set(near)}" if near else "")
        for family, service in service_matches(services, outside.family):
            if not family or family == outside.family:
                yield " ".join(part for part in (where, service, _rewritten(inside, services, one.port)) if part)


def _rewritten(inside: Address, services: Services, port: int | None) -> str:
    ip = _ip(inside.family)
    run = services.port
    if port is None or run is None or port == run[1]:
        return f"dnat {ip} to {inside}"
    protocol, first, last = run
    host = f"[{inside}]" if inside.family == 6 else str(inside)
    if first == last:
        return f"dnat {ip} to {host}:{port}"
    moved = ", ".join(f"{n} : {n - first + port}" for n in range(first, last + 1) if n - first + port <= 65_535)
    return f"dnat {ip} to {host}:{protocol} dport map {{ {moved} }}"


def _translated(
    device: Device, faces: dict[str, str], names: Names, circuit_point: Callable[[str], Address | None]
) -> Iterator[str]:
    """What leaves by a circuit under an address of it (RFC 3022). A segment is called by its address alone."""
    for one in device.translations.values():
        face, point = faces.get(f"/circuits/{one.circuit}"), one.address or circuit_point(one.circuit)
        if face is None or point is None or point.family != 4:
            continue
        for family, source in place_matches(names, one.segment, "saddr"):
            if family == 4:
                yield f'oifname "{face}" {source} snat ip to {point}'


def _own(plan: SitePlan, key: str, device: Device, sides: list[BoxSide], names: Names) -> Iterator[str]:
    """What the box itself answers: ping, its management from where it is permitted, leases and names."""
    yield 'iifname "lo" accept'
    yield "ct state established,related accept"
    yield "icmp type echo-request accept"
    yield "icmpv6 type { echo-request, nd-neighbor-solicit, nd-neighbor-advert, nd-router-solicit } accept"
    for access in device.access.values():
        protocol, _, port = _MANAGEMENT[access.service].partition("/")
        if access.segment is not None:
            for _, source in place_matches(names, access.segment, "saddr"):
                yield f"{source} {protocol} dport {port} accept"
        for net in access.networks:
            yield f"{_ip(net.family)} saddr {net} {protocol} dport {port} accept"
    serving = {
        name
        for name, segment in plan.segments.items()
        if segment.scope.span is not None and any(box == key for box, _ in servers(plan, name))
    }
    for side in sides:
        if side.side.removeprefix("/segments/") in serving | set(device.relays) and side.network.family == 4:
            yield f'iifname "{side.face}" udp dport 67 accept'
    for name in serving:
        for _, source in place_matches(names, name, "saddr"):
            yield f"{source} udp dport 67 accept"
    if device.forwarders and (device.routes_packets or serving):
        for family in (4, 6):
            nets = names.inside(family)
            if nets:
                for protocol in ("udp", "tcp"):
                    yield f"{_ip(family)} saddr {_set(nets)} {protocol} dport 53 accept"


def of_provider(
    allowed: Iterable[Network],
    private: Iterable[Network],
    point: Address | None,
    modem: Address | None,
    own: list[Network],
) -> str:
    """A provider's rules: nothing from addresses that are not the site's (RFC 2827), nothing to private ones. `modem`
    is the address under which it sends what comes from the private address `point`, to which it hands everything."""
    allowed, own4 = list(allowed), [net for net in own if net.family == 4]
    sources = []
    for family in (4, 6):
        nets = [net for net in allowed if net.family == family]
        sources.append(
            f'iifname "box" {_ip(family)} saddr != {_set(nets)} drop'
            if nets
            else f'iifname "box" meta nfproto {_proto(family)} drop'
        )
    if not any(net.family == 6 for net in allowed):
        sources[1] = 'iifname "box" ip6 saddr != fe80::/10 drop'
    lines = ["table inet provider {", *_chain("sources", "filter hook prerouting priority -150", sources)]
    out = [f'oifname "net" ip daddr {_set(private, "198.18.0.0/15")} drop']
    lines += _chain("private", "filter hook forward priority 0", out)
    if modem is not None and point is not None:
        lines += _chain(
            "modem", "nat hook prerouting priority -100", [f'iifname "net" ip daddr {modem} dnat ip to {point}']
        )
        again = [f'oifname "net" ip saddr {net} snat ip to {modem}' for net in own4]
        lines += _chain("again", "nat hook postrouting priority 100", again)
    near = [f"fib daddr type local {rule}" for rule in _caught()]
    lines += _chain("near", "nat hook prerouting priority -90", near)
    return "\n".join([*lines, "}"]) + "\n"


def on_segment(face: str) -> str:
    """The rules of what is plugged in somewhere: whatever its own addresses are sent arrives at one port."""
    caught = [f'iifname "{face}" fib daddr type local {rule}' for rule in _caught()]
    lines = ["table inet place {", *_chain("caught", "nat hook prerouting priority -100", caught), "}"]
    return "\n".join(lines) + "\n"


def far_away(
    face: str, but: Iterable[Network] = (), inside: Iterable[Network] = (), own: Iterable[Network] = ()
) -> str:
    """The rules of the internet, or of other sites: whatever is sent there arrives at one port, whatever address it was
    sent to, unless it is on its way to some networks. Nothing comes back to what is `inside` from addresses that are
    the site's `own`, and nobody there has an address of it."""
    but = list(but)
    six = [net for net in but if net.family == 6]
    four = [net for net in but if net.family == 4]
    past = [
        f'iifname "{face}" fib daddr type != local {_ip(n[0].family)} daddr {_set(n)} accept' for n in (four, six) if n
    ]
    caught = [*past, *(f'iifname "{face}" {rule}' for rule in _caught())]
    lines = ["table inet place {"]
    inside, own = list(inside), list(own)
    round_about = [
        f'iifname "{face}" {_ip(family)} daddr {_set(nets)} {_ip(family)} saddr {_set([*nets, *sources])} drop'
        for family in (4, 6)
        if (nets := [net for net in inside if net.family == family])
        for sources in [[net for net in own if net.family == family]]
    ]
    lines += _chain("round", "filter hook prerouting priority -150", round_about)
    lines += [*_chain("caught", "nat hook prerouting priority -100", caught), "}"]
    return "\n".join(lines) + "\n"


def _caught() -> list[str]:
    return [
        f"tcp dport 1-65535 redirect to :{LISTENING}",
        f"udp dport 1-65535 redirect to :{LISTENING}",
        "meta l4proto != { tcp, udp, ipv6-icmp } redirect",
        "icmpv6 type echo-request redirect",
    ]


def _ip(family: int) -> str:
    return "ip" if family == 4 else "ip6"


def _proto(family: int) -> str:
    return "ipv4" if family == 4 else "ipv6"


def _of(nets: dict[int, Network], family: int) -> list[Network]:
    return [nets[family]] if family in nets else []


def _without(family: int, end: str, nets: Iterable[Network]) -> str:
    found = list(nets)
    return f"{_ip(family)} {end} != {_set(found)}" if found else ""


def _set(nets: Iterable[Network], *but: str) -> str:
    """A set of networks as nftables writes it; those that lie in others are left out, since it refuses overlaps."""
    some = list(dict.fromkeys(net for net in nets if str(net) not in but))
    kept = [net for net in some if not any(one != net and _within(net, one) for one in some)]
    return "{ " + ", ".join(map(str, kept)) + " }"
