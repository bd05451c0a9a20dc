"""Addresses, gateways and masks: values that do not fit their own subnet."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from octaplan.core.claims import Flags, known, same, where, within
from octaplan.core.findings import Hit, Severity, rule

if TYPE_CHECKING:
    from octaplan.core.portfolio import View


def _inside(view: View, rows: str, column: str) -> Flags:
    table = getattr(view, rows)
    flags: Flags = within(table[column], table["first"], table["last"])
    return flags


def _usable(view: View, rows: str, column: str) -> Flags:
    table = getattr(view, rows)
    flags: Flags = within(table[column], table["usable_first"], table["usable_last"])
    return flags


@rule("subnet-missing", Severity.STOP, "segment", "subnet")
def subnet_missing(view: View) -> Iterator[Hit]:
    """Segment without a subnet

    Nothing else about a segment can be planned or checked before its subnet is known.
    """
    for row in where(~known(view.segments["first"])):
        subject = view.subject(view.segments, row)
        yield Hit(subject, f"{subject.name} has no subnet yet: give it one, such as 10.40.8.0/24.")


@rule("gateway-outside", Severity.STOP, "segment", "gateway")
def gateway_outside(view: View) -> Iterator[Hit]:
    """Gateway outside its subnet

    Clients can only use a gateway inside their own subnet.
    """
    s = view.segments
    wrong = known(s["gateway"]) & known(s["first"]) & ~_inside(view, "segments", "gateway")
    for row in where(wrong):
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        yield Hit(
            view.subject(s, row, segment.gateway),
            f"The gateway {segment.gateway} of {segment.label} is not in its subnet {segment.subnet}: no client can "
            f"reach it. Give it an address from {segment.subnet.usable}.",
        )


@rule("gateway-unusable", Severity.STOP, "segment", "gateway")
def gateway_unusable(view: View) -> Iterator[Hit]:
    """Gateway on the network or broadcast address

    The two ends of an IPv4 subnet of /30 or larger cannot be given to anything.
    """
    for row in where(_inside(view, "segments", "gateway") & ~_usable(view, "segments", "gateway")):
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        yield Hit(
            view.subject(view.segments, row, segment.gateway),
            f"The gateway {segment.gateway} of {segment.label} is the {_end(segment.gateway, segment.subnet)} address "
            f"of {segment.subnet}: give it one of {segment.subnet.usable}.",
        )


def _end(address: object, subnet: object) -> str:
    return "network" if address == getattr(subnet, "first", None) else "broadcast"


@rule("gateway-missing", Severity.STOP, "segment", "gateway")
def gateway_missing(view: View) -> Iterator[Hit]:
    """Segment without a gateway

    Without a gateway nothing in the segment gets out. Only transit links and isolated segments go without.
    """
    for row in where(~known(view.segments["gateway"]) & view.segments["needs_gateway"]):
        subject = view.subject(view.segments, row)
        subnet = view.segment(row).subnet
        hint = f"{subnet.usable.first} is the first usable address" if subnet else "it needs a subnet first"
        yield Hit(subject, f"{subject.name} has no gateway, so nothing in it gets out: {hint}.")


@rule("wan-handoff-missing", Severity.STOP, "circuit", "handoff")
def wan_handoff_missing(view: View) -> Iterator[Hit]:
    """Hand-off not answered

    Whether the provider hands the circuit off with a fixed address, PPPoE or DHCP is not known yet.
    """
    for row in where(~view.circuits["answered"]):
        subject = view.subject(view.circuits, row)
        yield Hit(subject, f"How is {subject.name} handed off? Ask the provider: fixed address, PPPoE or DHCP.")


@rule("wan-address-missing", Severity.STOP, "circuit", "address")
def wan_address_missing(view: View) -> Iterator[Hit]:
    """Fixed address not known

    A static hand-off needs the address that the provider gave to the site.
    """
    for row in where(view.circuits["static"] & ~known(view.circuits["address"])):
        subject = view.subject(view.circuits, row)
        yield Hit(
            subject,
            f"{subject.name} is handed off with a fixed address, which is not known yet. Ask the provider.",
        )


@rule("wan-mask-missing", Severity.STOP, "circuit", "prefix")
def wan_mask_missing(view: View) -> Iterator[Hit]:
    """Mask of the fixed address not known

    A static hand-off needs the mask that goes with the address.
    """
    c = view.circuits
    for row in where(c["static"] & known(c["address"]) & ~known(c["first"])):
        subject = view.subject(c, row)
        address = view.circuit(row).address
        yield Hit(
            subject,
            f"The mask that goes with {address} on {subject.name} is not known yet. Ask the provider.",
        )


@rule("wan-address-unusable", Severity.STOP, "circuit", "address")
def wan_address_unusable(view: View) -> Iterator[Hit]:
    """Own address on the network or broadcast address

    The two ends of an IPv4 hand-off of /30 or larger cannot be given to a box.
    """
    for row in where(_inside(view, "circuits", "address") & ~_usable(view, "circuits", "address")):
        circuit = view.circuit(row)
        assert circuit.subnet is not None  # noqa: S101
        yield Hit(
            view.subject(view.circuits, row, circuit.address),
            f"{circuit.address} on {circuit.label} is the {_end(circuit.address, circuit.subnet)} address of "
            f"{circuit.subnet}: usable are {circuit.subnet.usable}. Ask the provider.",
        )


@rule("wan-gateway-missing", Severity.STOP, "circuit", "gateway")
def wan_gateway_missing(view: View) -> Iterator[Hit]:
    """Provider's gateway not known

    A static hand-off needs the provider's gateway for the default route.
    """
    for row in where(view.circuits["static"] & ~known(view.circuits["gateway"])):
        subject = view.subject(view.circuits, row)
        yield Hit(
            subject,
            f"The provider's gateway on {subject.name} is not known yet: without it there is no way out.",
        )


@rule("wan-gateway-outside", Severity.STOP, "circuit", "gateway")
def wan_gateway_outside(view: View) -> Iterator[Hit]:
    """Provider's gateway outside the hand-off

    The edge can only reach a gateway inside the hand-off subnet. Mask or gateway were written down wrongly.
    """
    c = view.circuits
    wrong = c["static"] & known(c["gateway"]) & known(c["first"]) & ~_inside(view, "circuits", "gateway")
    for row in where(wrong):
        circuit = view.circuit(row)
        yield Hit(
            view.subject(c, row, circuit.gateway),
            f"The gateway {circuit.gateway} of {circuit.label} is not in the hand-off {circuit.subnet}: the edge "
            "cannot reach it. Check mask and gateway with the provider.",
        )


@rule("wan-gateway-self", Severity.STOP, "circuit", "gateway")
def wan_gateway_self(view: View) -> Iterator[Hit]:
    """Gateway is the site's own address

    The edge cannot be its own way out: one of the two values is wrong.
    """
    c = view.circuits
    for row in where(known(c["gateway"]) & same(c["gateway"], c["address"])):
        circuit = view.circuit(row)
        yield Hit(
            view.subject(c, row, circuit.gateway),
            f"The gateway {circuit.gateway} of {circuit.label} is also the site's own address: "
            "one of them is wrong. Ask the provider.",
        )


@rule("wan-private", Severity.WARN, "circuit", "address")
def wan_private(view: View) -> Iterator[Hit]:
    """Fixed address that is not public

    The address of a static hand-off is private, shared (RFC 6598), link-local, loopback, multicast or
    reserved: somebody upstream translates a second time, and nothing reaches the site from outside.
    """
    c = view.circuits
    for row in where(c["static"] & known(c["address"]) & ~c["public"]):
        circuit = view.circuit(row)
        yield Hit(
            view.subject(c, row, circuit.address),
            f"{circuit.address} on {circuit.label} is not a public address: somebody upstream translates again, and "
            "nothing reaches the site from outside. Ask the provider for a public one, or accept it with a reason.",
        )


@rule("inside-public", Severity.WARN, "segment", "subnet")
def inside_public(view: View) -> Iterator[Hit]:
    """Inside subnet from public space

    The IPv4 subnet is not inside 10.0.0.0/8, 172.16.0.0/12 or 192.168.0.0/16 (RFC 1918): the part of the
    internet that really has these addresses cannot be reached from here.
    """
    for row in where(~view.segments["inside_private"]):
        subject = view.subject(view.segments, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not private address space: its real holders cannot be reached "
            "from here. Renumber it inside 10.0.0.0/8, 172.16.0.0/12 or 192.168.0.0/16.",
        )


@rule("host-outside", Severity.STOP, "host", "address")
def host_outside(view: View) -> Iterator[Hit]:
    """Host outside its segment's subnet

    A host with an address of another subnet cannot talk to its gateway.
    """
    h, s = view.hosts, view.segments[view.hosts["segment"]]
    wrong = known(h["address"]) & known(s["first"]) & ~within(h["address"], s["first"], s["last"])
    for row in where(wrong):
        subject, segment = view.subject(h, row), view.segment(int(h["segment"][row]))
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not in {segment.label} {segment.subnet}: it cannot reach its "
            "gateway. Correct the address, or move it to the segment it belongs to.",
        )


@rule("host-unusable", Severity.STOP, "host", "address")
def host_unusable(view: View) -> Iterator[Hit]:
    """Host on the network or broadcast address

    The two ends of an IPv4 subnet of /30 or larger cannot be given to a host.
    """
    h, s = view.hosts, view.segments[view.hosts["segment"]]
    inside = within(h["address"], s["first"], s["last"])
    for row in where(inside & ~within(h["address"], s["usable_first"], s["usable_last"])):
        subject, segment = view.subject(h, row), view.segment(int(h["segment"][row]))
        assert segment.subnet is not None  # noqa: S101
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is the {_end(view.host(row).address, segment.subnet)} address of "
            f"{segment.label} {segment.subnet}: give it one of {segment.subnet.usable}.",
        )
