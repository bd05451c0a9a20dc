"""Address space as a picture: prefix levels from a window down, each half of the one above.

IPv4 is counted in addresses, IPv6 in /64s, since that is what segments take (RFC 4291).
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import numpy as np

from octaplan.core.check.claims import Flags, Numbers, Words
from octaplan.core.check.portfolio import Portfolio
from octaplan.core.plan.site import SegmentRole
from octaplan.core.values.addresses import Address, Network

#: Levels under the window's own.
DEPTH = 8

#: How many segments are told one by one.
MOST_CELLS = 400


@dataclass(frozen=True, slots=True)
class Cell:
    """A part of a level: which one, how much of it is used (0 to 1), by how many sites, and the worst there."""

    number: int
    used: float
    sites: int
    segments: int
    stops: int
    warns: int


class Placed(NamedTuple):
    """One segment in the window."""

    subnet: Network
    label: str
    role: SegmentRole
    customer: str
    site: str
    path: str
    worst: Literal["stop", "warn", ""]
    shared: bool


class Block(NamedTuple):
    """A block that segments of a customer are taken from."""

    network: Network
    customer: str


class Picture(NamedTuple):
    """A window of address space: for each level its cells that are not empty, and the segments while they are few."""

    window: Network
    levels: list[tuple[int, list[Cell]]]
    segments: list[Placed]
    total: int
    sites: int
    blocks: list[Block]


def bits_of(window: Network) -> int:
    """The longest prefix that the picture goes down to."""
    return 32 if window.family == 4 else 64


def fitting(portfolio: Portfolio, family: int, customer: str = "") -> Network:
    """The smallest window, of at most a /8 (IPv6: a /32), with all blocks and private segments of a customer or of all.

    When they lie apart, the one with the most of them.
    """
    code = customer.casefold()
    widest = 8 if family == 4 else 32
    bits = 32 if family == 4 else 64
    blocks = [net for c, nets in portfolio.organisation.blocks.items() if not code or c == code for net in nets]
    blocks = [net for net in blocks if net.family == family and net.prefix >= widest]
    rows = portfolio.claims().segments
    first, last = _words(rows, family)
    inside = (rows["first"]["family"] == family) & (last - first < np.uint64(1 << (bits - widest)))
    if code:
        inside &= np.isin(rows["site"], _sites_of(portfolio, code))
    shift = 128 - bits if family == 6 else 0
    first = np.concatenate([first[inside], np.array([net.value >> shift for net in blocks], np.uint64)])
    last = np.concatenate([last[inside], np.array([net.last.value >> shift for net in blocks], np.uint64)])
    if not len(first):
        return Network(4, 10 << 24, 8) if family == 4 else Network(6, 0x20010DB8 << 96, 32)
    parts, counts = np.unique(first >> np.uint64(bits - widest), return_counts=True)
    here = first >> np.uint64(bits - widest) == parts[np.argmax(counts)]
    low, high = int(first[here].min()), int(last[here].max())
    return Network.holding(Address(family, low << shift), bits - (low ^ high).bit_length())


def _words(rows: Any, family: int) -> tuple[Words, Words]:
    """First and last addresses of segments as 64-bit words: of IPv6 the upper half."""
    lane = "lo" if family == 4 else "hi"
    return np.ascontiguousarray(rows["first"][lane]), np.ascontiguousarray(rows["last"][lane])


def _sites_of(portfolio: Portfolio, customer: str) -> Numbers:
    """The numbers of a customer's sites."""
    code = customer.casefold()
    return np.array([n for n, plan in portfolio.plans.items() if plan.customer.casefold() == code], np.int64)


def picture(
    portfolio: Portfolio,
    window: Network,
    customer: str = "",
    trouble: Mapping[tuple[str, str], str] | None = None,
) -> Picture:
    """What the segments of all sites, or of one customer's, take of a window.

    `trouble` tells the worst finding by site key and segment id.
    """
    shift = 0 if window.family == 4 else 64
    claims = portfolio.claims()
    rows = claims.segments
    sides = rows["first"]["family"] == window.family
    first, last = _words(rows, window.family)
    low, high = (np.uint64(end.value >> shift) for end in (window.first, window.last))
    inside = sides & (first <= high) & (last >= low)
    if customer:
        inside &= np.isin(rows["site"], _sites_of(portfolio, customer))
    chosen = np.flatnonzero(inside)
    chosen = chosen[np.argsort(first[chosen], kind="stable")]
    first, last = np.maximum(first[chosen], low), np.minimum(last[chosen], high)
    sites = rows["site"][chosen].astype(np.int64)
    items = rows["item"][chosen].astype(np.int64)
    worst = _worst(portfolio, sites, items, trouble or {})
    levels = _levels(window, *(some.tobytes() for some in (first, last, sites, worst)))
    shared = _shared(first, last)
    placed = []
    for place in range(min(len(chosen), MOST_CELLS)) if len(chosen) <= MOST_CELLS else ():
        plan = portfolio.plans[int(sites[place])]
        key, segment = list(plan.segments.items())[int(items[place])]
        subnet = segment.subnet if segment.subnet and segment.subnet.family == window.family else segment.subnet6
        if subnet is not None:
            path = f"/segments/{key}"
            said: Literal["stop", "warn", ""] = ("", "warn", "stop")[int(worst[place])]
            placed.append(
                Placed(subnet, segment.label, segment.role, plan.customer, plan.site, path, said, bool(shared[place]))
            )
    blocks = _blocks(portfolio, window, customer)
    return Picture(window, levels, placed, len(chosen), len(np.unique(sites)), blocks)


@lru_cache(maxsize=8)
def _levels(window: Network, *segments: bytes) -> list[tuple[int, list[Cell]]]:
    """The levels of a window with segments as bytes of arrays: first and last, site, worst.

    Kept, since what people change is mostly not where segments lie.
    """
    first, last = (np.frombuffer(some, np.uint64) for some in segments[:2])
    sites, worst = (np.frombuffer(some, np.int64) for some in segments[2:])
    bits = bits_of(window)
    low = np.uint64(window.first.value >> (0 if window.family == 4 else 64))
    return [
        (prefix, _cells(low, bits - prefix, 1 << (prefix - window.prefix), first, last, sites, worst))
        for prefix in range(window.prefix, min(window.prefix + DEPTH, bits) + 1)
    ]


def _worst(portfolio: Portfolio, sites: Numbers, items: Numbers, trouble: Mapping[tuple[str, str], str]) -> Numbers:
    """Per segment 2 for a stop, 1 for a warn."""
    worst = np.zeros(len(sites), np.int64)
    if not trouble:
        return worst
    by_site: dict[str, dict[str, int]] = {}
    for (site, segment), severity in trouble.items():
        by_site.setdefault(site, {})[segment] = {"stop": 2, "warn": 1}.get(severity, 0)
    ranks = {
        portfolio.number(plan) << 32 | item: rank
        for site, known in by_site.items()
        if (plan := portfolio.get(site)) is not None
        for item, key in enumerate(plan.segments)
        if (rank := known.get(key, 0))
    }
    if ranks:
        troubled = np.array(sorted(ranks), np.int64)
        wanted = sites << 32 | items
        place = np.minimum(np.searchsorted(troubled, wanted), len(troubled) - 1)
        values = np.array([ranks[number] for number in troubled.tolist()], np.int64)
        worst = np.where(troubled[place] == wanted, values[place], 0)
    return worst


def _cells(
    low: np.uint64, depth: int, parts: int, first: Words, last: Words, sites: Numbers, worst: Numbers
) -> list[Cell]:
    """The cells of one level that hold anything; `depth` is the size of a cell in bits."""
    if not len(first):
        return []
    size = np.uint64(depth)
    begin, end = ((ends - low) >> size for ends in (first, last))
    used = _used(low, depth, parts, first, last)
    counts = np.zeros((3, parts), np.int64)
    owners = []
    many = int(sites.max()) + 1
    step = np.uint64(0)
    while len(begin):  # once for most, oftener for segments that are larger than a cell
        place = (begin + step).astype(np.int64)
        for row, weight in enumerate((None, worst == 2, worst == 1)):
            counts[row] += np.bincount(place, weight, parts).astype(np.int64)
        owners.append(np.unique(place * many + sites))
        step += np.uint64(1)
        longer = end - begin >= step
        begin, end, sites, worst = begin[longer], end[longer], sites[longer], worst[longer]
    by_cell = np.bincount(np.unique(np.concatenate(owners)) // many, minlength=parts)
    return [
        Cell(cell, round(float(used[cell]), 4), int(by_cell[cell]), *counts[:, cell].tolist())
        for cell in np.flatnonzero(counts[0]).tolist()
    ]


def _used(
    low: np.uint64, depth: int, parts: int, first: Words, last: Words
) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """Which share of each cell is taken by any segment, each address counted once; `first` is sorted."""
    reach = np.maximum.accumulate(last)
    before = np.concatenate([first[:1], reach[:-1]])
    fresh = np.concatenate([[True], first[1:] > reach[:-1]])
    adding = fresh | (reach > before)  # what lies wholly in what came before adds nothing
    first, reach, before, fresh = first[adding], reach[adding], before[adding], fresh[adding]
    starts = np.where(fresh, first, before + np.uint64(1))
    lengths = (reach - starts).astype(np.float64) + 1
    edges = np.arange(parts + 1, dtype=np.float64) * float(1 << depth)
    offsets = (starts - low).astype(np.float64)
    known = np.concatenate([[0.0], np.cumsum(lengths)])
    place = np.searchsorted(offsets, edges, "right")
    run = np.maximum(place - 1, 0)
    inside = np.minimum(np.maximum(edges - offsets[run], 0.0), lengths[run])
    covered = np.where(place > 0, known[run] + inside, 0.0)
    return np.diff(covered) / float(1 << depth)


def _shared(first: Words, last: Words) -> Flags:
    """Whether another segment takes some of the same addresses; `first` is sorted."""
    if not len(first):
        return np.zeros(0, bool)
    reach = np.maximum.accumulate(last)
    shared = np.zeros(len(first), bool)
    shared[1:] |= first[1:] <= reach[:-1]
    shared[:-1] |= first[1:] <= last[:-1]
    return shared


def _blocks(portfolio: Portfolio, window: Network, customer: str) -> list[Block]:
    names = {plan.customer.casefold(): plan.customer for plan in portfolio}
    blocks = []
    for code, networks in portfolio.organisation.blocks.items():
        if customer and code != customer.casefold():
            continue
        for network in networks:
            same = network.family == window.family
            if same and (window.holds(network.first) or network.holds(window.first)):
                blocks.append(Block(network, names.get(code, code)))
    return sorted(blocks)


class Line(NamedTuple):
    """A public block as a provider hands it to a site: the hand-off, or one routed to it.

    `further` are the addresses in it that are planned for something besides, at this site or at another.
    """

    provider: str
    network: Network
    routed: bool
    address: Address | None
    gateway: Address | None
    customer: str
    site: str
    path: str
    label: str
    further: list[Address]


def public_lines(portfolio: Portfolio, customer: str = "") -> list[Line]:
    """Every block that providers hand to sites, by provider and address."""
    lines = []
    planned = sorted({address for plan in portfolio for one in plan.circuits.values() for address in one.further})
    for plan in portfolio:
        if customer and plan.customer.casefold() != customer.casefold():
            continue
        for key, circuit in plan.circuits.items():
            where = (plan.customer, plan.site, f"/circuits/{key}", circuit.label)
            provider = circuit.provider or ""
            handed: list[tuple[Network | None, bool, Address | None, Address | None]] = [
                (circuit.subnet, False, circuit.address, circuit.gateway),
                (
                    circuit.subnet6 if circuit.subnet6 != circuit.subnet else None,
                    False,
                    circuit.address6,
                    circuit.gateway6,
                ),
                *((block, True, None, None) for block in circuit.routed_blocks),
            ]
            for network, routed, address, gateway in handed:
                if network is not None:
                    held = planned[bisect_left(planned, network.first) : bisect_right(planned, network.last)]
                    lines.append(Line(provider, network, routed, address, gateway, *where, held))
    return sorted(lines, key=lambda line: (not line.provider, line.provider.casefold(), line.network, line.site))
