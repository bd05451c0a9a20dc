"""One box takes the place of another: which values of the old one must survive, and whether the plan still has them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from octaplan.core.plan.boxes import held_addresses
from octaplan.core.plan.questions import value_text
from octaplan.core.plan.site import SitePlan, Survivor
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address, parse_network


@dataclass(frozen=True, slots=True)
class Candidate:
    """A value of the plan that others may rely on: a place, what it is, and what it says."""

    path: str
    what: str
    value: str


def candidates(plan: SitePlan) -> Iterator[Candidate]:
    """Every address and subnet of a plan that can be marked to survive, in the order of the plan."""
    for key, circuit in plan.circuits.items():
        for field, what in (("address", "address"), ("gateway", "gateway"), ("modem_subnet", "modem's inside")):
            yield Candidate(f"/circuits/{key}/{field}", f"{circuit.label} {what}", value_text(getattr(circuit, field)))
    for key, segment in plan.segments.items():
        server = segment.scope.server
        yield Candidate(f"/segments/{key}/subnet", f"{segment.label} subnet", value_text(segment.subnet))
        yield Candidate(f"/segments/{key}/gateway", f"{segment.label} gateway", value_text(segment.gateway))
        if isinstance(server, Address):
            yield Candidate(f"/segments/{key}/scope/server", f"{segment.label} DHCP server", str(server))
        for host_key, host in plan.hosts.items():
            if host.segment == key:
                yield Candidate(f"/hosts/{host_key}/address", host.name, value_text(host.address))


def survivor_now(plan: SitePlan, survivor: Survivor) -> str | None:
    """What the plan says where a value must survive: nothing (`None`) when it survives, empty when it is nowhere."""
    if survivor.path is not None:
        now = _at(plan, survivor.path)
        return None if now == survivor.value else now
    try:
        wanted: Address | Network = parse_address(survivor.value)
    except AddressError:
        wanted = parse_network(survivor.value)[0]
    held: list[Address | Network] = [*held_addresses(plan)]
    for circuit in plan.circuits.values():
        held += [a for a in (circuit.address, circuit.gateway, circuit.modem_subnet) if a is not None]
        held += circuit.routed_blocks
    held += [s.subnet for s in plan.segments.values() if s.subnet is not None]
    held += [s.scope.server for s in plan.segments.values() if isinstance(s.scope.server, Address)]
    return None if wanted in held else ""


def _at(plan: SitePlan, path: str) -> str:
    """The value at a path that `candidates` names, as text; empty when it is not there any more."""
    _, kind, key, *fields = path.split("/")
    part = getattr(plan, kind, {}).get(key)
    for field in fields:
        part = getattr(part, field, None)
    return value_text(part)
