"""Something inside made reachable from outside: publication, the rule that lets it in, and what is meant, at once."""

from __future__ import annotations

from collections.abc import Iterable
from contextlib import suppress

from octaplan.core.flow.network import INTERNET, moved_to_port
from octaplan.core.plan.device import Allow, PortMode, Publication
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.patch import Operation, set_to
from octaplan.core.plan.site import Circuit, SitePlan, new_id
from octaplan.core.propose.mending import wanted_in
from octaplan.core.propose.permits import crosses
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_near
from octaplan.core.values.errors import TypedError
from octaplan.core.values.services import NOTHING, Services, known_services, parse_services


def outside_address(circuit: Circuit, typed: str) -> Address | None:
    """The address outside that was typed, whole or by its end: `.67` is the one that a block of the circuit has.

    Nothing was typed: none, and the circuit's own is meant. Raises `AddressError`.
    """
    if not typed.strip():
        return None
    for block in (circuit.subnet, circuit.subnet6, *circuit.routed_blocks):
        if block is not None:
            with suppress(AddressError):
                address = parse_near(typed, block)
                if block.holds(address):
                    return address
    return parse_address(typed)


def publish(
    plan: SitePlan,
    organisation: Organisation,
    circuit: str,
    host: str,
    service: str,
    *,
    address: Address | None = None,
    port: int | None = None,
    sources: Iterable[Network] = (),
    reason: str = "",
) -> list[Operation]:
    """The change by which a fixed host is reachable by a service at an address of a circuit.

    Raises `TypedError` when the plan has no such circuit or host, or no box that the circuit is plugged into.
    """
    box = next(
        (
            key
            for key, device in plan.devices.items()
            for use in device.ports.values()
            if use.mode is PortMode.CIRCUIT and use.circuit == circuit
        ),
        None,
    )
    if circuit not in plan.circuits or box is None:
        raise TypedError("The circuit is in no port yet: plug it in on the wiring board of Devices first")
    if host not in plan.hosts:
        raise TypedError("This host has been removed: choose another")
    services, target = parse_services(service), plan.hosts[host]
    if target.address is None and target.address6 is None:
        raise TypedError(f"{target.name} has no address yet: give it one on Addresses first")
    if port is not None and services.port is None:
        raise TypedError("A port inside goes with one port, or one run of ports, outside: leave it empty")
    device = plan.devices[box]
    one = Publication(
        circuit=circuit,
        address=None if address == plan.circuits[circuit].address else address,
        service=str(services),
        host=host,
        port=port if services.port is not None and port != services.port[1] else None,
        sources=list(sources),
    )
    key = new_id(f"publication {one.address} {service} {host}", device.publications)
    operations = [set_to(f"/devices/{box}/publications/{key}", one.model_dump(mode="json"))]
    inside = moved_to_port(services, one.port)
    for name, other in plan.devices.items():
        if other.is_filter and (name == box or crosses(plan, name, INTERNET, target.segment)):
            allow = Allow(source=INTERNET, target=host, service=str(inside))
            known = (allow.source, allow.target, allow.service)
            if known not in {(a.source, a.target, a.service) for a in other.allows.values()}:
                free = new_id(f"allow internet {host} {inside}", other.allows)
                operations.append(set_to(f"/devices/{name}/allows/{free}", allow.model_dump(mode="json")))
    why = reason.strip() or f"{target.name} is published"
    operations += wanted_in(plan, organisation, target.segment, inside, why)
    return operations


def taken_back(plan: SitePlan, box: str, key: str) -> list[Operation]:
    """The change by which a publication ends: with the rules and what was meant that no other one needs."""
    one = plan.devices[box].publications[key]
    host = plan.hosts.get(one.host)
    operations: list[Operation] = [{"op": "remove", "path": f"/devices/{box}/publications/{key}"}]
    if host is None:
        return operations
    others = [
        other
        for name, device in plan.devices.items()
        for k, other in device.publications.items()
        if (name, k) != (box, key) and other.host in plan.hosts and plan.hosts[other.host].segment == host.segment
    ]
    needed = _together(other for other in others if other.host == one.host)
    for name, device in plan.devices.items():
        for rule, allow in device.allows.items():
            theirs = (allow.source, allow.target) == (INTERNET, one.host)
            if theirs and not (known_services(allow.service) or NOTHING) & needed:
                operations.append({"op": "remove", "path": f"/devices/{name}/allows/{rule}"})
    for name, departure in plan.departures.items():
        if (departure.source, departure.target) == (INTERNET, host.segment):
            meant = known_services(departure.services) or NOTHING
            left = meant - (_together([one]) - _together(others))
            if not left:
                operations.append({"op": "remove", "path": f"/departures/{name}"})
            elif left != meant:
                operations.append(set_to(f"/departures/{name}/services", str(left)))
    return operations


def _together(publications: Iterable[Publication]) -> Services:
    """The services of publications, as they are inside."""
    found = NOTHING
    for one in publications:
        found |= moved_to_port(known_services(one.service) or NOTHING, one.port)
    return found
