"""What else one could do: the same claims given to a sweep with the standard library, to a general interval-tree
package, to a compiled nested-containment-list package, and, as the physical floor, to `np.sort`.

They list overlapping pairs of claims of one customer, and nothing more: they know no sites, rules or reach groups.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass

import numpy as np
from intervaltree import IntervalTree
from ncls import NCLS
from numpy.typing import NDArray

from octaplan.core.check.claims import ADDRESS, Claims
from octaplan.core.plan.site import SitePlan

Numbers = NDArray[np.int64]


@dataclass(frozen=True)
class Pile:
    """The IPv4 claims of a portfolio as plain intervals: subnets, gateways, hosts and ranges, both ends included."""

    customers: Numbers
    first: Numbers
    last: Numbers

    def __len__(self) -> int:
        return len(self.first)

    @property
    def keys(self) -> tuple[Numbers, Numbers]:
        """Customer and address in one number, for packages that know no groups."""
        return self.customers << 32 | self.first, self.customers << 32 | self.last

    def of(self, rows: NDArray[np.bool_]) -> Pile:
        return Pile(self.customers[rows], self.first[rows], self.last[rows])


def pile(claims: Claims, plans: list[SitePlan]) -> tuple[Pile, Numbers]:
    """The claims as a pile, and the site of each."""
    names: dict[str, int] = {}
    customer = np.array([names.setdefault(plan.customer, len(names)) for plan in plans], np.int64)
    parts, sites = [], []
    for rows, first, last in (
        (claims.segments, "first", "last"),
        (claims.segments, "gateway", "gateway"),
        (claims.hosts, "address", "address"),
        (claims.ranges, "first", "last"),
    ):
        mine = rows[rows[first]["family"] == 4]
        parts.append(Pile(customer[mine["site"]], *(mine[end]["lo"].astype(np.int64) for end in (first, last))))
        sites.append(mine["site"])
    joined = (np.concatenate([getattr(part, name) for part in parts]) for name in ("customers", "first", "last"))
    return Pile(*joined), np.concatenate(sites)


def claims_as_they_stand(pile: Pile) -> NDArray[np.void]:
    """The claims as structured arrays, in no order, as they would be sorted."""
    rows = np.zeros(len(pile), ADDRESS)
    rows["family"], rows["hi"], rows["lo"] = 4, pile.customers, pile.first
    shuffled: NDArray[np.void] = np.random.default_rng(1).permutation(rows)
    return shuffled


def sweep(pile: Pile) -> int:
    """Pairs by a sorted sweep over `ipaddress` objects."""
    groups: dict[int, list[tuple[ipaddress.IPv4Address, ipaddress.IPv4Address]]] = {}
    for customer, first, last in zip(pile.customers.tolist(), pile.first.tolist(), pile.last.tolist(), strict=True):
        ends = (ipaddress.IPv4Address(first), ipaddress.IPv4Address(last))
        groups.setdefault(customer, []).append(ends)
    pairs = 0
    for intervals in groups.values():
        intervals.sort()
        running: list[ipaddress.IPv4Address] = []
        for first, last in intervals:
            running = [end for end in running if end >= first]
            pairs += len(running)
            running.append(last)
    return pairs


def trees(pile: Pile) -> dict[int, IntervalTree]:
    """One interval tree a customer."""
    groups: dict[int, list[tuple[int, int, int]]] = {}
    for row, (customer, first, last) in enumerate(
        zip(pile.customers.tolist(), pile.first.tolist(), pile.last.tolist(), strict=True)
    ):
        groups.setdefault(customer, []).append((first, last + 1, row))
    return {customer: IntervalTree.from_tuples(intervals) for customer, intervals in groups.items()}


def tree_pairs(built: dict[int, IntervalTree], asked: Pile) -> int:
    """Pairs that the trees list for some intervals, each way."""
    every = zip(asked.customers.tolist(), asked.first.tolist(), asked.last.tolist(), strict=True)
    return sum(len(built[customer].overlap(first, last + 1)) for customer, first, last in every)


def nested_lists(pile: Pile) -> NCLS:
    first, last = pile.keys
    return NCLS(first, last + 1, np.arange(len(pile)))


def nested_list_pairs(built: NCLS, asked: Pile) -> int:
    """Pairs that the compiled package lists for some intervals, each way."""
    first, last = asked.keys
    return len(built.all_overlaps_both(first, last + 1, np.arange(len(asked)))[0])


def first_free_by_scanning(block: ipaddress.IPv4Network, taken: list[ipaddress.IPv4Network], prefix: int) -> object:
    """The first free subnet by trying one after the other with `ipaddress`."""
    ordered = sorted(taken)
    place = 0
    for subnet in block.subnets(new_prefix=prefix):
        while place < len(ordered) and ordered[place].broadcast_address < subnet.network_address:
            place += 1
        if place == len(ordered) or not ordered[place].overlaps(subnet):
            return subnet
    return None


def first_free_by_tree(tree: IntervalTree, block: ipaddress.IPv4Network, prefix: int) -> object:
    """The same by asking an interval tree."""
    for subnet in block.subnets(new_prefix=prefix):
        if not tree.overlaps(int(subnet.network_address), int(subnet.broadcast_address) + 1):
            return subnet
    return None
