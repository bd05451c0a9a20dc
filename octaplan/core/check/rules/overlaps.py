"""Overlap: two claims to the same address, at one site or between sites."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from itertools import chain

import numpy as np

from octaplan.core.check.claims import Addresses, ClaimTable, known, where
from octaplan.core.check.findings import OTHERS_LISTED, Hit, Severity, Trait, rule
from octaplan.core.check.overlap import IntervalIndex, among, first_few
from octaplan.core.check.view import Subject, View
from octaplan.core.plan.elsewhere import Other, at
from octaplan.core.values.addresses import Address, Network, Span
from octaplan.core.values.words import and_more, count, listed


@rule("overlap-address", Severity.STOP, "address", "address", Trait.COLLIDES)
def overlap_address(view: View) -> Iterator[Hit]:
    """Address used twice

    Two or more of a site's gateways and hosts, in one routing table, have the same address. Only one of
    them will answer, and which one changes. Give all but one another address.
    """
    gateways = len(view.segments)
    for rows in view.held.repeated():
        address = view.held.addresses.at(rows[0])
        names: list[str] = []
        others: list[Other] = []
        for row in rows:
            if row < gateways:
                subject = view.subject(view.segments, row)
                names.append(f"the gateway of {subject.name}")
            else:
                subject = view.subject(view.hosts, row - gateways)
                names.append(subject.name)
            others.append(Other(subject.customer, subject.site, subject.name))
        yield Hit(
            subject._replace(name=str(address), addresses=str(address)),
            f"{address} is used {count(len(names), 'time')}: by {listed(names)}. Only one of them will answer: "
            "move all but one to a free address.",
            tuple(sorted(others)[:OTHERS_LISTED]),
            len(others),
        )


@rule("overlap-segment", Severity.STOP, "segment", "subnet", Trait.COLLIDES)
def overlap_segment(view: View) -> Iterator[Hit]:
    """Two segments overlap

    The segment's subnet overlaps that of another segment of the site in the same routing table. A router
    can send such an address one way only. Renumber one of them.
    """
    rows = view.segments
    found = among(view.tables["segments"], rows["first"], rows["last"], known(rows["first"]))
    for row in where(found.total):
        others = view.others(rows, first_few(found.rows(row), OTHERS_LISTED))
        total = int(found.total[row])
        subject = view.subject(rows, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {_named(others, total)} at the same site: "
            "the router can reach only one of them. Renumber one.",
            others,
            total,
        )


@rule("overlap-reach", Severity.STOP, "segment", "subnet", Trait.COLLIDES)
def overlap_reach(view: View) -> Iterator[Hit]:
    """Same addresses as another site it can reach

    The segment's subnet overlaps a segment of another site in a shared reach group, and both reach. Traffic
    between the two sites has no way to tell them apart. Renumber one, or make one of them local.
    """
    met = view.elsewhere("subnets")
    asking = met.asking
    queries = np.flatnonzero(met.total)
    totals = np.bincount(asking.rows[queries], (met.total * asking.tags)[queries])
    asked: dict[int, list[int]] = defaultdict(list)
    for query in queries.tolist():
        if asking.tags[query] > 0:
            asked[int(asking.rows[query])].append(query)
    for row, asks in asked.items():
        total = int(totals[row])
        several = len(asks) > 1
        found = chain.from_iterable(map(met.members, asks))
        if several and view.many_groups:
            unique = list(_once(found))
            members, total = unique[:OTHERS_LISTED], len(unique)
        else:
            members = first_few(_once(found) if several else found, min(OTHERS_LISTED, total))
        others = view.strangers("segments", members)
        subject = view.subject(view.segments, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {_named(others, total, sites=True)}, and the sites reach "
            "each other: traffic between them cannot arrive. Renumber one of them.",
            others,
            total,
        )


def _once(members: Iterator[tuple[int, int, int]]) -> Iterator[tuple[int, int, int]]:
    seen: set[tuple[int, int]] = set()
    for site, item, tag in members:
        if (site, item) not in seen:
            seen.add((site, item))
            yield site, item, tag


@rule("overlap-scope", Severity.STOP, "segment", "scope", Trait.COLLIDES)
def overlap_scope(view: View) -> Iterator[Hit]:
    """Two DHCP ranges overlap

    The segment's range shares addresses with the range of another segment of the site in the same routing
    table. Both servers will lease the same address. Shorten one of the ranges.
    """
    ranges = view.ranges
    found = among(view.tables["ranges"], ranges["first"], ranges["last"], known(ranges["first"]))
    partners: dict[int, set[int]] = defaultdict(set)
    for piece in where(found.total):
        own = int(ranges["segment"][piece])
        partners[own].update(int(ranges["segment"][other]) for other in found.rows(piece))
    for row, others in partners.items():
        others.discard(row)
        if not others:
            continue
        named = view.others(view.segments, sorted(others)[:OTHERS_LISTED])
        span = view.segment(row).scope.span
        subject = view.subject(view.segments, row, span)
        yield Hit(
            subject,
            f"The DHCP range {span} of {subject.name} overlaps that of {_named(named, len(others))}: "
            "one address can be leased twice. Shorten one of the ranges.",
            named,
            len(others),
        )


def _hosts_in_scopes(view: View, *, reserved: bool) -> Iterator[tuple[int, list[int]]]:
    """Hosts of a method whose address lies inside a range of their site and table, with the ranges' segments."""
    gateways = len(view.segments)
    for row, segments in view.leasable.items():
        if row >= gateways and view.hosts["reserved"][row - gateways] == reserved:
            yield row - gateways, segments


def _mend(span: Span, address: Address) -> str:
    if span.last.value - address.value <= address.value - span.first.value and address > span.first:
        return f"End the range at {address.plus(-1)} or exclude the address"
    if address < span.last:
        return f"Start the range at {address.plus(1)} or exclude the address"
    return "Move the range"


@rule("overlap-scope-static", Severity.STOP, "host", "address", Trait.COLLIDES)
def overlap_scope_static(view: View) -> Iterator[Hit]:
    """Fixed host inside a DHCP range

    A host that has its address typed into it lies inside a range of its site and routing table: the server
    does not know of it and can lease the same address to a client. End or split the range, exclude the
    address, or move the host.
    """
    for row, scopes in _hosts_in_scopes(view, reserved=False):
        subject, address = view.subject(view.hosts, row), view.hosts["address"].at(row)
        span = view.segment(scopes[0]).scope.span
        assert span is not None  # noqa: S101
        own = int(view.hosts["segment"][row]) in scopes
        whose = "" if own else f" of {view.segment(scopes[0]).label}"
        yield Hit(
            subject,
            f"{subject.name} {address} is inside the DHCP range {span}{whose}: another client can be given its "
            f"address. {_mend(span, address)}.",
            view.others(view.segments, scopes[:OTHERS_LISTED]),
            len(scopes),
        )


@rule("overlap-scope-gateway", Severity.STOP, "segment", "scope", Trait.COLLIDES)
def overlap_scope_gateway(view: View) -> Iterator[Hit]:
    """Gateway inside a DHCP range

    The gateway's address can be leased to a client, and then the whole segment loses its way out. Keep the
    gateway outside every range.
    """
    for row, scopes in view.leasable.items():
        if row >= len(view.segments):
            continue
        gateway, span = view.gateway(view.segments, row), view.segment(scopes[0]).scope.span
        assert span is not None  # noqa: S101
        subject = view.subject(view.segments, row, gateway)
        foreign = [scope for scope in scopes if scope != row]
        yield Hit(
            subject,
            f"The gateway {gateway} of {subject.name} is inside the DHCP range {span}: a client can be given the "
            f"gateway's address. {_mend(span, gateway)}.",
            view.others(view.segments, foreign[:OTHERS_LISTED]),
            len(foreign),
        )


@rule("scope-reserved-inside", Severity.NOTE, "host", "address")
def scope_reserved_inside(view: View) -> Iterator[Hit]:
    """Reservation inside the range

    A host whose address is reserved at the DHCP server lies inside the segment's range. Many servers want
    it so, some refuse it: look at what yours does.
    """
    for row, scopes in _hosts_in_scopes(view, reserved=True):
        segment = int(view.hosts["segment"][row])
        if segment not in scopes:
            continue
        subject = view.subject(view.hosts, row)
        yield Hit(
            subject,
            f"The reservation of {subject.name} {subject.addresses} is inside the DHCP range "
            f"{view.segment(segment).scope.span}. Many servers want it so, some refuse it: look at what yours does.",
            view.others(view.segments, [segment]),
            1,
        )


@rule("overlap-wan-inside", Severity.STOP, "circuit", "address")
def overlap_wan_inside(view: View) -> Iterator[Hit]:
    """Internet side overlaps an inside segment

    The hand-off subnet of a circuit, or a block routed over it, overlaps an inside segment of the same site.
    The edge cannot tell inside from outside. Renumber the segment.
    """
    met: dict[int, set[int]] = defaultdict(set)
    for claims, owner in (
        (view.circuits, np.arange(len(view.circuits))),
        (view.routed, view.routed["circuit"]),
    ):
        found = view.subnets.overlaps(claims["site"].astype(np.int64), claims["first"], claims["last"])
        for claim in where(found.total):
            met[int(owner[claim])].update(found.rows(claim))
    for row, segments in met.items():
        circuit, subject = view.circuit(row), view.subject(view.circuits, row)
        blocks = [circuit.subnet6 if subject.second else circuit.subnet, *circuit.routed_blocks]
        claimed = listed([str(block) for block in blocks if block])
        others = view.others(view.segments, sorted(segments)[:OTHERS_LISTED])
        yield Hit(
            subject,
            f"The internet side of {subject.name} ({claimed}) overlaps the inside segment "
            f"{_named(others, len(segments))}: the edge cannot tell inside from outside. Renumber the segment.",
            others,
            len(segments),
        )


@rule("overlap-wan-address", Severity.STOP, "circuit", "address")
def overlap_wan_address(view: View) -> Iterator[Hit]:
    """Public address used twice

    The site's own address on a circuit is also the address of another circuit, here or at any other site.
    Ask the provider which of them has it.
    """
    c = view.circuits
    here = among(c["site"].astype(np.int64), c["address"], c["address"], known(c["address"]))
    met = view.elsewhere("addresses")
    for row in where(met.total + here.total):
        near = view.others(c, first_few(here.rows(row), OTHERS_LISTED))
        others = near + view.strangers("circuits", first_few(met.members(row), OTHERS_LISTED - len(near)))
        total = int(met.total[row] + here.total[row])
        address = c["address"].at(row)
        subject = view.subject(c, row, address)
        yield Hit(
            subject,
            f"{address} on {subject.name} is also the address of {_named(others, total, sites=True)}: "
            "an address can be at one place only. Ask the provider whose it is.",
            others,
            total,
        )


@rule("wan-use-taken", Severity.STOP, "circuit", "uses")
def wan_use_taken(view: View) -> Iterator[Hit]:
    """Further address that is taken

    A further address of the hand-off, planned for a translation, a server or a spare, is also the address of a
    circuit, or a further address of one, here or at any other site.
    """
    f, c = view.further, view.circuits
    sites = np.concatenate([f["site"], c["site"]]).astype(np.int64)
    addresses = Addresses.join(f["address"], c["address"])
    here = among(sites, addresses, addresses, known(addresses))
    own, further = view.against("addresses", "further"), view.elsewhere("further")
    for row in range(len(f)):
        near = [other for other in here.rows(row) if other < len(f) or not c["second"][other - len(f)]]
        total = len(near) + int(own.total[row]) + int(further.total[row])
        if total == 0:
            continue
        rows = [int(f["circuit"][other]) if other < len(f) else other - len(f) for other in near[:OTHERS_LISTED]]
        members = chain(own.members(row), further.members(row))
        others = view.others(c, rows) + view.strangers("circuits", first_few(members, OTHERS_LISTED - len(rows)))
        address = f["address"].at(row)
        subject = view.subject(f, row, address)
        use = view.circuit(int(f["circuit"][row])).uses[str(address)]
        yield Hit(
            subject._replace(path=f"{subject.path}/uses/{address}"),
            f"{address}, planned on {subject.name} for {use or 'something'}, is also an address of "
            f"{_named(others, total, sites=True)}: an address can be at one place only. Choose another.",
            others,
            total,
        )


def _lines(view: View, *, alike: bool) -> Iterator[tuple[Subject, tuple[Other, ...], int]]:
    """Circuits whose hand-off overlaps one at another site, on the same line (network and gateway) or not."""
    met = view.elsewhere("lines")
    if not met.total.any():
        return
    twins = view.elsewhere("twins")
    total = twins.total if alike else met.total - twins.total
    for row in where(total):
        own = int(view.circuits["line"][row])
        members = twins.members(row) if alike else (m for m in met.members(row) if own < 0 or m[2] != own)
        others = view.strangers("circuits", first_few(members, OTHERS_LISTED))
        yield view.subject(view.circuits, row), others, int(total[row])


@rule("overlap-wan-block", Severity.STOP, "circuit", "address")
def overlap_wan_block(view: View) -> Iterator[Hit]:
    """Hand-off overlaps that of another site

    The hand-off subnet overlaps that of a circuit at another site, and network and gateway are not both the
    same, so it is not one shared line: one of the two was written down wrongly. Ask the provider.
    """
    for subject, others, total in _lines(view, alike=False):
        yield Hit(
            subject,
            f"The hand-off {subject.addresses} of {subject.name} overlaps that of {_named(others, total, sites=True)} "
            "with another network or gateway: one of them is written down wrongly. Ask the provider.",
            others,
            total,
        )


@rule("shared-wan-block", Severity.NOTE, "circuit", "address")
def shared_wan_block(view: View) -> Iterator[Hit]:
    """Hand-off shared with another site

    The hand-off has the same network and the same gateway as a circuit at another site: a provider's shared
    segment. Nothing is wrong, as long as each site has its own address.
    """
    for subject, others, total in _lines(view, alike=True):
        yield Hit(
            subject,
            f"The hand-off {subject.addresses} of {subject.name} is shared with {_named(others, total, sites=True)}: "
            "the same network and gateway. Make sure that each site has its own address.",
            others,
            total,
        )


@rule("common-default", Severity.WARN, "segment", "subnet", Trait.REAL, Trait.COLLIDES)
def common_default(view: View) -> Iterator[Hit]:
    """Subnet that everybody else uses

    The subnet overlaps one that home routers and providers' modems use by default. A remote worker at home
    cannot reach it, and a modem in front of the edge collides with it. Renumber the segment, or accept it.
    """
    for row, defaults in _inside_runs(view, view.organisation.common_defaults):
        subject = view.subject(view.segments, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {listed([str(net) for net in defaults])}, which home routers "
            "and modems use by default: a remote worker cannot reach it. Renumber the segment, or accept it with a "
            "reason.",
        )


def _inside_runs(view: View, networks: list[Network]) -> Iterator[tuple[int, list[Network]]]:
    """Segments that overlap some of a few networks, with those networks."""
    s = view.segments
    if networks:
        ends = (Addresses.listed([getattr(net, end) for net in networks]) for end in ("first", "last"))
        nothing = np.zeros(len(s), np.int64)
        found = IntervalIndex(np.zeros(len(networks), np.int64), *ends).overlaps(nothing, s["first"], s["last"])
        for row in where(found.total):
            yield row, [networks[place] for place in sorted(found.rows(row))]


@rule("overlap-ours", Severity.STOP, "segment", "subnet", Trait.REAL, Trait.COLLIDES)
def overlap_ours(view: View) -> Iterator[Hit]:
    """Subnet of the provider's own network

    The segment overlaps a network that the organisation has declared as its own, such as management or remote
    access: from there the site cannot be reached. Renumber the segment.
    """
    names = {own.network: own.name for own in view.organisation.own_networks}
    for row, networks in _inside_runs(view, list(names)):
        subject = view.subject(view.segments, row)
        ours = listed([f"{net} ({names[net]})" for net in networks])
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps our own {ours}: from there the site cannot be reached. "
            "Renumber the segment.",
        )


@rule("overlap-modem", Severity.STOP, "segment", "subnet", Trait.COLLIDES)
def overlap_modem(view: View) -> Iterator[Hit]:
    """Subnet of the box in front

    The segment overlaps the inside subnet of the provider's modem, or of a box that stays in front of the edge:
    the edge has the same addresses on both sides. Renumber the segment.
    """
    if not len(view.modems):
        return
    index = IntervalIndex(view.modems["site"].astype(np.int64), view.modems["first"], view.modems["last"])
    s = view.segments
    found = index.overlaps(s["site"].astype(np.int64), s["first"], s["last"])
    for row in where(found.total):
        circuits = sorted({int(view.modems["circuit"][modem]) for modem in found.rows(row)})
        subject = view.subject(s, row)
        others = view.others(view.circuits, circuits[:OTHERS_LISTED])
        modem = view.circuit(circuits[0]).modem_subnet
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {modem}, the inside of the modem on "
            f"{_named(others, len(circuits))}: the edge has the same addresses on both sides. Renumber the segment.",
            others,
            len(circuits),
        )


@rule("overlap-routed-block", Severity.STOP, "circuit", "routed_blocks")
def overlap_routed_block(view: View) -> Iterator[Hit]:
    """Routed block that somebody else has

    A block routed over the circuit overlaps a routed block or the hand-off of another circuit, here or at any
    other site. The provider routes it to one place only: ask which.
    """
    r, c = view.routed, view.circuits
    if not len(r):
        return
    met: dict[int, dict[Other, None]] = defaultdict(dict)
    site = r["site"].astype(np.int64)
    for rows, owner in ((r, r["circuit"]), (c, np.arange(len(c)))):
        here = IntervalIndex(rows["site"].astype(np.int64), rows["first"], rows["last"])
        found = here.overlaps(site, r["first"], r["last"])
        for block in where(found.total):
            own = int(r["circuit"][block])
            foreign = {int(owner[other]) for other in found.rows(block)} - {own}
            foreign -= {row for row in foreign if _one_circuit(c, row, own)}
            met[own].update(dict.fromkeys(view.others(c, sorted(foreign))))
    more: dict[int, int] = defaultdict(int)
    for far in (view.against("routed", "routed"), view.against("lines", "routed")):
        for block in where(far.total):
            own = int(r["circuit"][block])
            met[own].update(dict.fromkeys(view.strangers("circuits", first_few(far.members(block), OTHERS_LISTED))))
            more[own] += max(0, int(far.total[block]) - OTHERS_LISTED)
    for row, parties in met.items():
        if not parties:
            continue
        others, total = tuple(sorted(parties)), len(parties) + more[row]
        blocks = view.circuit(row).routed_blocks
        subject = view.subject(c, row, ", ".join(map(str, blocks[:4])))
        yield Hit(
            subject,
            f"The routed block of {subject.name} ({listed([str(block) for block in blocks])}) overlaps a block or "
            f"hand-off of {_named(others, total, sites=True)}: it is routed to one place only. "
            "Ask the provider which.",
            others[:OTHERS_LISTED],
            total,
        )


def _one_circuit(circuits: ClaimTable, row: int, other: int) -> bool:
    """Whether two rows are the two families of one circuit."""
    same: bool = all(circuits[column][row] == circuits[column][other] for column in ("site", "item"))
    return same


@rule("overlap-site-prefix", Severity.STOP, "site", "delegated_prefix")
def overlap_site_prefix(view: View) -> Iterator[Hit]:
    """IPv6 prefix of another site

    The site's IPv6 prefix overlaps that of another site: one of the two was written down wrongly. Ask the
    provider which prefix each of them has.
    """
    met = view.elsewhere("prefixes")
    for query in where(met.total):
        members = first_few(met.members(query), OTHERS_LISTED)
        plans = [view.holdings.plans[site] for site, _, _ in members]
        others = tuple(sorted(Other(plan.customer, plan.site, plan.name or plan.site) for plan in plans))
        plan = view.plans[int(met.asking.sites[query])]
        total = int(met.total[query])
        name = plan.name or plan.site
        yield Hit(
            Subject(plan.customer, plan.site, name, "", str(plan.delegated_prefix)),
            f"The IPv6 prefix {plan.delegated_prefix} of {name} overlaps that of {_named(others, total, sites=True)}: "
            "one of them is written down wrongly. Ask the provider.",
            others,
            total,
        )


def _named(others: tuple[Other, ...], total: int, *, sites: bool = False) -> str:
    names = [at(other) if sites else other.subject for other in others]
    return and_more(names, total)
