"""What can be found about a site, worked out from its plan: rows of the tables of claims and names."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from octaplan.core.plan.boxes import interfaces, named
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Address, Network, Span

Row = dict[str, Any]


def sort_key(address: Address) -> str:
    """An address as 32 hexadecimal digits, so that text sorts as addresses do."""
    return f"{address.value:032x}"


def claims_of(plan: SitePlan, site_id: int) -> Iterator[Row]:
    """One row per address or run of addresses that the plan says is used."""

    def claim(path: str, use: str, name: str, what: Address | Network | Span) -> Row:
        first, last = (what, what) if isinstance(what, Address) else (what.first, what.last)
        return {
            "site_id": site_id,
            "path": path,
            "use": use,
            "name": name,
            "family": first.family,
            "first": sort_key(first),
            "last": sort_key(last),
        }

    if plan.delegated_prefix:
        yield claim("", "IPv6 prefix", plan.name or plan.site, plan.delegated_prefix)
    for key, circuit in plan.circuits.items():
        path = f"/circuits/{key}"
        if circuit.address:
            yield claim(path, "address", circuit.label, circuit.address)
        if circuit.gateway:
            yield claim(path, "provider", circuit.label, circuit.gateway)
        if circuit.subnet:
            yield claim(path, "hand-off", circuit.label, circuit.subnet)
        if circuit.address6:
            yield claim(path, "address", circuit.label, circuit.address6)
        if circuit.gateway6:
            yield claim(path, "provider", circuit.label, circuit.gateway6)
        if circuit.subnet6:
            yield claim(path, "hand-off", circuit.label, circuit.subnet6)
        if circuit.modem_subnet:
            yield claim(path, "modem", circuit.label, circuit.modem_subnet)
        for further, use in circuit.further.items():
            yield claim(f"{path}/uses/{further}", "further address", use or circuit.label, further)
        for block in circuit.routed_blocks:
            yield claim(path, "routed block", circuit.label, block)
    for key, segment in plan.segments.items():
        path = f"/segments/{key}"
        for subnet in (segment.subnet, segment.subnet6):
            if subnet:
                yield claim(path, "segment", segment.label, subnet)
        for gateway in (segment.gateway, segment.gateway6):
            if gateway:
                yield claim(path, "gateway", segment.label, gateway)
        for piece in segment.scope.pieces:
            yield claim(path, "range", segment.label, piece)
    for key, host in plan.hosts.items():
        for address in (host.address, host.address6):
            if address:
                yield claim(f"/hosts/{key}", "host", host.name, address)
    hosts = {host.address for host in plan.hosts.values()}
    gateways = {segment.gateway for segment in plan.segments.values()}
    for key, device in plan.devices.items():
        for address in {i.address for i in interfaces(plan, device) if i.owner.startswith("/segments/")}:
            if address not in hosts and address not in gateways:
                yield claim(f"/devices/{key}", "device", named(device), address)


#: A number that one could call has at least so many digits.
PHONE = 6


def digits(text: str) -> str:
    """The digits of a phone number, however it is written; nothing when there are too few of them."""
    found = "".join(filter(str.isdigit, text))
    return found if len(found) >= PHONE else ""


def vlan_words(vlan: int | None) -> str:
    """What a segment is found by that has a VLAN; the end tells 2 from 20."""
    return "" if vlan is None else f"vlan {vlan};"


def names_of(plan: SitePlan, site_id: int, customer: str) -> Iterator[Row]:
    """One row per word that the site, its segments, circuits or hosts can be found by."""

    def name(path: str, kind: str, text: str, *more: str) -> Row:
        folded = " ".join(part for part in (text, *more) if part).casefold()
        return {"site_id": site_id, "path": path, "kind": kind, "name": text[:300], "folded": folded[:300]}

    yield name("", "site", plan.name or plan.site, f"{plan.customer}/{plan.site}", customer)
    for kind, said in (("contact", plan.contact), ("technician", plan.technician), ("street", plan.street)):
        if said:
            yield name("", kind, said, digits(said))
    for key, answer in plan.answers.items():
        if len(digits(answer.text)) >= PHONE:
            yield name(f"/answers/{key}", "answer", answer.text, digits(answer.text))
    for key, circuit in plan.circuits.items():
        yield name(f"/circuits/{key}", "circuit", circuit.label, circuit.reference or "", circuit.provider or "")
    for key, segment in plan.segments.items():
        yield name(f"/segments/{key}", "segment", segment.label, vlan_words(segment.vlan), segment.role)
    for key, host in plan.hosts.items():
        yield name(f"/hosts/{key}", "host", host.name)
        if host.mac:
            yield name(f"/hosts/{key}", "MAC", str(host.mac), f"{host.mac.value:012x}")
    for key, device in plan.devices.items():
        facts = (device.serial or "", device.asset_tag or "", device.role.words)
        yield name(f"/devices/{key}", "device", named(device), *facts)
        for mac in device.macs:
            yield name(f"/devices/{key}", "MAC", str(mac), f"{mac.value:012x}")
    for key, wireless in plan.wireless.items():
        yield name(f"/wireless/{key}", "Wi-Fi", wireless.name)
