"""DHCP: ranges that do not fit their subnet, their clients or their options."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np

from octaplan.core.check.claims import Addresses, Flags, known, less, same, where, within
from octaplan.core.check.findings import Hit, Severity, Trait, rule
from octaplan.core.check.overlap import IntervalIndex
from octaplan.core.check.view import View
from octaplan.core.plan.boxes import SERVER_OPTIONS, addresses_in, circuits_of
from octaplan.core.plan.device import Device
from octaplan.core.plan.site import PATTERNS, Handoff, SitePlan
from octaplan.core.values.addresses import Address
from octaplan.core.values.readers import lease_text
from octaplan.core.values.words import count, listed

#: A year by whose zones offsets are judged: rules of zones change seldom, and findings must not change by the day.
_YEAR = 2027


@rule("scope-outside", Severity.STOP, "segment", "scope", Trait.COLLIDES)
def scope_outside(view: View) -> Iterator[Hit]:
    """DHCP range outside the subnet

    The first or last address of the range is not in the segment's subnet: a client that gets it is cut off.
    """
    s = view.segments
    outside = [
        known(s[end]) & known(s["first"]) & ~within(s[end], s["first"], s["last"])
        for end in ("scope_first", "scope_last")
    ]
    for row in where(outside[0] | outside[1]):
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        wrong = [
            str(end) for end, out in zip((segment.scope.first, segment.scope.last), outside, strict=True) if out[row]
        ]
        subject = view.subject(s, row, segment.scope.span or wrong[0])
        verb = "is" if len(wrong) == 1 else "are"
        yield Hit(
            subject,
            f"The DHCP range of {segment.label} leaves its subnet {segment.subnet}: {listed(wrong)} {verb} outside. "
            f"Keep it within {segment.subnet.usable}.",
        )


@rule("scope-reversed", Severity.STOP, "segment", "scope")
def scope_reversed(view: View) -> Iterator[Hit]:
    """DHCP range back to front

    The first address of the range is above the last: the server has nothing to lease.
    """
    s = view.segments
    wrong = known(s["scope_first"]) & known(s["scope_last"]) & less(s["scope_last"], s["scope_first"])
    for row in where(wrong):
        segment = view.segment(row)
        yield Hit(
            view.subject(s, row, segment.scope.span),
            f"The DHCP range of {segment.label} starts at {segment.scope.first}, above its end {segment.scope.last}: "
            "nothing can be leased. Swap the two.",
        )


@rule("scope-edge", Severity.STOP, "segment", "scope", Trait.COLLIDES)
def scope_edge(view: View) -> Iterator[Hit]:
    """DHCP range holds the network or broadcast address

    The range lies within the subnet but contains an address that cannot be given to a client.
    """
    s, r = view.segments, view.ranges
    both = [within(s[end], s["first"], s["last"]) for end in ("scope_first", "scope_last")]
    owner = r["segment"]
    edge = less(r["first"], s["usable_first"][owner]) | less(s["usable_last"][owner], r["last"])
    for row in np.unique(owner[edge & (both[0] & both[1])[owner]]).tolist():
        segment = view.segment(row)
        assert segment.subnet is not None  # noqa: S101
        pieces, subnet = segment.scope.pieces, segment.subnet
        ends = (("network", subnet.first), ("broadcast", subnet.last))
        held = [f"the {name} address {end}" for name, end in ends if any(piece.holds(end) for piece in pieces)]
        yield Hit(
            view.subject(s, row, segment.scope.span),
            f"The DHCP range {segment.scope.span} of {segment.label} contains {listed(held)}, which no client can "
            f"have. Keep it within {subnet.usable}.",
        )


def _has_range(view: View) -> Flags:
    some: Flags = view.segments["leasable"] > 0
    return some


@rule("scope-small", Severity.WARN, "segment", "scope")
def scope_small(view: View) -> Iterator[Hit]:
    """DHCP range smaller than expected

    More clients are expected than the range has addresses. Hosts with a fixed address do not count: they need none
    from the range.
    """
    s, h = view.segments, view.hosts
    fixed = np.bincount(h["segment"][~h["second"]], minlength=len(s)) if len(h) else np.zeros(len(s), np.int64)
    clients = s["expected"] - fixed
    for row in where(_has_range(view) & (s["expected"] > 0) & (clients > s["leasable"])):
        segment, leasable = view.segment(row), int(s["leasable"][row])
        subject = view.subject(s, row, segment.scope.span)
        yield Hit(
            subject,
            f"The DHCP range {segment.scope.span} of {segment.label} has {count(leasable, 'address')} for "
            f"{int(clients[row]):,} expected clients: some will get none. Widen the range, or the subnet.",
        )


@rule("scope-fills", Severity.WARN, "segment", "scope")
def scope_fills(view: View) -> Iterator[Hit]:
    """DHCP range leaves no room for fixed hosts

    In a /26 or larger the range leaves fewer usable addresses than the organisation wants to keep for printers,
    switches, telephones and cameras (8, unless its settings say otherwise).
    """
    s, leave = view.segments, view.organisation.leave_fixed
    inside = within(s["scope_first"], s["first"], s["last"]) & within(s["scope_last"], s["first"], s["last"])
    roomy = (s["first"].family == 4) & (s["prefix"] >= 0) & (s["prefix"] <= 26)
    for row in where(_has_range(view) & inside & roomy & (s["usable"] - s["leasable"] < leave)):
        segment = view.segment(row)
        left = max(0, int(s["usable"][row] - s["leasable"][row]))
        yield Hit(
            view.subject(s, row, segment.scope.span),
            f"The DHCP range {segment.scope.span} of {segment.label} leaves {count(left, 'address')} of "
            f"{segment.subnet} for gateway and fixed hosts: shorten it, so that {leave} are left.",
        )


@rule("scope-leftover", Severity.WARN, "segment", "scope")
def scope_leftover(view: View) -> Iterator[Hit]:
    """Range left filled in

    DHCP is switched off on the segment, but a range is still written down: whoever types it into a box switches
    it on again, or takes the addresses for leased.
    """
    for row in where(~view.segments["served"] & ~view.segments["second"]):
        scope = view.segment(row).scope
        if scope.first is None and scope.last is None:
            continue
        subject = view.subject(view.segments, row)
        filled = listed([str(end) for end in (scope.first, scope.last) if end is not None])
        yield Hit(
            subject,
            f"DHCP is switched off on {subject.name}, but its range is still filled in ({filled}): blank it.",
        )


@rule("scope-router", Severity.STOP, "segment", "scope/options")
def scope_router(view: View) -> Iterator[Hit]:
    """Clients are sent to another router

    The router option (3, RFC 2132) is not the segment's gateway: clients get a way out that is not there.
    """
    for row in where(view.segments["router_option"] & view.segments["served"]):
        segment = view.segment(row)
        value = segment.scope.options["3"]
        if segment.gateway is None or segment.gateway in addresses_in(value):
            continue
        yield Hit(
            view.subject(view.segments, row, segment.scope.span or ""),
            f"{segment.label} hands out the router {value[:60]} (option 3), and its gateway is {segment.gateway}: "
            "take the option out, so that the gateway is handed out.",
        )


@rule("scope-dns-missing", Severity.STOP, "segment", "resolvers")
def scope_dns_missing(view: View) -> Iterator[Hit]:
    """Clients get no resolver

    DHCP is to serve the segment, and hands out no resolver: clients have an address and find no name.
    """
    s = view.segments
    for row in where(_has_range(view) & s["served"] & (s["resolvers"] == 0)):
        segment = view.segment(row)
        subject = view.subject(s, row, segment.scope.span)
        if "6" not in segment.scope.options and subject.customer != PATTERNS:  # a pattern leaves it to the customer
            yield Hit(
                subject,
                f"{subject.name} hands out no resolver: no client finds a name. Give it the gateway, or the "
                "provider's resolvers.",
            )


@rule("scope-dns-dead", Severity.STOP, "segment", "resolvers")
def scope_dns_dead(view: View) -> Iterator[Hit]:
    """Resolver that cannot answer

    A resolver that is handed out lies inside the site, but nothing is planned there; or it is a box that has
    nobody to forward to.
    """
    r = view.resolvers
    owner = r["segment"]
    asked = np.flatnonzero(owner >= 0)
    asked = asked[_has_range(view)[owner[asked]]]
    own_gateway = same(r["address"][asked], view.segments["gateway"][owner[asked]])
    foreign = asked[~own_gateway]
    here = foreign[_inside_the_site(view, r["site"][foreign], r["address"][foreign])]
    empty = here[~_planned(view, r["site"][here], r["address"][here])]
    equipped = {plan.key for plan in view.equipped}
    boxes = view.sites["site"][view.sites["devices"]]
    routers = np.concatenate([here, asked[own_gateway & np.isin(r["site"][asked], boxes)]]) if equipped else here[:0]
    for row in np.unique(np.concatenate([empty, routers])).tolist():
        plan = view.plan(r, row)
        address, segment = r["address"].at(row), int(r["segment"][row])
        held = view.held_at(plan) if plan.key in equipped else {}
        if address not in held and row in empty:
            why = "and nothing is planned there: correct it, or add the host"
        elif any(_forwards_to_nobody(plan, d) and _owns(view, plan, k, address) for k, d in plan.devices.items()):
            why = f"which is {held[address]}, and that box has nobody to forward to: give it forwarders"
        else:
            continue
        subject = view.subject(view.segments, segment, address)
        yield Hit(subject, f"{subject.name} hands out the resolver {address}, {why}.")


def _forwards_to_nobody(plan: SitePlan, device: Device) -> bool:
    """Whether a box that routes knows no name server to ask; a PPPoE or DHCP hand-off brings some along."""
    brought = (circuit.handoff in (Handoff.PPPOE, Handoff.DHCP) for _, circuit in circuits_of(plan, device))
    return device.routes_packets and not device.forwarders and not any(brought)


def _owns(view: View, plan: SitePlan, key: str, address: Address) -> bool:
    return any(interface.address == address for interface in view.faces(plan)[key])


def _inside_the_site(view: View, sites: Flags, addresses: Addresses) -> Flags:
    """Which addresses lie in a segment of their site."""
    s = view.segments
    inside = np.zeros(len(sites), bool)
    for family in (4, 6):  # few sites have both, and most resolvers lie elsewhere
        there = np.zeros(int(max(sites.max(initial=0), s["site"].max(initial=0))) + 1, bool)
        there[s["site"][s["first"].family == family]] = True
        rows = np.flatnonzero((addresses.family == family) & there[sites])
        asked = addresses[rows]
        inside[rows] = view.subnets.overlaps(sites[rows].astype(np.int64), asked, asked).total > 0
    return inside


def _planned(view: View, sites: Flags, addresses: Addresses) -> Flags:
    """Which addresses are those of a gateway or host of their site."""
    if not len(addresses):
        return np.zeros(0, bool)
    s, h = view.segments, view.hosts
    held = Addresses.join(s["gateway"], h["address"])
    owners = np.concatenate([s["site"], h["site"]]).astype(np.int64)
    chosen = np.isin(owners, sites) & known(held)
    index = IntervalIndex(owners[chosen], held[chosen], held[chosen])
    planned: Flags = index.overlaps(sites.astype(np.int64), addresses, addresses).total > 0
    return planned


@rule("scope-option-unknown", Severity.WARN, "segment", "scope/options")
def scope_option_unknown(view: View) -> Iterator[Hit]:
    """DHCP option that names nobody

    The address in a DHCP option lies inside the site and belongs to no planned host: telephones look for their
    server there and find nothing.
    """
    o = view.options
    if not len(o):
        return
    here = np.flatnonzero(_inside_the_site(view, o["site"], o["address"]))
    for row in here[~_planned(view, o["site"][here], o["address"][here])].tolist():
        address, number = o["address"].at(row), str(int(o["number"][row]))
        if address in view.held_at(view.plan(o, row)):
            continue
        subject = view.subject(view.segments, int(o["segment"][row]), address)
        yield Hit(
            subject,
            f"{subject.name} names {address} as {SERVER_OPTIONS[number]} (option {number}), and no "
            "host is planned there: add the host, or correct the option.",
        )


@rule("scope-option-time", Severity.WARN, "segment", "scope/options")
def scope_option_time(view: View) -> Iterator[Hit]:
    """Time offset that is not that of the site's zone

    DHCP option 2 (RFC 2132, 3.4) says how far the clients' clocks are from UTC in seconds, and the site's time zone
    says otherwise, in winter as in summer.
    """
    for row in where(view.segments["time_option"]):
        plan, segment = view.plan(view.segments, row), view.segment(row)
        told = segment.scope.options["2"]
        fitting = offsets_of(plan.time_zone) if plan.time_zone else ()
        if not fitting or not told.isdigit() or int(told) in fitting:
            continue
        subject = view.subject(view.segments, row)
        yield Hit(
            subject,
            f"{subject.name} tells its clients a time offset of {told} seconds (option 2), and {plan.time_zone} is "
            f"{listed([str(one) for one in fitting])}: correct it, or leave the option out.",
        )


def offsets_of(zone: str) -> tuple[int, ...]:
    """The offsets from UTC that a time zone has in winter and in summer, in seconds as option 2 writes them.

    Those to the west are the two's complement of 32 bits (RFC 2132, 3.4).
    """
    found = (datetime(_YEAR, month, 1, tzinfo=ZoneInfo(zone)).utcoffset() for month in (1, 7))
    return tuple(dict.fromkeys(int(one.total_seconds()) % (1 << 32) for one in found if one is not None))


@rule("scope-lease", Severity.NOTE, "segment", "scope/lease")
def scope_lease(view: View) -> Iterator[Hit]:
    """Lease very short or very long

    Under 10 minutes clients ask all day; above 30 days addresses of devices long gone stay taken.
    """
    s = view.segments
    odd = (s["lease"] > 0) & ((s["lease"] < 600) | (s["lease"] > 30 * 86_400))
    for row in where(odd & s["served"]):
        subject = view.subject(s, row)
        lease = int(s["lease"][row])
        why = "clients ask all day" if lease < 600 else "addresses of devices long gone stay taken"
        yield Hit(subject, f"The lease of {subject.name} is {lease_text(lease)}: {why}. 8h or 1d is usual.")


@rule("scope-nobody", Severity.WARN, "segment", "scope")
def scope_nobody(view: View) -> Iterator[Hit]:
    """Clients, and nobody to serve them

    More hosts are expected than have a fixed address, and DHCP is switched off or has no range: the others get no
    address. Transit links need none.
    """
    s, h = view.segments, view.hosts
    fixed = np.bincount(h["segment"][~h["second"]], minlength=len(s)) if len(h) else np.zeros(len(s), np.int64)
    gateway = known(s["gateway"]).astype(np.int64)
    lonely = (s["leasable"] == 0) & ~known(s["scope_first"]) & ~s["second"] & ~s["transit"]
    six = s["first"].family == 6  # clients make their own addresses (RFC 4862)
    for row in where(lonely & ~six & (s["expected"] > fixed + gateway)):
        segment = view.segment(row)
        if isinstance(segment.scope.server, Address):
            continue
        subject = view.subject(s, row)
        why = "DHCP is switched off" if segment.scope.server == "none" else "it has no DHCP range"
        without = int(s["expected"][row] - fixed[row])
        yield Hit(
            subject,
            f"{subject.name} expects {int(s['expected'][row]):,} hosts, {without:,} of them without a fixed address, "
            f"and {why}: give it a range, or say that fewer are expected.",
        )


@rule("reserved-mac-missing", Severity.WARN, "host", "mac")
def reserved_mac_missing(view: View) -> Iterator[Hit]:
    """Reservation without a MAC

    A server recognises the host by its MAC: without it the reservation cannot be typed in.
    """
    h = view.hosts
    for row in where(h["reserved"] & (h["mac"] == 0) & ~h["second"]):
        subject = view.subject(h, row)
        yield Hit(subject, f"{subject.name} {subject.addresses} is reserved without a MAC: read it from the label.")


@rule("reserved-nobody", Severity.STOP, "host", "method")
def reserved_nobody(view: View) -> Iterator[Hit]:
    """Reservation that nobody serves

    The host waits for the address that is reserved for it, and DHCP is switched off on its segment.
    """
    h = view.hosts
    for row in where(h["reserved"] & ~h["second"] & ~view.segments["served"][h["segment"]]):
        subject, segment = view.subject(h, row), view.segment(int(h["segment"][row]))
        if segment.scope.server == "none":
            yield Hit(
                subject,
                f"{subject.name} {subject.addresses} is reserved at a DHCP server, and DHCP is switched off on "
                f"{segment.label}: type the address into the host, or switch DHCP on.",
            )
