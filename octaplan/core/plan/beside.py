"""Two sites beside each other: what differs once each lies in the other's subnets, without what is each one's own."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

from octaplan.core.plan.changes import Change, compared
from octaplan.core.plan.patch import PatchError, applied, set_to
from octaplan.core.plan.renumber import renumber
from octaplan.core.plan.site import SitePlan
from octaplan.core.values.addresses import Network

#: What every site has of its own, by kind of member: it differs between any two, and says nothing.
OWN = {
    "": ("name", "street", "ship_date", "contact", "technician", "reach_groups", "delegated_prefix"),
    "circuits": (
        *("address", "prefix", "gateway", "address6", "prefix6", "gateway6", "routed_blocks", "uses"),
        *("reference", "fault_number", "pppoe_user"),
    ),
    "segments": ("domain", "subnet6", "gateway6"),
    "hosts": ("mac", "address6"),
    "devices": ("name", "serial", "macs", "asset_tag", "location", "contact", "domain", "firmware"),
}

#: Where segments wait while others are brought to their places: reserved space (RFC 1112), which no plan uses.
_ASIDE = Network(4, 240 << 24, 4)


def differing(one: SitePlan, other: SitePlan) -> list[Change]:
    """What differs between two sites by offset: the second is brought into the subnets of the first, segment by
    segment of the same label, its boxes are matched by role, and what each site has of its own is left out."""
    there = _matched(one, _brought(one, other))
    return [change for change in compared(one, there) if not _own(change)]


def _own(change: Change) -> bool:
    kind = change.path.split("/")[1]
    if kind not in OWN:
        return kind in OWN[""] or kind in ("answers", "survivors", "accepted", "licences", "pattern")
    field = "/".join(change.path.split("/")[3:])
    return field.split("/")[0] in OWN[kind] or "/cable" in field


def _brought(one: SitePlan, other: SitePlan) -> SitePlan:
    """The second plan with each segment at the place of the first one's segment of the same label."""
    homes = {s.label.casefold(): s.subnet for s in one.segments.values() if s.subnet is not None}
    moves: list[tuple[str, Network, Network]] = []
    at = _ASIDE.value
    for key, segment in other.segments.items():
        there, subnet = homes.get(segment.label.casefold()), segment.subnet
        if there is None or subnet is None or there.family != 4 or subnet.family != 4 or there.first == subnet.first:
            continue
        size = subnet.size
        at = -(-at // size) * size
        moves.append((key, Network(4, at, subnet.prefix), Network.holding(there.first, subnet.prefix)))
        at += size
    draft = other
    try:
        for key, aside, _ in moves:
            draft = applied(draft, renumber(draft, key, aside).operations)
        for key, _, home in moves:
            draft = applied(draft, renumber(draft, key, home).operations)
    except PatchError:  # what it comes to is no plan: then it is compared as it stands
        return other
    return draft


def _matched(one: SitePlan, other: SitePlan) -> SitePlan:
    """The second plan with its boxes called like those of the first in the same role and order."""
    names: dict[str, list[str | None]] = defaultdict(list)
    for device in one.devices.values():
        names[device.role].append(device.name)
    operations: list[dict[str, Any]] = []
    for key, device in other.devices.items():
        if names[device.role]:
            operations.append(set_to(f"/devices/{key}/name", names[device.role].pop(0)))
    return applied(other, operations) if operations else other
