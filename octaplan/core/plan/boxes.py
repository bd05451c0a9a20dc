"""What follows about a site's boxes from its plan: their addresses, who routes and who serves what."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from octaplan.core.plan.device import Device, DeviceRole, PortMode, PortUse, Route
from octaplan.core.plan.organisation import UNDECIDED
from octaplan.core.plan.site import Attachment, Circuit, Segment, SitePlan
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address

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
    if segment in device.addresses:
        return device.addresses[segment]
    host = plan.hosts.get(device.host or "")
    if host is not None and host.segment == segment and host.address is not None:
        return host.address
    where = plan.segments.get(segment)
    return where.gateway if where is not None and is_gateway(plan, device, segment) else None


def is_gateway(plan: SitePlan, device: Device, segment: str) -> bool:
    """Whether a box is the gateway of a segment that it carries: whoever has the gateway's address there.

    Where the plan does not say, it is the edge, or when no edge carries the segment the first router that does.
    """
    where = plan.segments.get(segment)
    if where is None or not device.routes_packets or segment not in device.carried():
        return False
    if segment in device.addresses:
        return device.addresses[segment] == where.gateway
    routing = [other for other in plan.devices.values() if other.routes_packets and segment in other.carried()]
    if any(other.addresses.get(segment) == where.gateway for other in routing if segment in other.addresses):
        return False
    unsaid = [other for other in routing if segment not in other.addresses]
    edges = [other for other in unsaid if other.role is DeviceRole.EDGE]
    return any(other is device for other in (edges or unsaid[:1]))


class Interface(NamedTuple):
    """An address of a box, in a segment or on a circuit."""

    owner: str
    address: Address
    network: Network


def interfaces(plan: SitePlan, device: Device) -> Iterator[Interface]:
    """Every address of a box that the plan knows with its subnet."""
    for key in dict.fromkeys([*device.carried(), *device.addresses]):
        segment = plan.segments.get(key)
        address = own_address(plan, device, key)
        if segment is not None and segment.subnet is not None and address is not None:
            yield Interface(f"/segments/{key}", address, segment.subnet)
    for key, circuit in circuits_of(plan, device):
        if circuit.address is not None and circuit.subnet is not None:
            yield Interface(f"/circuits/{key}", circuit.address, circuit.subnet)


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
    return circuit.gateway if circuit else None


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
    for device in plan.devices.values():
        for interface in interfaces(plan, device):
            held.setdefault(interface.address, named(device))
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
