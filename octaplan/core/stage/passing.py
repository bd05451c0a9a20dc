"""What is to be tried once a box is wired: what passes it and what must not, as the walk says."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from octaplan.core.flow.matrix import MatrixCell, Traffic
from octaplan.core.flow.network import BOXES, INTERNET
from octaplan.core.flow.telling import place_name
from octaplan.core.plan.organisation import Organisation
from octaplan.core.plan.site import SegmentRole, SitePlan
from octaplan.core.values.words import listed

#: Whose clients nobody trusts: that they reach nothing inside is tried.
_STRANGERS = (SegmentRole.GUEST, SegmentRole.CAMERAS, SegmentRole.ISOLATED)


class PassingCheck(NamedTuple):
    """One thing to try, in words, and whether it is to pass; `cells` are the pairs of places that it is about."""

    words: str
    passes: bool
    cells: tuple[tuple[str, str], ...]


def passing_checks(plan: SitePlan, organisation: Organisation, box: str) -> list[PassingCheck]:
    """What to try at the edge of a site, from its segments and from outside; nothing at a box without a line."""
    traffic = Traffic(plan, organisation)
    if box not in traffic.net.lines.values():
        return []
    return [*_outwards(traffic), *(_apart(traffic) if traffic.complete else ()), *_published(traffic)]


def _outwards(traffic: Traffic) -> Iterator[PassingCheck]:
    """The internet, from each segment that is meant to reach it, and from those that are not."""
    found: dict[bool, list[str]] = {True: [], False: []}
    for key in traffic.rows:
        if key in traffic.plan.segments:
            cell = traffic.cell(key, INTERNET)
            if cell.agrees:
                found[bool(cell.ever)].append(key)
    for passes, some in found.items():
        if some:
            told = "is reached" if passes else "does not answer"
            names = listed([place_name(traffic, key) for key in some])
            yield PassingCheck(f"From {names}: the internet {told}", passes, tuple((key, INTERNET) for key in some))


def _apart(traffic: Traffic) -> Iterator[PassingCheck]:
    """What those that nobody trusts must not reach inside."""
    for key in traffic.rows:
        segment = traffic.plan.segments.get(key)
        if segment is None or segment.role not in _STRANGERS:
            continue
        shut = [
            other
            for other in traffic.rows
            if other != key and other in traffic.plan.segments and _is_shut(traffic.cell(key, other))
        ]
        if shut:
            names = listed([place_name(traffic, other) for other in shut])
            cells = tuple((key, other) for other in shut)
            yield PassingCheck(f"From {segment.label}: no answer from a host in {names}", False, cells)
        if _is_shut(traffic.cell(key, BOXES)):
            yield PassingCheck(f"From {segment.label}: no box opens its management", False, ((key, BOXES),))


def _is_shut(cell: MatrixCell) -> bool:
    return cell.agrees and not cell.ever


def _published(traffic: Traffic) -> Iterator[PassingCheck]:
    """What is published, from where it is meant for."""
    for node in traffic.net.nodes.values():
        for key, one in node.device.publications.items():
            services = traffic.let_in(node.key, key)
            host = traffic.plan.hosts.get(one.host)
            circuit = traffic.plan.circuits.get(one.circuit)
            if host is None or circuit is None or not services:
                continue
            outside = one.address or circuit.address or f"the address that {circuit.label} gives"
            where = listed([str(net) for net in one.sources]) if one.sources else "outside"
            parts = list(services.parts())
            what = "it" if parts == ["any"] else listed(parts[:4])
            cells = ((INTERNET, host.segment),)
            yield PassingCheck(f"From {where}: {host.name} answers at {outside} by {what}", True, cells)
            if one.sources:
                yield PassingCheck(f"From anywhere else: {outside} does not answer by {what}", False, cells)
