"""Overlap: two claims to the same address, at one site or between sites."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from itertools import chain
from typing import TYPE_CHECKING

import numpy as np

from octaplan.core.addresses import Address, Span
from octaplan.core.claims import Rows, known, less, where, words
from octaplan.core.findings import OTHERS_LISTED, Hit, Other, Severity, Subject, rule
from octaplan.core.overlap import IntervalIndex, among, first_few
from octaplan.core.rules.words import and_more, at, count, listed

if TYPE_CHECKING:
    from octaplan.core.portfolio import View


def _address(row: Rows) -> Address:
    family, hi, lo = row.tolist()
    return Address(family, hi << 64 | lo)


@rule("overlap-address", Severity.STOP, "address", "address")
def overlap_address(view: View) -> Iterator[Hit]:
    """Address used twice

    Two or more of a site's gateways and hosts, in one routing table, have the same address. Only one of
    them will answer, and which one changes. Give all but one another address.
    """
    gateways = np.flatnonzero(known(view.segments["gateway"]))
    hosts = np.flatnonzero(known(view.hosts["address"]))
    claimed = np.concatenate([view.segments["gateway"][gateways], view.hosts["address"][hosts]])
    labels = np.concatenate([view.tables["segments"][gateways], view.tables["hosts"][hosts]])
    found = among(labels, claimed, claimed, known(claimed))
    holders: dict[tuple[int, Address], set[int]] = defaultdict(set)
    for row in where(found.total):
        holders[(int(labels[row]) >> 10, _address(claimed[row]))].add(row)
    for (_, address), rows in holders.items():
        names: list[str] = []
        others: list[Other] = []
        for row in sorted(rows):
            if row < len(gateways):
                subject = view.subject(view.segments, int(gateways[row]))
                names.append(f"the gateway of {subject.name}")
            else:
                subject = view.subject(view.hosts, int(hosts[row - len(gateways)]))
                names.append(subject.name)
            others.append(Other(subject.customer, subject.site, subject.name))
        yield Hit(
            Subject(subject.customer, subject.site, str(address), subject.path, str(address)),
            f"{address} is used {count(len(names), 'time')}: by {listed(names)}. Only one of them will answer: "
            "move all but one to a free address.",
            tuple(sorted(others)[:OTHERS_LISTED]),
            len(others),
        )


@rule("overlap-segment", Severity.STOP, "segment", "subnet")
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


@rule("overlap-reach", Severity.STOP, "segment", "subnet")
def overlap_reach(view: View) -> Iterator[Hit]:
    """Same addresses as another site it can reach

    The segment's subnet overlaps a segment of another site in a shared reach group, and both reach. Traffic
    between the two sites has no way to tell them apart. Renumber one, or make one of them local.
    """
    shared, asked, found = view.subnets_elsewhere
    queries: dict[int, list[int]] = defaultdict(list)
    for query in where(found.total):
        queries[int(asked[query])].append(query)
    for row, asking in queries.items():
        if len(view.groups(row)) == 1:
            total = int(found.total[asking[0]])
            rows = first_few(found.rows(asking[0]), OTHERS_LISTED)
        else:  # two sites may share several groups: each other segment counts once
            sites, items = shared.sites, shared.items
            unique = {(sites[r], items[r]): r for r in chain.from_iterable(map(found.rows, asking))}
            total = len(unique)
            rows = list(unique.values())[:OTHERS_LISTED]
        others = view.strangers(shared, "segments", rows)
        subject = view.subject(view.segments, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {_named(others, total, sites=True)}, and the sites reach "
            "each other: traffic between them cannot arrive. Renumber one of them.",
            others,
            total,
        )


@rule("overlap-scope", Severity.STOP, "segment", "scope")
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


def _scopes_holding(view: View, labels: str, rows: Rows, column: str) -> Iterator[tuple[int, list[int]]]:
    """Rows whose address lies inside a range of their site and table, with the segments of those ranges."""
    index = IntervalIndex(view.tables["ranges"], view.ranges["first"], view.ranges["last"])
    found = index.overlaps(view.tables[labels], rows[column], rows[column])
    for row in where(found.total):
        yield row, sorted({int(view.ranges["segment"][piece]) for piece in found.rows(row)})


def _mend(span: Span, address: Address) -> str:
    if span.last.value - address.value <= address.value - span.first.value and address > span.first:
        return f"End the range at {address.plus(-1)} or exclude the address"
    if address < span.last:
        return f"Start the range at {address.plus(1)} or exclude the address"
    return "Move the range"


@rule("overlap-scope-static", Severity.STOP, "host", "address")
def overlap_scope_static(view: View) -> Iterator[Hit]:
    """Fixed host inside a DHCP range

    A host that has its address typed into it lies inside a range of its site and routing table: the server
    does not know of it and can lease the same address to a client. End or split the range, exclude the
    address, or move the host.
    """
    for row, scopes in _scopes_holding(view, "hosts", view.hosts, "address"):
        if view.hosts["reserved"][row]:
            continue
        subject, address = view.subject(view.hosts, row), view.host(row).address
        span = view.segment(scopes[0]).scope.span
        assert address is not None and span is not None  # noqa: S101
        own = int(view.hosts["segment"][row]) in scopes
        whose = "" if own else f" of {view.segment(scopes[0]).label}"
        yield Hit(
            subject,
            f"{subject.name} {address} is inside the DHCP range {span}{whose}: another client can be given its "
            f"address. {_mend(span, address)}.",
            view.others(view.segments, scopes[:OTHERS_LISTED]),
            len(scopes),
        )


@rule("overlap-scope-gateway", Severity.STOP, "segment", "scope")
def overlap_scope_gateway(view: View) -> Iterator[Hit]:
    """Gateway inside a DHCP range

    The gateway's address can be leased to a client, and then the whole segment loses its way out. Keep the
    gateway outside every range.
    """
    for row, scopes in _scopes_holding(view, "segments", view.segments, "gateway"):
        gateway, span = view.segment(row).gateway, view.segment(scopes[0]).scope.span
        assert gateway is not None and span is not None  # noqa: S101
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
    for row, scopes in _scopes_holding(view, "hosts", view.hosts, "address"):
        segment = int(view.hosts["segment"][row])
        if not view.hosts["reserved"][row] or segment not in scopes:
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
    sites = view.segments["site"].astype(np.int64)
    usable = known(view.segments["first"])
    index = IntervalIndex(sites[usable], view.segments["first"][usable], view.segments["last"][usable])
    rows = np.flatnonzero(usable)
    met: dict[int, set[int]] = defaultdict(set)
    for claims, owner in (
        (view.circuits, np.arange(len(view.circuits))),
        (view.routed, view.routed["circuit"]),
    ):
        found = index.overlaps(claims["site"].astype(np.int64), claims["first"], claims["last"])
        for claim in where(found.total):
            met[int(owner[claim])].update(int(rows[row]) for row in found.rows(claim))
    for row, segments in met.items():
        circuit, subject = view.circuit(row), view.subject(view.circuits, row)
        blocks = [circuit.subnet, *circuit.routed_blocks]
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
    for row, others, total in view.anywhere(view.circuits, "address", view.addresses_elsewhere):
        address = view.circuit(row).address
        subject = view.subject(view.circuits, row, address)
        yield Hit(
            subject,
            f"{address} on {subject.name} is also the address of {_named(others, total, sites=True)}: "
            "an address can be at one place only. Ask the provider whose it is.",
            others,
            total,
        )


def _lines(view: View, *, alike: bool) -> Iterator[tuple[Subject, tuple[Other, ...], int]]:
    """Circuits whose hand-off overlaps one at another site, on the same line (network and gateway) or not."""
    every, _, met = view.lines_elsewhere
    same, _, twins = view.twins_elsewhere
    labels = view.portfolio.shared.line_labels
    total = twins.total if alike else met.total - twins.total
    for row in where(total):
        own = view.line_labels[row]
        rows = twins.rows(row) if alike else (other for other in met.rows(row) if own < 0 or labels[other] != own)
        others = view.strangers(same if alike else every, "circuits", first_few(rows, OTHERS_LISTED))
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


@rule("common-default", Severity.WARN, "segment", "subnet")
def common_default(view: View) -> Iterator[Hit]:
    """Subnet that everybody else uses

    The subnet overlaps one that home routers and providers' modems use by default. A remote worker at home
    cannot reach it, and a modem in front of the edge collides with it. Renumber the segment, or accept it.
    """
    rows = view.segments
    met: dict[int, list[str]] = defaultdict(list)
    for default in view.organisation.common_defaults:
        first, last = (np.array([words(end)], rows["first"].dtype) for end in (default.first, default.last))
        hit = known(rows["first"]) & ~less(rows["last"], first) & ~less(last, rows["first"])
        for row in where(hit):
            met[row].append(str(default))
    for row, defaults in met.items():
        subject = view.subject(rows, row)
        yield Hit(
            subject,
            f"{subject.name} {subject.addresses} overlaps {listed(defaults)}, which home routers and modems use by "
            "default: a remote worker cannot reach it. Renumber the segment, or accept it with a reason.",
        )


def _named(others: tuple[Other, ...], total: int, *, sites: bool = False) -> str:
    names = [at(other) if sites else other.subject for other in others]
    return and_more(names, total)
