"""A plan's claims: which addresses it says are used, and for what, as NumPy structured arrays.

An address is three columns (`ADDRESS`): the family (4, 6, or 0 for "not known") and two unsigned 64-bit
words, so that 128-bit values are exact. Comparisons order by family first; "not known" lies below all.
The same arrays serve one plan and ten thousand joined together, so that every rule is written once.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from numpy.typing import NDArray

from octaplan.core.addresses import BITS, PRIVATE_IPV4, Address, Network, is_public
from octaplan.core.plan import Handoff, Method, Role, SitePlan

Rows = NDArray[np.void]
Numbers = NDArray[np.int64]
Flags = NDArray[np.bool_]

ADDRESS = np.dtype([("family", "u1"), ("hi", "u8"), ("lo", "u8")])

SEGMENT = np.dtype(
    [
        ("site", "i4"),
        ("item", "i4"),
        ("table", "i4"),
        ("vlan", "i4"),
        ("reaches", "?"),
        ("needs_gateway", "?"),
        ("inside_private", "?"),
        ("first", ADDRESS),
        ("last", ADDRESS),
        ("usable_first", ADDRESS),
        ("usable_last", ADDRESS),
        ("gateway", ADDRESS),
        ("scope_first", ADDRESS),
        ("scope_last", ADDRESS),
    ]
)
HOST = np.dtype(
    [
        ("site", "i4"),
        ("item", "i4"),
        ("table", "i4"),
        ("segment", "i4"),
        ("reserved", "?"),
        ("address", ADDRESS),
        ("mac", ADDRESS),
    ]
)
RANGE = np.dtype([("site", "i4"), ("table", "i4"), ("segment", "i4"), ("first", ADDRESS), ("last", ADDRESS)])
CIRCUIT = np.dtype(
    [
        ("site", "i4"),
        ("item", "i4"),
        ("static", "?"),
        ("answered", "?"),
        ("public", "?"),
        ("resolvers", "i4"),
        ("first", ADDRESS),
        ("last", ADDRESS),
        ("usable_first", ADDRESS),
        ("usable_last", ADDRESS),
        ("address", ADDRESS),
        ("gateway", ADDRESS),
    ]
)
ROUTED = np.dtype([("site", "i4"), ("circuit", "i4"), ("first", ADDRESS), ("last", ADDRESS)])

_LOW = (1 << 64) - 1
_UNKNOWN = (0, 0, 0)
_Words = tuple[int, int, int]


def words(address: Address | None) -> _Words:
    """An address as the three columns of `ADDRESS`."""
    if address is None:
        return _UNKNOWN
    return (address.family, address.value >> 64, address.value & _LOW)


def where(flags: NDArray[Any]) -> list[int]:
    """The row numbers at which an array is true, or not zero."""
    rows: list[int] = np.flatnonzero(flags).tolist()
    return rows


def known(a: Rows) -> Flags:
    flags: Flags = a["family"] > 0
    return flags


def less(a: Rows, b: Rows) -> Flags:
    """Elementwise `a < b` over two arrays of dtype `ADDRESS` and the same shape."""
    family_a, family_b, hi_a, hi_b = a["family"], b["family"], a["hi"], b["hi"]
    word = (hi_a < hi_b) | ((hi_a == hi_b) & (a["lo"] < b["lo"]))
    below: Flags = (family_a < family_b) | ((family_a == family_b) & word)
    return below


def same(a: Rows, b: Rows) -> Flags:
    """Elementwise equality of two arrays of dtype `ADDRESS`."""
    flags: Flags = (a["family"] == b["family"]) & (a["hi"] == b["hi"]) & (a["lo"] == b["lo"])
    return flags


def within(a: Rows, first: Rows, last: Rows) -> Flags:
    """Elementwise `first <= a <= last`; false wherever any of the three is not known."""
    flags: Flags = known(a) & known(first) & ~less(a, first) & ~less(last, a)
    return flags


@dataclass(frozen=True, slots=True)
class Claims:
    """The claims of one or many sites. `site` is the site's number in the portfolio, `item` the position of
    the member in its plan; `segment` and `circuit` are row numbers in the arrays here."""

    segments: Rows
    hosts: Rows
    ranges: Rows
    circuits: Rows
    routed: Rows

    @classmethod
    def of(cls, plan: SitePlan, site: int) -> Claims:
        """The claims of one plan, under a site number."""
        tables: dict[str, int] = {}
        segments, ranges, circuits, routed = [], [], [], []
        table_of: dict[str, tuple[int, int]] = {}
        for item, (key, segment) in enumerate(plan.segments.items()):
            table = tables.setdefault(segment.vrf.casefold(), len(tables))
            table_of[key] = (item, table)
            scope = segment.scope
            running = scope.server != "none"
            segments.append(
                (
                    site,
                    item,
                    table,
                    segment.vlan or 0,
                    segment.reaches,
                    segment.role not in (Role.TRANSIT, Role.ISOLATED),
                    _inside_private(segment.subnet),
                    *_ends(segment.subnet),
                    words(segment.gateway),
                    words(scope.first if running else None),
                    words(scope.last if running else None),
                )
            )
            ranges += [(site, table, item, words(p.first), words(p.last)) for p in scope.pieces]
        hosts = []
        for item, host in enumerate(plan.hosts.values()):
            row, table = table_of[host.segment]
            mac = _UNKNOWN if host.mac is None else (6, 0, host.mac.value)
            reserved = host.method is Method.RESERVED
            hosts.append((site, item, table, row, reserved, words(host.address), mac))
        for item, circuit in enumerate(plan.circuits.values()):
            address = circuit.address
            circuits.append(
                (
                    site,
                    item,
                    circuit.handoff is Handoff.STATIC,
                    circuit.handoff is not None,
                    address is None or is_public(address),
                    len(circuit.resolvers),
                    *_ends(circuit.subnet),
                    words(address),
                    words(circuit.gateway),
                )
            )
            routed += [(site, item, words(b.first), words(b.last)) for b in circuit.routed_blocks]
        return cls(
            np.array(segments, SEGMENT),
            np.array(hosts, HOST),
            np.array(ranges, RANGE),
            np.array(circuits, CIRCUIT),
            np.array(routed, ROUTED),
        )

    @classmethod
    def join(cls, parts: Sequence[Claims]) -> Claims:
        """The claims of many sites as one, in their order."""
        if not parts:
            return cls(*(np.empty(0, dtype) for dtype in (SEGMENT, HOST, RANGE, CIRCUIT, ROUTED)))
        if len(parts) == 1:
            return parts[0]
        joined: dict[str, Any] = {
            field.name: np.concatenate([getattr(part, field.name) for part in parts]) for field in fields(cls)
        }
        for owned, column, owner in (
            ("hosts", "segment", "segments"),
            ("ranges", "segment", "segments"),
            ("routed", "circuit", "circuits"),
        ):
            starts = np.cumsum([0] + [len(getattr(part, owner)) for part in parts[:-1]])
            joined[owned][column] += np.repeat(starts, [len(getattr(part, owned)) for part in parts])
        return cls(**joined)


def _ends(subnet: Network | None) -> tuple[_Words, _Words, _Words, _Words]:
    if subnet is None:
        return (_UNKNOWN, _UNKNOWN, _UNKNOWN, _UNKNOWN)
    usable = subnet.usable
    return (words(subnet.first), words(subnet.last), words(usable.first), words(usable.last))


def _inside_private(subnet: Network | None) -> bool:
    if subnet is None or subnet.family != 4:
        return True
    return any(
        subnet.value >> BITS[4] - block.prefix == block.value >> BITS[4] - block.prefix
        and subnet.prefix >= block.prefix
        for block in PRIVATE_IPV4
    )
