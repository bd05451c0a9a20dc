"""Addresses, gateways and masks: values that do not fit their own subnet."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from octaplan.core.check.claims import Addresses, Flags, known, same, where, within
from octaplan.core.check.findings import Hit, Severity, Trait, rule
from octaplan.core.check.overlap import IntervalIndex
from octaplan.core.check.view import View
from octaplan.core.plan.organisation import Side
from octaplan.core.plan.site import PATTERNS
from octaplan.core.values.addresses import Address, AddressError, Network, parse_address
from octaplan.core.values.words import count, listed

_LINK_LOCAL = Network(6, 0xFE80 << 112, 10)


def _on_link(addresses: Addresses) -> Flags:
    """IPv6 addresses that are reachable on their link whatever the subnet (RFC 4291)."""
    return within(addresses, Addresses.one(_LINK_LOCAL.first), Addresses.one(_LINK_LOCAL.last))


@rule("subnet-missing", Severity.STOP, "segment", "subnet")
def subnet_missing(view: View) -> Iterator[Hit]:
    """Segment without a subnet

    Nothing else about a segment can be planned or checked before its subnet is known.
    """
    for row in where(~known(view.segments["first"]) & ~view.segments["second"]):
        subject = view.subject(view.segments, row)
        yield Hit(subject, f"{subject.name} has no subnet yet: give it one, such as 10.40.8.0/24.")


@rule("gateway-outside", Severity.STOP, "segment", "gateway")
def gateway_outside(view: View) -> Iterator[Hit]:
    """Gateway outside its subnet

    Clients can only use a gateway inside their own subnet.
    """
    s = view.segments
    wrong = known(s["gateway"]) & known(s["first"]) & ~s.inside("gateway") & ~_on_link(s["gateway"])
    for row in where(wrong):
        subject, subnet = view.subject(s, row, view.gateway(s, row)), view.subnet(s, row)
        yield Hit(
            subject,
            f"The gateway {subject.addresses} of {subject.name} is not in its subnet {subnet}: no client can "
            f"reach it. Give it an address from {subnet.usable}.",
        )


@rule("gateway-unusable", Severity.STOP, "segment", "gateway", Trait.COLLIDES)
def gateway_unusable(view: View) -> Iterator[Hit]:
    """Gateway on an address that means something else

    The two ends of an IPv4 subnet of /30 or larger are its network and broadcast address; the first address of an IPv6
    subnet means all of its routers (RFC 4291, 2.6.1).
    """
    s = view.segments
    for row in where(s.inside("gateway") & ~s.inside("gateway", "usable_")):
        gateway, subnet = view.gateway(s, row), view.subnet(s, row)
        subject = view.subject(s, row, gateway)
        yield Hit(
            subject,
            f"The gateway {gateway} of {subject.name} is the {_end(gateway, subnet)} address "
            f"of {subnet}: give it one of {subnet.usable}.",
        )


def _end(address: object, subnet: object) -> str:
    first = address == getattr(subnet, "first", None)
    if getattr(subnet, "family", 4) == 6:
        return "subnet-router anycast (RFC 4291)" if first else "reserved anycast (RFC 2526)"
    return "network" if first else "broadcast"


@rule("gateway-missing", Severity.STOP, "segment", "gateway")
def gateway_missing(view: View) -> Iterator[Hit]:
    """Segment without a gateway

    Without a gateway nothing in the segment gets out. Only transit links and isolated segments go without.
    """
    for row in where(~known(view.segments["gateway"]) & view.segments["needs_gateway"]):
        subject = view.subject(view.segments, row)
        if subject.customer == PATTERNS:
            continue  # it takes the one by convention
        subnet = view.segment(row).subnet
        organisation = view.organisation.at(subject.customer)
        free = organisation.gateway_in(subnet) if subnet else None
        hint = f"{free} is the {organisation.gateway} usable address" if free else "it needs a subnet first"
        yield Hit(subject, f"{subject.name} has no gateway, so nothing in it gets out: {hint}.")


@rule("wan-handoff-missing", Severity.STOP, "circuit", "handoff", Trait.OWED)
def wan_handoff_missing(view: View) -> Iterator[Hit]:
    """Hand-off not answered

    Whether the provider hands the circuit off with a fixed address, PPPoE or DHCP is not known yet.
    """
    for row in where(~view.circuits["answered"] & ~view.circuits["second"]):
        subject = view.subject(view.circuits, row)
        yield Hit(subject, f"How is {subject.name} handed off? Ask the provider: fixed address, PPPoE or DHCP.")


@rule("wan-address-missing", Severity.STOP, "circuit", "address", Trait.OWED)
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


@rule("wan-mask-missing", Severity.STOP, "circuit", "prefix", Trait.OWED)
def wan_mask_missing(view: View) -> Iterator[Hit]:
    """Mask of the fixed address not known

    A static hand-off needs the mask that goes with the address.
    """
    c = view.circuits
    for row in where(c["static"] & known(c["address"]) & ~known(c["first"])):
        subject = view.subject(c, row)
        address = c["address"].at(row)
        yield Hit(
            subject,
            f"The mask that goes with {address} on {subject.name} is not known yet. Ask the provider.",
        )


@rule("wan-address-unusable", Severity.STOP, "circuit", "address")
def wan_address_unusable(view: View) -> Iterator[Hit]:
    """Own address on the network or broadcast address

    The two ends of an IPv4 hand-off of /30 or larger cannot be given to a box.
    """
    c = view.circuits
    for row in where(c.inside("address") & ~c.inside("address", "usable_")):
        address, subnet = c["address"].at(row), view.subnet(c, row)
        subject = view.subject(c, row, address)
        yield Hit(
            subject,
            f"{address} on {subject.name} is the {_end(address, subnet)} address of "
            f"{subnet}: usable are {subnet.usable}. Ask the provider.",
        )


@rule("wan-gateway-missing", Severity.STOP, "circuit", "gateway", Trait.OWED)
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
    wrong = c["static"] & known(c["gateway"]) & known(c["first"]) & ~c.inside("gateway") & ~_on_link(c["gateway"])
    for row in where(wrong):
        gateway = view.gateway(c, row)
        subject = view.subject(c, row, gateway)
        yield Hit(
            subject,
            f"The gateway {gateway} of {subject.name} is not in the hand-off {view.subnet(c, row)}: the edge "
            "cannot reach it. Check mask and gateway with the provider.",
        )


@rule("wan-gateway-unusable", Severity.STOP, "circuit", "gateway")
def wan_gateway_unusable(view: View) -> Iterator[Hit]:
    """Provider's gateway on the network or broadcast address

    The two ends of an IPv4 hand-off of /30 or larger cannot be given to the provider's router either. Mask or
    gateway were written down wrongly.
    """
    c = view.circuits
    for row in where(c["static"] & c.inside("gateway") & ~c.inside("gateway", "usable_")):
        gateway, subnet = view.gateway(c, row), view.subnet(c, row)
        subject = view.subject(c, row, gateway)
        yield Hit(
            subject,
            f"The gateway {gateway} of {subject.name} is the {_end(gateway, subnet)} address of {subnet}: usable are "
            f"{subnet.usable}. Check mask and gateway with the provider.",
        )


@rule("wan-gateway-self", Severity.STOP, "circuit", "gateway")
def wan_gateway_self(view: View) -> Iterator[Hit]:
    """Gateway is the site's own address

    The edge cannot be its own way out: one of the two values is wrong.
    """
    c = view.circuits
    for row in where(known(c["gateway"]) & same(c["gateway"], c["address"])):
        gateway = view.gateway(c, row)
        subject = view.subject(c, row, gateway)
        yield Hit(
            subject,
            f"The gateway {gateway} of {subject.name} is also the site's own address: "
            "one of them is wrong. Ask the provider.",
        )


@rule("wan-private", Severity.WARN, "circuit", "address")
def wan_private(view: View) -> Iterator[Hit]:
    """Fixed address that is not public

    The address of a static hand-off is private, shared (RFC 6598), link-local, loopback, multicast or
    reserved: somebody upstream translates a second time, and nothing reaches the site from outside. Addresses for
    examples (RFC 5737, RFC 3849) count too when the organisation wants them flagged.
    """
    c = view.circuits
    wrong = ~c["public"]
    if view.organisation.flag_documentation:
        wrong = wrong | c["documentation"]
    for row in where(c["static"] & known(c["address"]) & wrong):
        address = c["address"].at(row)
        subject = view.subject(c, row, address)
        if c["documentation"][row]:
            yield Hit(
                subject,
                f"{address} on {subject.name} is meant for examples (RFC 5737, RFC 3849) and routed nowhere. "
                "Ask the provider for the real one.",
            )
            continue
        yield Hit(
            subject,
            f"{address} on {subject.name} is not a public address: somebody upstream translates again, and "
            "nothing reaches the site from outside. Ask the provider for a public one, or accept it with a reason.",
        )


@rule("wan-use-outside", Severity.STOP, "circuit", "uses")
def wan_use_outside(view: View) -> Iterator[Hit]:
    """Further address that the site does not have

    An address that is planned for translation, a server or a spare lies neither in the hand-off nor in a routed
    block, or is the provider's gateway: packets to it do not come here.
    """
    c = view.circuits
    for row in where(c["uses"]):
        circuit = view.circuit(row)
        blocks = [block for block in (circuit.subnet, circuit.subnet6, *circuit.routed_blocks) if block]
        used = {address for block in blocks for address in circuit.uses if _holds(block, address)}
        used -= {str(circuit.gateway), str(circuit.gateway6)}
        wrong = [address for address in circuit.uses if address not in used]
        if wrong and blocks:
            yield Hit(
                view.subject(c, row, ", ".join(wrong[:4])),
                f"{circuit.label} gives a use to {listed(wrong)}, which the provider does not route to this site "
                f"({listed([str(block) for block in blocks])}): take the use away, or correct the address.",
            )


def _holds(block: Network, address: str) -> bool:
    try:
        return block.holds(parse_address(address))
    except AddressError:
        return False


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


@rule("outside-blocks", Severity.NOTE, "segment", "subnet", Trait.REAL)
def outside_blocks(view: View) -> Iterator[Hit]:
    """Subnet outside the customer's blocks

    Settings say from which blocks the segments of a customer are taken, and this one is taken from elsewhere: whoever
    plans the next site, or writes one route for all of them, will not expect it there. Renumber it, or give the
    customer that block. Only IPv4 is looked at, since IPv6 prefixes come from the provider.
    """
    s, blocks = view.segments, view.blocks
    has = np.isin(blocks.asked, blocks.owners[blocks.first.family == 4])
    owned = blocks.owned
    ends = (owned.overlaps(blocks.asked, s[end], s[end]).total > 0 for end in ("first", "last"))
    inside = np.logical_and(*ends)
    for row in where(has & (s["first"].family == 4) & ~inside):
        subject = view.subject(s, row)
        own = [str(block) for block in view.organisation.blocks_of(subject.customer) if block.family == 4]
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not inside {listed(own)}, from which {subject.customer} takes its "
            "subnets: renumber it, or add its block in Settings.",
        )


@rule("foreign-block", Severity.WARN, "segment", "subnet", Trait.REAL, Trait.COLLIDES)
def foreign_block(view: View) -> Iterator[Hit]:
    """Subnet in another customer's block

    The subnet lies in a block that Settings give to another customer, whose next sites will be given the same
    addresses. Renumber it, or give each customer blocks of its own.
    """
    s, blocks = view.segments, view.blocks
    owned = blocks.owned.overlaps(blocks.asked, s["first"], s["last"])
    every = IntervalIndex(np.zeros_like(blocks.owners), blocks.first, blocks.last)
    met = every.overlaps(np.zeros_like(blocks.asked), s["first"], s["last"])
    for row in where(met.total > owned.total):
        subject = view.subject(s, row)
        others = [blocks.named[place] for place in sorted(met.rows(row))]
        told = [f"{block} of {code.upper()}" for code, block in others if code != subject.customer.casefold()]
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is in {listed(told)}: the next segments there may be given the "
            f"same addresses. Renumber it, or give {subject.customer} blocks of its own in Settings.",
        )


@rule("host-outside", Severity.STOP, "host", "address")
def host_outside(view: View) -> Iterator[Hit]:
    """Host outside its segment's subnet

    A host with an address of another subnet cannot talk to its gateway.
    """
    h = view.hosts
    for row in where(view.host_places[0]):
        subject, segment = view.subject(h, row), int(h["segment"][row])
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not in {view.segment(segment).label} "
            f"{view.subnet(view.segments, segment)}: it cannot reach its gateway. Correct the address, or move it to "
            "the segment it belongs to.",
        )


@rule("host-unusable", Severity.STOP, "host", "address", Trait.COLLIDES)
def host_unusable(view: View) -> Iterator[Hit]:
    """Host on an address that means something else

    The two ends of an IPv4 subnet of /30 or larger are its network and broadcast address. The first address of an IPv6
    subnet means all of its routers (RFC 4291, 2.6.1), the last 128 of a /64 are reserved (RFC 2526).
    """
    h = view.hosts
    for row in where(view.host_places[1]):
        subject, segment = view.subject(h, row), int(h["segment"][row])
        subnet = view.subnet(view.segments, segment)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is the {_end(h['address'].at(row), subnet)} address of "
            f"{view.segment(segment).label} {subnet}: give it one of {subnet.for_hosts}.",
        )


@rule("host-address-missing", Severity.WARN, "host", "address")
def host_address_missing(view: View) -> Iterator[Hit]:
    """Fixed host without an address

    The host is to have a fixed address, and none has been chosen yet: it cannot be set up, and its address may
    be given to something else meanwhile.
    """
    h = view.hosts
    for row in where(~known(h["address"]) & ~h["second"]):
        host = view.host(row)
        if host.address6 is None:
            subject = view.subject(h, row)
            segment = view.segment(int(h["segment"][row]))
            yield Hit(subject, f"{subject.name} in {segment.label} has no address yet: give it a free one.")


@rule("keep-violated", Severity.NOTE, "host", "address")
def keep_violated(view: View) -> Iterator[Hit]:
    """Host outside the run kept for its kind

    The segment keeps a run of addresses for this kind of host, and the host has another: whoever looks for a
    printer among the printers does not find it.
    """
    k, h = view.kept, view.hosts
    if not len(k):
        return
    kept, hosts = (rows["segment"].astype(np.int64) << 16 | rows["kind"] for rows in (k, h))
    asked = np.flatnonzero((h["kind"] > 0) & known(h["address"]) & np.isin(hosts, kept))
    found = IntervalIndex(kept, k["first"], k["last"]).overlaps(hosts[asked], h["address"][asked], h["address"][asked])
    for row in asked[found.total == 0].tolist():
        subject, host = view.subject(h, row), view.host(row)
        segment = view.segment(int(h["segment"][row]))
        kind = (host.kind or "").casefold()
        runs = [str(keep.run) for keep in segment.kept if keep.kind.casefold() == kind]
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is a {host.kind}, and {segment.label} keeps {listed(runs)} for "
            "these: give it an address from there.",
        )


@rule("subnet-tight", Severity.NOTE, "segment", "subnet")
def subnet_tight(view: View) -> Iterator[Hit]:
    """Subnet nearly full, or too small

    More than 80 % of the usable addresses are expected to be needed: there is little room to grow. Above 100 % it is
    a `warn`, since some hosts will get no address. A transit link is meant to be full.
    """
    s = view.segments
    crowded = s["expected"] * 5 > np.minimum(s["usable"], 1 << 40) * 4
    for row in where((s["usable"] > 0) & crowded & ~s["transit"]):
        expected, usable = int(s["expected"][row]), int(s["usable"][row])
        subject = view.subject(s, row)
        has = (
            f"{subject.name} {subject.addresses} has {count(usable, 'usable address')} for {expected:,} expected hosts"
        )
        if expected > usable:
            yield Hit(subject, f"{has}: some will get none. Give it a larger subnet.", severity=Severity.WARN)
        else:
            wider = view.subnet(s, row).prefix - 1
            share = 100 * expected // usable
            yield Hit(subject, f"{has} ({share} %): there is little room to grow. A /{wider} would leave some.")


@rule("subnet-wasteful", Severity.NOTE, "segment", "subnet")
def subnet_wasteful(view: View) -> Iterator[Hit]:
    """Transit link larger than it need be

    A link between two routers needs two addresses: a /30, or a /31 (RFC 3021). Larger than a /29 it uses up what
    other segments could have. IPv6 is left alone: there is room.
    """
    s = view.segments
    for row in where(s["transit"] & (s["first"].family == 4) & (s["prefix"] < 29)):
        subject = view.subject(s, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is a transit link with {count(int(s['usable'][row]), 'address')}, "
            "and two are enough: make it a /30 or a /31.",
        )


@rule("transit-range", Severity.WARN, "segment", "scope/first")
def transit_range(view: View) -> Iterator[Hit]:
    """DHCP range on a transit link

    A link between two routers has two fixed addresses and no clients: whoever gets an address there is plugged in
    where it should not be.
    """
    s = view.segments
    for row in where(s["transit"] & known(s["scope_first"]) & ~s["second"]):
        subject = view.subject(s, row, view.segment(row).scope.span)
        yield Hit(
            subject,
            f"{subject.name} is a transit link, and DHCP hands out {subject.addresses or 'addresses'} on it: take the "
            "range away, or give the segment another role.",
        )


@rule("gateway-convention", Severity.NOTE, "segment", "gateway")
def gateway_convention(view: View) -> Iterator[Hit]:
    """Gateway elsewhere than usual

    The gateway is neither the first nor the last usable address, or not the one that the organisation takes:
    whoever comes to the site later will look for it there.
    """
    s = view.segments
    four = (s["first"].family == 4) & s["needs_gateway"] & (s["prefix"] <= 30) & s.inside("gateway", "usable_")
    usual = np.where(_last_is_usual(view), same(s["gateway"], s["usable_last"]), same(s["gateway"], s["usable_first"]))
    for row in where(four & ~usual):
        gateway, subject = view.gateway(s, row), view.subject(s, row)
        side = view.organisation.side(subject.customer)
        yield Hit(
            subject._replace(addresses=str(gateway)),
            f"The gateway {gateway} of {subject.name} is not {s[f'usable_{side}'].at(row)}, the {side} usable "
            "address, which everywhere else is the gateway.",
        )


def _last_is_usual(view: View) -> Flags | bool:
    """Per segment whether the last usable address is the gateway by convention; one answer where all are alike."""
    organisation = view.organisation
    if not any(usual.gateway for usual in organisation.customers.values()):
        return organisation.gateway is Side.LAST
    sites = {site for site, plan in view.plans.items() if organisation.side(plan.customer) is Side.LAST}
    return np.isin(view.segments["site"], np.fromiter(sites, np.int64, len(sites)))


@rule("ipv6-size", Severity.WARN, "segment", "subnet6")
def ipv6_size(view: View) -> Iterator[Hit]:
    """IPv6 subnet that is not a /64

    Clients make their own address only in a /64 (RFC 4862, RFC 4291). Transit links may be a /127 (RFC 6164).
    """
    s = view.segments
    for row in where((s["first"].family == 6) & (s["prefix"] != 64) & ~s["transit"]):
        subject = view.subject(s, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not a /64: clients cannot make their own address in it. "
            "Give it a /64.",
        )


@rule("ipv6-outside", Severity.STOP, "segment", "subnet6")
def ipv6_outside(view: View) -> Iterator[Hit]:
    """IPv6 subnet outside the site's prefix

    The provider routes the site's prefix here, and nothing else: a segment with another subnet gets no answers.
    """
    p = view.prefixes
    if not len(p):
        return
    s = view.segments
    place = np.searchsorted(p["site"], s["site"])
    place[place == len(p)] = 0
    has = (p["site"][place] == s["site"]) & (s["first"].family == 6)
    first, last = p["first"][place], p["last"][place]
    held = within(s["first"], first, last) & within(s["last"], first, last)
    local = Addresses.one(Address(6, 0xFC00 << 112)), Addresses.one(Address(6, (0xFE00 << 112) - 1))
    for row in where(has & ~held & ~within(s["first"], *local)):
        subject = view.subject(s, row)
        prefix = view.plan(s, row).delegated_prefix
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} is not inside the site's IPv6 prefix {prefix}: nothing comes back to "
            "it. Take a /64 from the prefix.",
        )
