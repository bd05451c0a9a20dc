"""What follows about a site's boxes from its plan: their addresses, who routes and who serves what."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from typing import NamedTuple

from octaplan.core.plan.device import Device, DeviceRole, PortMode, PortUse, Publication, Route
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.core.plan.site import Attachment, Circuit, Segment, SegmentRole, SitePlan
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address
from octaplan.core.values.words import listed

#: DHCP options whose value is addresses of servers (RFC 2132, RFC 5859), in words.
SERVER_OPTIONS = {
    "4": "time server",
    "42": "time server",
    "44": "name server",
    "66": "provisioning server",
    "69": "mail server",
    "150": "provisioning server",
}


def host_name(plan: SitePlan, role: DeviceRole, convention: str = UNDECIDED.naming) -> str:
    """A host name by convention (`SITE-edge`, `SITE-switch`, `SITE-switch2`) that no box of the site has yet."""
    names = {device.name.casefold() for device in plan.devices.values() if device.name}
    short = {"access-point": "ap", "inner-router": "router"}.get(role, str(role))
    codes = {"customer": _as_label(plan.customer), "site": _as_label(plan.site), "role": short}
    numbered = convention if "{number}" in convention else convention + "{number}"
    texts = (numbered.format(**codes, number=number) for number in ("", *range(2, 10_000)))
    tidy = (re.sub(r"-{2,}", "-", text.casefold()).strip("-") for text in texts)
    return next(name for name in tidy if name and name not in names)


def _as_label(code: str) -> str:
    """A code as a part of a name (RFC 1123)."""
    return re.sub(r"[^a-z0-9]+", "-", code.casefold())[:16].strip("-") or "site"


def own_address(plan: SitePlan, device: Device, segment: str) -> Address | None:
    """The box's address in a segment: its own, or that of the host it is, or the gateway's when it routes."""
    return _own_address(plan, device, segment, is_gateway)


def _own_address(
    plan: SitePlan, device: Device, segment: str, at_home: Callable[[SitePlan, Device, str], bool]
) -> Address | None:
    """The same; `at_home` tells whether a box is the gateway of a segment."""
    if segment in device.addresses:
        return device.addresses[segment]
    host = plan.hosts.get(device.host or "")
    if host is not None and host.segment == segment and host.address is not None:
        return host.address
    where = plan.segments.get(segment)
    return where.gateway if where is not None and at_home(plan, device, segment) else None


def is_gateway(plan: SitePlan, device: Device, segment: str) -> bool:
    """Whether a box is the gateway of a segment that it carries: whoever has the gateway's address there.

    Where the plan does not say, it is the edge, or when no edge carries the segment the first router that does.
    """
    if segment not in plan.segments or not device.routes_packets or segment not in device.carried():
        return False
    routing = [other for other in plan.devices.values() if other.routes_packets and segment in other.carried()]
    return any(device is other for other in _gateways(plan.segments[segment], segment, routing))


def _gateways(where: Segment, segment: str, routing: list[Device]) -> list[Device]:
    """Which of the routing boxes that carry a segment is its gateway: none, one, or several that claim it."""
    said = [other for other in routing if segment in other.addresses]
    holders = [other for other in said if other.addresses[segment] == where.gateway]
    if holders:
        return holders
    unsaid = [other for other in routing if segment not in other.addresses]
    edges = [other for other in unsaid if other.role is DeviceRole.EDGE]
    return edges or unsaid[:1]


def gateways(plan: SitePlan) -> dict[str, list[str]]:
    """The boxes that are the gateway of each segment, by their ids: mostly one, none where no box that routes is."""
    routing: dict[str, list[Device]] = {key: [] for key in plan.segments}
    names: dict[int, str] = {}
    for name, device in plan.devices.items():
        if device.routes_packets:
            names[id(device)] = name
            for key in device.carried():
                if key in routing:
                    routing[key].append(device)
    return {key: [names[id(one)] for one in _gateways(plan.segments[key], key, some)] for key, some in routing.items()}


def managed_from(plan: SitePlan, device: Device, among: Iterable[str] | None = None) -> str | None:
    """The segment from which a box is managed unless somebody says otherwise: management, else servers or office, else
    the first, of those in a routing table that the box has an address in."""
    if among is None:
        tables = {plan.segments[key].vrf.casefold() for key in device.carried() if key in plan.segments}
        among = [
            key
            for key, segment in plan.segments.items()
            if segment.role is not SegmentRole.TRANSIT and (segment.vrf.casefold() in tables or not tables)
        ]
    found = list(among)
    for role in (SegmentRole.MANAGEMENT, SegmentRole.SERVERS, SegmentRole.OFFICE):
        for key in found:
            if plan.segments[key].role is role:
                return key
    return next(iter(found), None)


class Interface(NamedTuple):
    """An address of a box, in a segment or on a circuit."""

    owner: str
    address: Address
    network: Network


def interfaces(
    plan: SitePlan, device: Device, at_home: Callable[[SitePlan, Device, str], bool] = is_gateway
) -> Iterator[Interface]:
    """Every address of a box that the plan knows with its subnet; `at_home` tells whether it is a segment's gateway."""
    for key in dict.fromkeys([*device.carried(), *device.addresses]):
        segment = plan.segments.get(key)
        address = _own_address(plan, device, key, at_home)
        if segment is not None and segment.subnet is not None and address is not None:
            yield Interface(f"/segments/{key}", address, segment.subnet)
    for key, circuit in circuits_of(plan, device):
        if circuit.address is not None and circuit.subnet is not None:
            yield Interface(f"/circuits/{key}", circuit.address, circuit.subnet)


def site_interfaces(plan: SitePlan) -> dict[str, list[Interface]]:
    """The interfaces of every box, the gateways of all segments worked out in one go."""
    homes = {(key, id(plan.devices[name])) for key, names in gateways(plan).items() for name in names}

    def at_home(_: SitePlan, device: Device, segment: str) -> bool:
        return (segment, id(device)) in homes

    return {name: list(interfaces(plan, device, at_home)) for name, device in plan.devices.items()}


def circuits_of(plan: SitePlan, device: Device) -> list[tuple[str, Circuit]]:
    """The circuits on the box's ports, in the order of their priority."""
    keys = {use.circuit for use in device.ports.values() if use.mode is PortMode.CIRCUIT and use.circuit}
    found = [(key, circuit) for key, circuit in plan.circuits.items() if key in keys]
    return sorted(found, key=lambda pair: 10_000 if pair[1].priority is None else pair[1].priority)


def next_hop(plan: SitePlan, route: Route) -> Address | None:
    """Where a route leads: its next hop, or the gateway of its circuit."""
    if route.via is not None:
        return route.via
    circuit = plan.circuits.get(route.circuit or "")
    if circuit is None:
        return None
    known = (circuit.gateway, circuit.gateway6)
    return next((one for one in known if one is not None and one.family == route.to.family), None)


def towards_edge(plan: SitePlan, router: str) -> Address | None:
    """The address of an edge in a segment that an inner router has an address in too; transit links first."""
    device = plan.devices[router]
    shared = [key for key in device.carried() if key in plan.segments and own_address(plan, device, key) is not None]
    shared.sort(key=lambda key: plan.segments[key].role is not SegmentRole.TRANSIT)
    for key in shared:
        for other in plan.devices.values():
            if other.role is DeviceRole.EDGE and key in other.carried():
                address = own_address(plan, other, key)
                if address is not None and address != own_address(plan, device, key):
                    return address
    return None


def segment_of(plan: SitePlan, address: Address) -> tuple[str, Segment] | None:
    """The segment whose subnet holds an address."""
    for key, segment in plan.segments.items():
        for subnet in (segment.subnet, segment.subnet6):
            if subnet is not None and subnet.holds(address):
                return key, segment
    return None


def held_addresses(plan: SitePlan) -> dict[Address, str]:
    """Every address at which something is planned at the site, and what that is."""
    held: dict[Address, str] = {}
    for segment in plan.segments.values():
        for gateway in (segment.gateway, segment.gateway6):
            if gateway is not None:
                held.setdefault(gateway, f"the gateway of {segment.label}")
    for host in plan.hosts.values():
        for address in (host.address, host.address6):
            if address is not None:
                held.setdefault(address, host.name)
    for key, faces in site_interfaces(plan).items():
        for interface in faces:
            held.setdefault(interface.address, named(plan.devices[key]))
    return held


def servers(plan: SitePlan, segment: str) -> list[tuple[str, Device]]:
    """The boxes of the site that serve DHCP on a segment: its gateway, or whichever has the address of the server."""
    server = plan.segments[segment].scope.server
    if server == "none":
        return []
    if server == "edge":
        edges = [
            (key, device)
            for key, device in plan.devices.items()
            if device.role is DeviceRole.EDGE and segment in device.carried()
        ]
        return edges or [(key, device) for key, device in plan.devices.items() if is_gateway(plan, device, segment)]
    return [
        (key, device)
        for key, device in plan.devices.items()
        if device.staged and any(interface.address == server for interface in interfaces(plan, device))
    ]


def published_addresses(plan: SitePlan, one: Publication) -> tuple[Address | None, Address | None]:
    """The outside and the inside address of a publication, of one family where the host has it; unknown where its
    circuit gives the outside one, or where circuit or host are gone."""
    circuit, host = plan.circuits.get(one.circuit), plan.hosts.get(one.host)
    outside = one.address or (circuit.address if circuit is not None else None)
    if host is None:
        return outside, None
    return outside, host.address6 if outside is not None and outside.family == 6 else host.address


def hangs_on(plan: SitePlan, device: str) -> list[str]:
    """The boxes that another one hangs on, towards the provider: they are staged first. Nothing for an edge."""
    order = list(DeviceRole)
    own = order.index(plan.devices[device].role)
    ends = (use.peer for use in plan.devices[device].ports.values())
    return list(
        dict.fromkeys(
            peer
            for peer in ends
            if peer in plan.devices and plan.devices[peer].staged and order.index(plan.devices[peer].role) < own
        )
    )


def named(device: Device) -> str:
    """A box by its host name, or while it has none by its role."""
    return device.name or f"the {device.role.words}"


def uses(device: Device) -> Iterator[tuple[str, PortUse]]:
    """The ports that carry something."""
    return ((name, use) for name, use in device.ports.items() if use.mode is not PortMode.UNUSED)


def uncabled(plan: SitePlan) -> list[str]:
    """The fixed hosts that hang on a cable and are in no port yet, less those that are boxes of the site."""
    cabled = {use.host for device in plan.devices.values() for use in device.ports.values()}
    boxes = {device.host for device in plan.devices.values()}
    return [
        key
        for key, host in plan.hosts.items()
        if host.attached is not Attachment.WIFI and key not in cabled and key not in boxes
    ]


def addresses_in(text: str) -> list[Address]:
    """The addresses in a list written with commas or spaces; nothing when it is something else."""
    found = []
    for part in re.split(r"[\s,;]+", text.strip()):
        try:
            found.append(parse_address(part))
        except AddressError:
            return []
    return found


def chosen_box(plan: SitePlan, name: str) -> str | None:
    """The id of the box that somebody means by a name; nothing when none or several are called so."""
    wanted = name.casefold()
    found = [key for key, one in plan.devices.items() if wanted in (key, (one.name or "").casefold())]
    found = found or [key for key, one in plan.devices.items() if wanted in (one.role, one.role.words)]
    return found[0] if len(found) == 1 else None


def boxes_told(plan: SitePlan) -> str:
    """The boxes of a plan as a sentence names them."""
    return listed([named(device) for device in plan.devices.values()]) or "none"
