"""Giving a segment another subnet, with everything that lies in the old one moved along at its offset."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import NamedTuple

from octaplan.core.plan.device import Device
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Segment, SitePlan
from octaplan.core.values.addresses import Address, AddressError, Network, Span, parse_address


class Renumbered(NamedTuple):
    """A JSON Patch (RFC 6902) on the plan, and what moves along, in words."""

    operations: list[Operation]
    along: str


def renumber(plan: SitePlan, key: str, subnet: Network) -> Renumbered:
    """The change that gives a segment another subnet: its IPv6 side when the subnet is IPv6 and it has another side.

    Gateway, range, hosts, kept runs and resolvers keep their offsets, and so do DHCP options, resolvers of other
    segments and settings of devices that name an address of the old subnet. What does not fit stays.
    """
    segment = plan.segments[key]
    second = subnet.family == 6 and (segment.subnet is None or segment.subnet.family == 4)
    before = segment.subnet6 if second else segment.subnet
    base = f"/segments/{key}"
    operations = [set_to(f"{base}/{'subnet6' if second else 'subnet'}", str(subnet))]
    if before is None or before.family != subnet.family or before.first == subnet.first:
        return Renumbered(operations, "")
    shift = subnet.value - before.value

    def moved(address: Address) -> Address:
        if not before.holds(address) or address.value - before.value >= subnet.size:
            return address
        return address.plus(shift)

    named = [*_of_segment(base, segment, moved, second), *_of_hosts(plan, key, moved), *_named(plan, key, moved)]
    operations += [operation for _, operation in named]
    kinds = dict.fromkeys(what for what, _ in named)
    hosts = sum(what == "host" for what, _ in named)
    words = [f"{hosts} host{'' if hosts == 1 else 's'}" if what == "host" else what for what in kinds if what]
    if not words:
        return Renumbered(operations, "")
    listed = words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
    return Renumbered(operations, f"{listed} {'moves' if len(words) == 1 and hosts < 2 else 'move'} along")


_Moved = Callable[[Address], Address]
_Named = Iterator[tuple[str, Operation]]


def _of_segment(base: str, segment: Segment, moved: _Moved, second: bool) -> _Named:
    gateway = segment.gateway6 if second else segment.gateway
    if gateway is not None and moved(gateway) != gateway:
        yield "gateway", set_to(f"{base}/{'gateway6' if second else 'gateway'}", str(moved(gateway)))
    scope = segment.scope
    for end, address in (("first", scope.first), ("last", scope.last)):
        if address is not None and moved(address) != address:
            yield "range", set_to(f"{base}/scope/{end}", str(moved(address)))
    if any(shifted(span, moved) != span for span in scope.excluded):
        yield "", set_to(f"{base}/scope/excluded", [shifted(span, moved).typed for span in scope.excluded])
    if any(shifted(keep.run, moved) != keep.run for keep in segment.kept):
        runs = [{"kind": keep.kind, "run": shifted(keep.run, moved).typed} for keep in segment.kept]
        yield "kept runs", set_to(f"{base}/kept", runs)


def shifted(span: Span, moved: _Moved) -> Span:
    """A run moved along, both of its ends or none."""
    first, last = moved(span.first), moved(span.last)
    return Span(first, last) if (first == span.first) == (last == span.last) else span


def _of_hosts(plan: SitePlan, key: str, moved: _Moved) -> _Named:
    for name, host in plan.hosts.items():
        if host.segment != key:
            continue
        for field, address in (("address", host.address), ("address6", host.address6)):
            if address is not None and moved(address) != address:
                yield "host", set_to(f"/hosts/{name}/{field}", str(moved(address)))


def _named(plan: SitePlan, key: str, moved: _Moved) -> _Named:
    """What names an address of the segment elsewhere in the plan."""
    for other, segment in plan.segments.items():
        if segment.vrf != plan.segments[key].vrf:
            continue
        resolvers = [moved(item) if isinstance(item, Address) else item for item in segment.resolvers]
        if resolvers != segment.resolvers:
            yield "resolvers", set_to(f"/segments/{other}/resolvers", [str(item) for item in resolvers])
        server = segment.scope.server
        if isinstance(server, Address) and moved(server) != server:
            yield "", set_to(f"/segments/{other}/scope/server", str(moved(server)))
        for number, text in segment.scope.options.items():
            shifted = in_text(text, moved)
            if shifted != text:
                yield "DHCP options", set_to(f"/segments/{other}/scope/options/{number}", shifted)
    for name, device in plan.devices.items():
        yield from _of_device(f"/devices/{name}", device, key, moved)


def _of_device(path: str, device: Device, key: str, moved: _Moved) -> _Named:
    own = device.addresses.get(key)
    if own is not None and moved(own) != own:
        yield "devices", set_to(f"{path}/addresses/{key}", str(moved(own)))
    if device.gateway is not None and key in device.addresses and moved(device.gateway) != device.gateway:
        yield "devices", set_to(f"{path}/gateway", str(moved(device.gateway)))
    for field in ("resolvers", "forwarders", "time_servers"):
        before = [str(item) for item in getattr(device, field)]
        after = [in_text(item, moved) for item in before]
        if after != before:
            yield "devices", set_to(f"{path}/{field}", after)


def in_text(text: str, moved: _Moved) -> str:
    """Text with the addresses of a list in it moved, and everything else as it is."""
    parts = text.split(" ")
    for place, part in enumerate(parts):
        bare = part.rstrip(",;")
        try:
            parts[place] = str(moved(parse_address(bare))) + part[len(bare) :]
        except AddressError:
            continue
    return " ".join(parts)
